import type { Shot } from "../api/client";
import { usePicked } from "../state/editor";
import { useOnShow } from "../take/state";
import type { MarkProps } from "./props";

type Drawn = {
  id: string;
  frame: number;
  points: [number, number][];
  radius_px: number;
  says: "in" | "out" | "shadow";
};

const COLOURS = { in: "var(--color-verdigris)", out: "var(--color-ink-900)", shadow: "#4070e8" };

/** Strokes of the frame on show, laid over it while one of their kind is in the hand or chosen. */
export function strokesOverlay(of: (document: Shot) => Drawn[]) {
  return function Strokes({ document, frame }: MarkProps) {
    const on = useOnShow((state) => state.frame);
    const { tool } = usePicked("tool");
    const drawn = of(document).filter((one) => one.frame === on);
    return (
      <g opacity={tool ? 0.5 : 0.22}>
        {drawn.map(({ id, points, radius_px, says }) => (
          <path
            key={id}
            data-testid="take-stroke"
            d={points.map((p, i) => `${i ? "L" : "M"}${frame.toScreen(p).join(" ")}`).join("")}
            fill="none"
            stroke={COLOURS[says]}
            strokeWidth={Math.max(3, 2 * radius_px * frame.zoom.scale)}
            strokeLinecap="round"
            strokeLinejoin="round"
          />
        ))}
      </g>
    );
  };
}
