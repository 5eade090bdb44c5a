import type { Placed } from "../../api/client";
import { footprintOf } from "../../geometry/footprint";
import { footOf, rowOf, withinCarrier } from "../../geometry/standing";
import { useModel } from "../../live/models";
import { useChange } from "../../state/changes";
import { isChosen, useEditor } from "../../state/editor";
import type { PlanFrame, PlanProps } from "../props";

/** Footprints of the models and their copies, to be slid over the plan. */
export function ModelGlyphs({ shot, document, plan }: PlanProps) {
  const { move } = useChange(shot.id);
  return document.models
    .filter((placed) => !placed.hidden)
    .map((placed) => (
      <Footprint
        key={placed.id}
        placed={placed}
        things={document.models}
        plan={plan}
        onMove={(x, y) => {
          useEditor.getState().select({ kind: "model", id: placed.id });
          const { foot } = footOf(placed, document.models);
          const [u, v] = withinCarrier(placed, document.models, [x, y, foot[2]]);
          move({ models: { [placed.id]: { position_m: [u, v, placed.position_m[2]] } } });
        }}
      />
    ));
}

type Props = { placed: Placed; things: Placed[]; plan: PlanFrame; onMove: (x: number, y: number) => void };

function Footprint({ placed, things, plan, onMove }: Props) {
  const model = useModel(placed.file);
  const chosen = useEditor((state) => isChosen(state.selection, placed.id));
  const drawn = rowOf(placed).map((one, i) => {
    const print = footprintOf(one, model, things);
    const [x, y] = plan.to(...print.at);
    const angle = -(print.turn + plan.turn) * (180 / Math.PI);
    const [wide, deep] = [
      Math.max(2 * print.half[0] * plan.scale, 6),
      Math.max(2 * print.half[1] * plan.scale, 6),
    ];
    return (
      <g key={i} transform={`translate(${x} ${y}) rotate(${angle})`}>
        <rect x={-wide / 2 - 4} y={-deep / 2 - 4} width={wide + 8} height={deep + 8} fill="transparent" />
        <rect
          x={-wide / 2}
          y={-deep / 2}
          width={wide}
          height={deep}
          rx={1.5}
          fill={i ? "none" : "var(--color-verdigris-soft)"}
          stroke="var(--color-verdigris)"
          strokeWidth={chosen ? 2.4 : 1.6}
        />
      </g>
    );
  });
  if (placed.locked) return <g data-testid={`plan-${placed.id}`}>{drawn}</g>;
  return (
    <g
      {...plan.dragging(onMove, `slide the ${placed.name}`)}
      className="cursor-grab"
      data-testid={`plan-${placed.id}`}
    >
      {drawn}
    </g>
  );
}
