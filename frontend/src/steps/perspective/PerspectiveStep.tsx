import { Checks } from "../../checks/Panel";
import { Marking } from "../../marks/edge/Marking";
import { ByHand, ToHand } from "../../marks/hand/Panel";
import type { StepProps } from "../../marks/props";
import { go, sitePath } from "../../state/address";
import { useEditor } from "../../state/editor";
import { Button } from "../../ui/controls";
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
      {document.site && <BySite projectId={props.shot.project_id} />}
      {camera.kind === "hand" && <ByHand {...props} />}
      {camera.kind === "known" && <Brought {...props} />}
      {camera.kind !== "hand" && <Marking {...props} />}
      {camera.kind === "solved" && !document.site && <Verdict {...props} />}
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

/** The camera is the site's: what is marked here tells on all of its photographs. */
function BySite({ projectId }: { projectId: string }) {
  return (
    <div className="mb-2 flex items-start gap-2 rounded-lg bg-verdigris-soft px-2.5 py-2 text-xs leading-[1.5] text-verdigris-deep">
      <span className="grow">
        The camera follows from all photographs of the site together. What is marked here tells on the others,
        too.
      </span>
      <Button onClick={() => go(sitePath(projectId))}>Open the site</Button>
    </div>
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
