import { Checks } from "../checks/Overlay";
import { cameraOf } from "../geometry/camera";
import type { Frame } from "../geometry/frame";
import type { StepProps } from "../marks/props";
import { KINDS, toolOf } from "../marks/registry";
import { usePicked } from "../state/editor";
import { BrushPath, Cross, FoundSegment, Prompt } from "./Cross";

/** What of the photograph stands in front of the live view's things. */
export function Fronts({ frame, ...shown }: StepProps & { frame: Frame }) {
  const camera = shown.derived.camera ? cameraOf(shown.derived.camera) : null;
  return (
    <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
      {KINDS.map(({ name, Front }) => Front && <Front key={name} {...shown} frame={frame} camera={camera} />)}
    </svg>
  );
}

/** What the open step lays over the photograph; it goes away with the step. */
export function Overlays({ frame, ...shown }: StepProps & { frame: Frame }) {
  const { step, tool } = usePicked("step", "tool");
  // What is clicked with a tool in the hand is the picture: handles that lie there let it through.
  const clicking = toolOf(tool?.kind)?.grasp === "clicks";
  const { document, derived } = shown;
  const camera = derived.camera ? cameraOf(derived.camera) : null;
  const picture = document.photograph;
  if (!picture) return null;
  const props = { ...shown, frame, camera };
  const corner = frame.toScreen([0, 0]);
  const { scale } = frame.zoom;
  return (
    <svg
      className={`pointer-events-none absolute inset-0 h-full w-full ${clicking ? "[&_[role=button]]:pointer-events-none!" : ""}`}
      role="group"
      aria-label="Marks on the photograph"
    >
      <clipPath id="photograph">
        <rect x={corner[0]} y={corner[1]} width={picture.width * scale} height={picture.height * scale} />
      </clipPath>
      {camera && <Checks {...props} camera={camera} />}
      {KINDS.map(
        ({ name, on, Overlay }) => Overlay && on?.includes(step) && <Overlay key={name} {...props} />,
      )}
      <BrushPath frame={frame} />
      <FoundSegment frame={frame} />
      <Prompt frame={frame} />
      <Cross frame={frame} />
    </svg>
  );
}
