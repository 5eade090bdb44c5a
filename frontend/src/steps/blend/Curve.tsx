import { useRef } from "react";
import { type Point, slopesOf, withEnds } from "../../geometry/curve";
import { Button } from "../../ui/controls";

type Props = {
  points: readonly Point[];
  onMove: (points: Point[]) => void;
  onKeep: (label: string) => void;
};

const SIDE = 132;
const MOST = 16;
const NEAR = 0.02;

/** A curve of tones, from black at the left to white: a click sets a point, a drag moves it, a double click takes it away. */
export function Curve({ points, onMove, onKeep }: Props) {
  const box = useRef<SVGSVGElement>(null);
  const held = useRef<number | null>(null);
  const at = (event: { clientX: number; clientY: number }): Point => {
    const edge = box.current?.getBoundingClientRect();
    if (!edge) return [0, 0];
    const share = (v: number) => Math.min(Math.max(v, 0), 1);
    return [
      share((event.clientX - edge.left) / edge.width),
      share(1 - (event.clientY - edge.top) / edge.height),
    ];
  };
  /** A point goes no further than its neighbours. */
  const moved = (n: number, [x, y]: Point): Point[] => {
    const low = (points[n - 1]?.[0] ?? -NEAR) + NEAR;
    const high = (points[n + 1]?.[0] ?? 1 + NEAR) - NEAR;
    return points.map((one, m) => (m === n ? [Math.min(Math.max(x, low), high), y] : one));
  };
  const press = (event: React.PointerEvent<SVGSVGElement>) => {
    const [x, y] = at(event);
    const near = points.findIndex((one) => Math.hypot(one[0] - x, one[1] - y) < 0.06);
    event.currentTarget.setPointerCapture(event.pointerId);
    if (near >= 0) {
      held.current = near;
      return;
    }
    if (points.length >= MOST || points.some((one) => Math.abs(one[0] - x) < NEAR)) return;
    const next = [...points, [x, y] as Point].sort((a, b) => a[0] - b[0]);
    held.current = next.findIndex((one) => one[0] === x);
    onMove(next);
  };
  const strike = (n: number) => {
    onMove(points.filter((_, m) => m !== n));
    onKeep("a point of the curve struck out");
  };
  const step = (n: number, event: React.KeyboardEvent) => {
    const way = { ArrowLeft: [-0.01, 0], ArrowRight: [0.01, 0], ArrowUp: [0, 0.01], ArrowDown: [0, -0.01] }[
      event.key
    ];
    const one = points[n];
    if (event.key === "Delete" || event.key === "Backspace") strike(n);
    if (!way || !one) return;
    event.preventDefault();
    const share = (v: number) => Math.min(Math.max(v, 0), 1);
    onMove(moved(n, [share(one[0] + (way[0] ?? 0)), share(one[1] + (way[1] ?? 0))]));
    onKeep("curve");
  };
  return (
    <div className="flex items-start gap-3 py-1.5">
      <svg
        ref={box}
        viewBox={`0 0 ${SIDE} ${SIDE}`}
        width={SIDE}
        height={SIDE}
        role="group"
        aria-label="Curve of tones"
        className="shrink-0 cursor-crosshair touch-none rounded border border-lime-300 bg-white"
        onPointerDown={press}
        onPointerMove={(event) => held.current !== null && onMove(moved(held.current, at(event)))}
        onPointerUp={() => {
          if (held.current !== null) onKeep("curve");
          held.current = null;
        }}
        onPointerCancel={() => {
          held.current = null;
        }}
      >
        <path
          d={`M0 ${SIDE / 2}H${SIDE}M${SIDE / 2} 0V${SIDE}M0 ${SIDE}L${SIDE} 0`}
          stroke="#e7e2d7"
          fill="none"
        />
        <path d={path(points)} fill="none" strokeWidth="1.6" className="stroke-verdigris" />
        {points.map(([x, y], n) => (
          <circle
            key={n}
            cx={x * SIDE}
            cy={(1 - y) * SIDE}
            r="4.5"
            tabIndex={0}
            role="slider"
            aria-label={`Point ${n + 1} of the curve`}
            aria-valuenow={Math.round(100 * y)}
            aria-valuetext={`${Math.round(100 * x)} % becomes ${Math.round(100 * y)} %`}
            strokeWidth="2"
            className="cursor-grab fill-white stroke-verdigris"
            onDoubleClick={() => strike(n)}
            onKeyDown={(event) => step(n, event)}
          />
        ))}
      </svg>
      <div className="text-xs leading-[1.5] text-ink-500">
        A click sets a point, a drag moves it, a double click takes it away.
        {points.length > 0 && (
          <Button
            className="mt-2 block"
            onClick={() => {
              onMove([]);
              onKeep("no curve");
            }}
          >
            Straight again
          </Button>
        )}
      </div>
    </div>
  );
}

/** As it is drawn: a cubic from each point to the next. */
function path(points: readonly Point[]): string {
  const all = withEnds(points);
  const slopes = slopesOf(all);
  const parts = all.slice(1).map((to, n) => {
    const from = all[n] as Point;
    const h = (to[0] - from[0]) / 3;
    const [a, b] = [from[1] + h * (slopes[n] ?? 0), to[1] - h * (slopes[n + 1] ?? 0)];
    return `C${xy([from[0] + h, a])} ${xy([to[0] - h, b])} ${xy(to)}`;
  });
  return `M${xy(all[0] as Point)}${parts.join("")}`;
}

const xy = ([x, y]: Point) => `${(x * SIDE).toFixed(2)} ${((1 - y) * SIDE).toFixed(2)}`;
