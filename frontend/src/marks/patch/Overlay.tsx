import { pair } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { usePicked } from "../../state/editor";
import type { MarkProps } from "../props";
import { standing } from "./words";

/** How far outside the ring its size is gripped: a small patch is still to be moved by its middle. */
const GRIP_PX = 16;

/** Patches as rings: a bright one in the sun, a dark one in shade; the chosen one can be sized by its edge. */
export function PatchOverlay({ shot, document, derived, frame }: MarkProps) {
  const { move, keep, change } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  return (
    <g>
      {document.patches.map((patch, number) => {
        const answer = derived.balance?.patches[number];
        const [x, y] = frame.toScreen(patch.at);
        const radius = Math.max(patch.radius_px * frame.zoom.scale, 4);
        const chosen = selection?.kind === "patch" && selection.id === patch.id;
        const tone = answer?.wrong || (answer?.reason && !answer.least) ? "var(--color-oxide)" : "#22262b";
        const edge: [number, number] = [patch.at[0] + patch.radius_px, patch.at[1]];
        return (
          <g key={patch.id}>
            <Handle
              frame={frame}
              at={patch.at}
              label={`Patch ${number + 1}`}
              cursor="move"
              onGrab={() => select({ kind: "patch", id: patch.id })}
              onMove={(to) => move({ patches: { [patch.id]: { at: pair(to) } } })}
              onKeep={() => keep(`move patch ${number + 1}`)}
              onDelete={() => void change({ patches: { [patch.id]: null } }, `remove patch ${number + 1}`)}
            >
              <circle cx={x} cy={y} r={Math.max(radius, 11)} fill="transparent" />
              <circle
                cx={x}
                cy={y}
                r={radius}
                fill="none"
                stroke={answer?.in_sun ? tone : "#fff"}
                strokeWidth={4}
              />
              <circle
                cx={x}
                cy={y}
                r={radius}
                fill="none"
                stroke={answer?.in_sun ? "#ffe9b8" : tone}
                strokeWidth={2}
              />
            </Handle>
            {chosen && (
              <Handle
                frame={frame}
                at={edge}
                label={`Size of patch ${number + 1}`}
                cursor="ew-resize"
                onMove={([to]) => {
                  const radius_px = Math.min(Math.max(Math.abs(to - patch.at[0]), 1), 400);
                  move({ patches: { [patch.id]: { radius_px } } });
                }}
                onKeep={() => keep(`size of patch ${number + 1}`)}
              >
                <line
                  x1={x + radius}
                  y1={y}
                  x2={x + radius + GRIP_PX}
                  y2={y}
                  stroke={tone}
                  strokeWidth={1.4}
                />
                <circle cx={x + radius + GRIP_PX} cy={y} r={11} fill="transparent" />
                <rect
                  x={x + radius + GRIP_PX - 4}
                  y={y - 4}
                  width={8}
                  height={8}
                  rx={2}
                  fill="#fff"
                  stroke={tone}
                  strokeWidth={2}
                />
              </Handle>
            )}
            <Tag
              x={x + radius + (chosen ? GRIP_PX + 10 : 5)}
              y={y + 4}
              text={chosen ? `${number + 1} · ${standing(answer)}` : `${number + 1}`}
              tone={tone}
            />
          </g>
        );
      })}
    </g>
  );
}
