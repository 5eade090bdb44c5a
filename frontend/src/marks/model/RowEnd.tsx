import type { Placed, ShotOut } from "../../api/client";
import { type Camera, onPlane, project } from "../../geometry/camera";
import type { Frame } from "../../geometry/frame";
import type { ImagePoint } from "../../geometry/points";
import { footOf, rowOf, withinCarrier } from "../../geometry/standing";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { useEditor } from "../../state/editor";

type Props = { shot: ShotOut; frame: Frame; camera: Camera; placed: Placed; things: Placed[] };

const CLICK_DEG = 3;

/** The end of a row: pulled, it sets which way the row goes and how far its copies are apart. */
export function RowEnd({ shot, frame, camera, placed, things }: Props) {
  const { move, keep } = useChange(shot.id);
  const { row } = placed;
  const last = rowOf(placed).at(-1);
  if (!row || !last) return null;
  const [start, end] = [footOf(placed, things).foot, footOf(last, things).foot];
  const [a, b] = [project(camera, start), project(camera, end)];
  if (!a || !b) return null;
  const pull = (to: ImagePoint, free: boolean) => {
    const p = onPlane(camera, to, start[2]);
    if (!p) return;
    const [x, y] = withinCarrier(placed, things, p);
    const [dx, dy] = [x - placed.position_m[0], y - placed.position_m[1]];
    const angle = (Math.atan2(dy, dx) * 180) / Math.PI;
    const square = Math.round(angle / 90) * 90;
    const clicks = !free && useEditor.getState().snap.things && Math.abs(angle - square) < CLICK_DEG;
    const spacing_m = Math.max(Math.hypot(dx, dy) / (row.count - 1), 0.01);
    move({
      models: {
        [placed.id]: {
          row: {
            ...row,
            direction_deg: clicks ? square : Math.round(angle * 10) / 10,
            spacing_m: Math.round(spacing_m * 1000) / 1000,
          },
        },
      },
    });
  };
  const [from, at] = [frame.toScreen(a), frame.toScreen(b)];
  return (
    <g>
      <line
        x1={from[0]}
        y1={from[1]}
        x2={at[0]}
        y2={at[1]}
        stroke="var(--color-verdigris-deep)"
        strokeWidth={1.8}
        strokeDasharray="1 5"
        strokeLinecap="round"
      />
      <Handle
        frame={frame}
        at={b}
        label={`End of the row of ${placed.name}`}
        onMove={pull}
        onKeep={() => keep(`row of the ${placed.name}`)}
      >
        <circle cx={at[0]} cy={at[1]} r={14} fill="transparent" />
        <path
          d={`M${at[0] - 7} ${at[1] - 5}H${at[0] + 7}V${at[1] + 5}H${at[0] - 7}Z`}
          fill="#fff"
          stroke="var(--color-verdigris-deep)"
          strokeWidth={2}
        />
      </Handle>
      <Tag x={at[0] + 14} y={at[1] + 4} text={`${row.count} × ${row.spacing_m.toFixed(2)} m`} />
    </g>
  );
}
