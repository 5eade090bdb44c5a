import { pair } from "../../geometry/points";
import { useOnShow } from "../../take/state";
import type { Kind } from "../kind";
import type { MarkProps } from "../props";

/** Somebody who passes before or behind the models, whatever their feet say. */
export const kind: Kind = {
  name: "passing",
  rank: 82,
  tool: {
    grasp: "clicks",
    prompts: ["click the one who passes"],
    make([at], { document, id }) {
      const { frame } = useOnShow.getState();
      const { take } = document;
      if (!take || !at || frame === null) return null;
      const told = { id, frame, at: pair(at), first: take.first, last: take.last, side: "before" as const };
      const spanned = { ...told, first: Math.min(take.first, frame), last: Math.max(take.last, frame) };
      return { patch: { passings: { [id]: spanned } }, label: "passes before the models", id };
    },
  },
  on: ["contact"],
  Overlay: Passings,
};

function Passings({ document, frame }: MarkProps) {
  const on = useOnShow((state) => state.frame);
  return document.passings
    .filter((one) => one.frame === on)
    .map((one) => {
      const [x, y] = frame.toScreen(one.at);
      return (
        <g key={one.id} data-testid="passing">
          <circle cx={x} cy={y} r={7} fill="none" stroke="#fff" strokeWidth={4.5} />
          <circle cx={x} cy={y} r={7} fill="none" stroke="var(--color-ink-900)" strokeWidth={2} />
        </g>
      );
    });
}
