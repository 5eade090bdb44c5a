import { unitOf } from "../../checks/spots";
import { onPlane, project } from "../../geometry/camera";
import { pair } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { useEditor } from "../../state/editor";
import type { MarkProps } from "../props";

/** The origin with the first square of x and y. */
export function OriginOverlay({ shot, document, frame, camera }: MarkProps) {
  const { move, keep } = useChange(shot.id);
  // A length may begin at the origin: with a tool in hand it lets the stroke through.
  const passes = useEditor((state) => state.tool !== null);
  const origin = document.origin;
  if (!origin) return null;
  const at = frame.toScreen(origin);
  const unit = camera ? unitOf(camera) : 1;
  const foot = camera && onPlane(camera, origin, 0);
  const arm = (x: number, y: number, letter: string, colour: string) => {
    const tip = camera && foot && project(camera, [foot[0] + x * unit, foot[1] + y * unit, 0]);
    if (!tip) return null;
    const end = frame.toScreen(tip);
    return (
      <g>
        <line
          x1={at[0]}
          y1={at[1]}
          x2={end[0]}
          y2={end[1]}
          stroke="#fff"
          strokeWidth={5}
          strokeOpacity={0.75}
        />
        <line x1={at[0]} y1={at[1]} x2={end[0]} y2={end[1]} stroke={colour} strokeWidth={2.4} />
        <Tag x={end[0] + 6} y={end[1] + 4} text={letter} tone={colour} />
      </g>
    );
  };
  return (
    <Handle
      frame={frame}
      at={origin}
      loupe
      passes={passes}
      label="Origin of the ground"
      onMove={(p) => move({ origin: pair(p) })}
      onKeep={() => keep("move the origin")}
    >
      {arm(1, 0, "x", "var(--color-run-a)")}
      {arm(0, 1, "y", "var(--color-run-b)")}
      <circle cx={at[0]} cy={at[1]} r={13} fill="transparent" />
      <path
        d={`M${at[0]} ${at[1] - 7}L${at[0] + 7} ${at[1]}L${at[0]} ${at[1] + 7}L${at[0] - 7} ${at[1]}Z`}
        fill="#fff"
        stroke="#2b6e64"
        strokeWidth={2.2}
      />
    </Handle>
  );
}
