import type { Derived, Shot, ShotOut } from "../api/client";
import { cameraOf } from "../geometry/camera";
import { usePicked } from "../state/editor";
import { Checks } from "./Checks";
import { Cross, FoundSegment, LevelPrompt } from "./Cross";
import { EdgeMarks } from "./EdgeMarks";
import { GnomonMarks, ShadowTip } from "./GnomonMarks";
import { GroundGrid } from "./Grid";
import { HandHandles } from "./HandHandles";
import { Horizon } from "./Horizon";
import { LengthMarks, LevelMarks } from "./LengthMarks";
import { ModelHandles } from "./ModelHandles";
import { OriginMark } from "./OriginMark";
import { Proposals } from "./Proposals";
import type { Frame } from "./Stage";
import { VanishingPoints } from "./VanishingPoints";

export type MarkProps = { shot: ShotOut; document: Shot; derived: Derived; frame: Frame };

/** What the open step lays over the photograph; it goes away with the step. */
export function Marks(props: MarkProps) {
  const { step, view, checks, proposals } = usePicked("step", "view", "checks", "proposals");
  const camera = props.derived.camera ? cameraOf(props.derived.camera) : null;
  const picture = props.document.photograph;
  if (!picture) return null;
  const corner = props.frame.toScreen([0, 0]);
  const { scale } = props.frame.zoom;
  const judged = step === "perspective" || step === "ground";
  return (
    <svg
      className="pointer-events-none absolute inset-0 h-full w-full"
      role="group"
      aria-label="Marks on the photograph"
    >
      <clipPath id="photograph">
        <rect x={corner[0]} y={corner[1]} width={picture.width * scale} height={picture.height * scale} />
      </clipPath>
      {camera && ((judged && checks.grid) || step === "place") && (
        <GroundGrid {...props} camera={camera} strong={judged} />
      )}
      {camera && judged && <Checks {...props} camera={camera} />}
      {step === "perspective" && (
        <>
          {camera && <Horizon {...props} />}
          {camera && checks.points && <VanishingPoints {...props} />}
          {proposals ? <Proposals {...props} /> : <EdgeMarks {...props} />}
          {camera && <HandHandles {...props} camera={camera} />}
          <FoundSegment frame={props.frame} />
        </>
      )}
      {step === "ground" && (
        <>
          <LengthMarks {...props} />
          <LevelMarks {...props} />
          <OriginMark {...props} camera={camera} />
          <LevelPrompt frame={props.frame} />
        </>
      )}
      {camera && step === "place" && <ModelHandles {...props} camera={camera} />}
      {step === "light" && (
        <>
          <GnomonMarks {...props} camera={camera} />
          {camera && view !== "photo" && <ShadowTip {...props} camera={camera} />}
        </>
      )}
      <Cross frame={props.frame} />
    </svg>
  );
}
