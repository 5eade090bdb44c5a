import { Checks } from "../../checks/Panel";
import { Marking } from "../../marks/edge/Marking";
import { ByHand, ToHand } from "../../marks/hand/Panel";
import type { StepProps } from "../../marks/props";
import { useEditor } from "../../state/editor";
import { KindSections, Section } from "../Section";
import { BringCamera, Brought } from "./Brought";
import { Figures } from "./Figures";
import { Known } from "./Known";
import { Verdict } from "./Verdict";

/** Recover the camera from edges, say how far it can be trusted, or set it by hand. */
export function PerspectiveStep(props: StepProps) {
  const { document, derived } = props;
  const proposing = useEditor((state) => state.proposals !== null);
  const camera = document.camera;
  if (proposing) return <Marking {...props} />;
  return (
    <>
      {camera.kind === "hand" && <ByHand {...props} />}
      {camera.kind === "known" && <Brought {...props} />}
      {camera.kind !== "hand" && <Marking {...props} />}
      {camera.kind === "solved" && <Verdict {...props} />}
      {derived.camera && camera.kind !== "known" && <Figures {...props} camera={derived.camera} />}
      {derived.camera && (
        <Section name="checks" title="Judge it by" fact="overlays on the photograph" open>
          <Checks />
        </Section>
      )}
      <KindSections step="perspective" {...props} />
      {camera.kind === "solved" && (
        <Section name="known" title="What is known" fact={knownFact(camera)}>
          <Known {...props} />
        </Section>
      )}
      {camera.kind === "solved" && <ToHand {...props} />}
      {camera.kind !== "known" && <BringCamera {...props} />}
    </>
  );
}

/** What is known of the camera besides the edges, in a few words. */
function knownFact(camera: StepProps["document"]["camera"] & { kind: "solved" }): string {
  const told = [
    camera.focal_35mm && `${camera.focal_35mm} mm`,
    camera.focal_prior && `about ${camera.focal_prior.focal_35mm.toFixed(0)} mm`,
    camera.principal_point === "free" && "cropped",
    camera.distortion === "solve" && "bent lens",
  ].filter(Boolean);
  return told.join(", ") || "nothing besides the edges";
}
