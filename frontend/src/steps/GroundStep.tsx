import { Checks } from "../checks/Panel";
import { ranged } from "../geometry/measure";
import type { StepProps } from "../marks/props";
import { Figure, Hint } from "../ui/controls";
import { KindSections, Section } from "./Section";

/** Which plane things stand on, where its origin is, which way it runs, and how large the world is. */
export function GroundStep(props: StepProps) {
  const { document, derived } = props;
  const camera = derived.camera;
  if (!camera) return <Hint>The ground follows from the perspective. Mark edges there first.</Hint>;
  const height = camera.camera_position?.[2];
  return (
    <>
      {height !== undefined && (
        <Figure
          name="Camera height"
          {...ranged(height, camera.sigma.height_m, " m")}
          from={
            document.site
              ? "the site"
              : { hand: "by hand", known: "brought", solved: "measured" }[document.camera.kind]
          }
        />
      )}
      {height === undefined && <Hint>Without one known length, nothing that stands here has a size.</Hint>}
      <KindSections step="ground" {...props} />
      <Section name="checks" title="Judge it by" fact="overlays on the photograph">
        <Checks />
      </Section>
    </>
  );
}
