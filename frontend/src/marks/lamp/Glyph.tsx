import { pair } from "../../geometry/points";
import { useChange } from "../../state/changes";
import { useEditor } from "../../state/editor";
import type { PlanProps } from "../props";
import { seenAt } from "./place";

/** Lamps in the plan, to be slid over it. */
export function LampGlyphs({ shot, document, derived, plan, camera }: PlanProps) {
  const { move } = useChange(shot.id);
  return document.lamps.map((lamp) => {
    const position = derived.lamps.find(({ id }) => id === lamp.id)?.position_m;
    if (lamp.hidden || !position) return null;
    const [x, y] = plan.to(position[0], position[1]);
    const put = (u: number, v: number) => {
      useEditor.getState().select({ kind: "lamp", id: lamp.id });
      const to = { ...lamp, position_m: [u, v, position[2]] as [number, number, number] };
      // One that is marked in the photograph stays so as long as the camera sees it there.
      const seen = lamp.position_m ? null : seenAt(to, to.position_m, camera);
      move({
        lamps: {
          [lamp.id]: seen ? { at: pair(seen.at), foot: pair(seen.foot) } : { position_m: to.position_m },
        },
      });
    };
    return (
      <g
        key={lamp.id}
        {...plan.dragging(put, `move ${lamp.name}`)}
        className="cursor-grab"
        data-testid={`plan-${lamp.id}`}
      >
        <circle cx={x} cy={y} r={11} fill="transparent" />
        <path
          d={`M${x - 3} ${y - 5}H${x + 3}L${x + 6} ${y + 4}H${x - 6}Z`}
          fill={lamp.photographed ? "#fff" : "var(--color-sun)"}
          stroke="#7a5800"
          strokeWidth={1.3}
        />
        <title>{lamp.name}</title>
      </g>
    );
  });
}
