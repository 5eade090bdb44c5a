import type { Placed } from "../../api/client";
import { standing } from "../../geometry/standing";
import { useModel } from "../../live/models";
import { useChange } from "../../state/changes";
import { useEditor } from "../../state/editor";
import type { PlanFrame, PlanProps } from "../props";

/** Footprints of the models, to be slid over the plan. */
export function ModelGlyphs({ shot, document, plan }: PlanProps) {
  const { move } = useChange(shot.id);
  return document.models.map((placed) => (
    <Footprint
      key={placed.id}
      placed={placed}
      plan={plan}
      onMove={(x, y) => {
        useEditor.getState().select({ kind: "model", id: placed.id });
        move({ models: { [placed.id]: { position_m: [x, y, placed.position_m[2]] } } });
      }}
    />
  ));
}

type Props = { placed: Placed; plan: PlanFrame; onMove: (x: number, y: number) => void };

function Footprint({ placed, plan, onMove }: Props) {
  const model = useModel(placed.file);
  const chosen = useEditor((state) => state.selection?.id === placed.id);
  const [w, d] = model ? standing(placed, model).size : [0.5, 0.5];
  const [x, y] = plan.to(placed.position_m[0], placed.position_m[1]);
  const angle = -((placed.turn_deg * Math.PI) / 180 + plan.turn) * (180 / Math.PI);
  const [wide, deep] = [Math.max(w * plan.scale, 6), Math.max(d * plan.scale, 6)];
  return (
    <g
      {...plan.dragging(onMove, `slide the ${placed.name}`)}
      transform={`translate(${x} ${y}) rotate(${angle})`}
      className="cursor-grab"
      data-testid={`plan-${placed.id}`}
    >
      <rect x={-wide / 2 - 4} y={-deep / 2 - 4} width={wide + 8} height={deep + 8} fill="transparent" />
      <rect
        x={-wide / 2}
        y={-deep / 2}
        width={wide}
        height={deep}
        rx={1.5}
        fill="var(--color-verdigris-soft)"
        stroke="var(--color-verdigris)"
        strokeWidth={chosen ? 2.4 : 1.6}
      />
    </g>
  );
}
