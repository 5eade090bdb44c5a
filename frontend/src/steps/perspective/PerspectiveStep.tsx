import { useEditor } from "../../state/editor";
import { Checks } from "../Checks";
import type { StepProps } from "../props";
import { EdgeList } from "./EdgeList";
import { Figures } from "./Figures";
import { ByHand, ToHand } from "./Hand";
import { Known } from "./Known";
import { Marking } from "./Marking";
import { Verdict } from "./Verdict";

/** Recover the camera from edges, say how far it can be trusted, or set it by hand. */
export function PerspectiveStep(props: StepProps) {
  const { document, derived } = props;
  const proposing = useEditor((state) => state.proposals !== null);
  const byHand = document.camera.kind === "hand";
  if (proposing) return <Marking {...props} />;
  return (
    <>
      {byHand ? <ByHand {...props} /> : <Marking {...props} />}
      {!byHand && <Verdict {...props} />}
      {derived.camera && <Figures {...props} camera={derived.camera} />}
      {derived.camera && <Checks />}
      {document.edges.length > 0 && <EdgeList {...props} />}
      {!byHand && <Known {...props} />}
      {!byHand && <ToHand {...props} />}
    </>
  );
}
