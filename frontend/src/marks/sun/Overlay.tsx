import { onPlane, project } from "../../geometry/camera";
import type { ImagePoint, World } from "../../geometry/points";
import { footOf, sizeOf } from "../../geometry/standing";
import { sunThrough } from "../../geometry/sun";
import { useModel } from "../../live/models";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { usePicked } from "../../state/editor";
import { sunPulled } from "../../state/light";
import type { MarkProps } from "../props";

/** The tip of the first model's shadow: pulling it sets the sun by hand. */
export function ShadowTip({ shot, document, derived, frame, camera }: MarkProps) {
  const { view } = usePicked("view");
  const { move, keep } = useChange(shot.id);
  const placed = document.models.find((one) => !one.hidden);
  const model = useModel(placed?.file);
  const sun = derived.sun_shown;
  if (!placed || !model || !sun || !camera?.metric || view === "photo") return null;
  const [x, y, z] = footOf(placed, document.models).foot;
  const top: World = [x, y, z + sizeOf(placed, model)[2]];
  const tip: World = [top[0] - (sun[0] / sun[2]) * top[2], top[1] - (sun[1] / sun[2]) * top[2], 0];
  const [topPixel, tipPixel] = [project(camera, top), project(camera, tip)];
  if (!topPixel || !tipPixel) return null;
  const [a, b] = [frame.toScreen(topPixel), frame.toScreen(tipPixel)];
  const pull = (to: ImagePoint) => {
    const ground = onPlane(camera, to, 0);
    if (!ground) return;
    move(sunPulled(document, sunThrough(top, ground)));
  };
  return (
    <g>
      <line x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} stroke="#22262b" strokeOpacity={0.5} strokeWidth={3.4} />
      <line x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} stroke="var(--color-sun)" strokeWidth={1.8} />
      <Handle
        frame={frame}
        at={tipPixel}
        label="Tip of the model's shadow: pull to set the sun by hand"
        onMove={pull}
        onKeep={() => keep("pull the shadow’s tip")}
      >
        <circle cx={b[0]} cy={b[1]} r={14} fill="transparent" />
        <path
          d={`M${b[0]} ${b[1] - 8}L${b[0] + 8} ${b[1]}L${b[0]} ${b[1] + 8}L${b[0] - 8} ${b[1]}Z`}
          fill="var(--color-sun)"
          stroke="#fff"
          strokeWidth={1.8}
        />
      </Handle>
      <Tag x={b[0] + 14} y={b[1] + 20} text="pull the shadow’s tip" />
    </g>
  );
}
