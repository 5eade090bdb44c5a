import type { Derived, Shot, ShotOut } from "../api/client";
import { cameraOf } from "../geometry/camera";
import { useEditor } from "../state/editor";
import { EdgeMarks } from "./EdgeMarks";
import { GnomonMarks, ShadowTip } from "./GnomonMarks";
import { GroundGrid, Horizon, OriginMark, YardstickMark } from "./GroundMarks";
import { ModelHandles } from "./ModelHandles";
import type { Frame } from "./Stage";

export type MarkProps = { shot: ShotOut; document: Shot; derived: Derived; frame: Frame };

/** What the open step lays over the photograph; it goes away with the step. */
export function Marks(props: MarkProps) {
  const step = useEditor((state) => state.step);
  const view = useEditor((state) => state.view);
  const camera = props.derived.camera ? cameraOf(props.derived.camera) : null;
  const picture = props.document.photograph;
  if (!picture) return null;
  const corner = props.frame.toScreen([0, 0]);
  const { scale } = props.frame.zoom;
  return (
    <svg
      className="pointer-events-none absolute inset-0 h-full w-full"
      role="group"
      aria-label="Marks on the photograph"
    >
      <clipPath id="photograph">
        <rect x={corner[0]} y={corner[1]} width={picture.width * scale} height={picture.height * scale} />
      </clipPath>
      {camera && (step === "perspective" || step === "ground" || step === "place") && (
        <GroundGrid camera={camera} frame={props.frame} strong={step !== "place"} />
      )}
      {camera && step === "perspective" && <Horizon {...props} />}
      {step === "perspective" && <EdgeMarks {...props} />}
      {step === "ground" && (
        <>
          <YardstickMark {...props} />
          <OriginMark {...props} camera={camera} />
        </>
      )}
      {camera && step === "place" && <ModelHandles {...props} camera={camera} />}
      {step === "light" && (
        <>
          <GnomonMarks {...props} camera={camera} />
          {camera && view !== "photo" && <ShadowTip {...props} camera={camera} />}
        </>
      )}
    </svg>
  );
}
