import { bent, cameraOf } from "../geometry/camera";
import { type ImagePoint, pair } from "../geometry/points";
import type { MarkProps } from "../marks/props";
import { Tag } from "../stage/Tag";

const STEPS = 16;

/** The horizon with the band that it lies in, 19 times of 20. */
export function Horizon({ derived, document, frame }: MarkProps) {
  const answer = derived.camera;
  const ends = answer?.horizon;
  const picture = document.photograph;
  if (!answer || !ends || !picture) return null;
  const camera = cameraOf(answer);
  const [left, right] = [pair(ends[0] ?? []), pair(ends[1] ?? [])];
  const middle = (left[1] + right[1]) / 2;
  if (middle < 0 || middle > picture.height)
    return <Beyond middle={middle} picture={picture} frame={frame} />;
  const sigma = answer.horizon_sigma_px ?? [0, 0];
  const wide = [1.96 * (sigma[0] ?? 0), 1.96 * (sigma[1] ?? 0)] as const;
  const line = (side: number) =>
    Array.from({ length: STEPS + 1 }, (_, i): ImagePoint | null => {
      const t = i / STEPS;
      const y = left[1] + t * (right[1] - left[1]) + side * (wide[0] + t * (wide[1] - wide[0]));
      return bent(camera, [left[0] + t * (right[0] - left[0]), y]);
    })
      .filter((p) => p !== null)
      .map((p) => frame.toScreen(p));
  const path = (points: readonly (readonly [number, number])[]) =>
    points.map((p, i) => `${i ? "L" : "M"}${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join("");
  const [upper, lower, along] = [line(-1), line(1), line(0)];
  const last = along.at(-1);
  const broad = Math.max(...wide) * frame.zoom.scale;
  return (
    <g data-testid="horizon" fill="none">
      {broad > 1 && (
        <path
          d={`${path([...upper, ...lower.reverse()])}Z`}
          fill="#faf8f4"
          fillOpacity={0.3}
          clipPath="url(#photograph)"
        />
      )}
      <path d={path(along)} stroke="#22262b" strokeOpacity={0.55} strokeWidth={3} />
      <path d={path(along)} stroke="#fff" strokeWidth={1.2} strokeDasharray="14 4 2 4" />
      {last && <Tag x={last[0] - 64} y={last[1] + 20 + Math.min(broad, 60)} text="horizon" />}
    </g>
  );
}

type BeyondProps = {
  middle: number;
  picture: { width: number; height: number };
  frame: MarkProps["frame"];
};

/** A horizon outside the picture: which way, and how far. */
function Beyond({ middle, picture, frame }: BeyondProps) {
  const above = middle < 0;
  const [x, y] = frame.toScreen([picture.width / 2, above ? 0 : picture.height]);
  const far = (above ? -middle : middle - picture.height).toFixed(0);
  const text = `${above ? "↑" : "↓"} horizon ${far} px ${above ? "above" : "below"} the picture`;
  return <Tag x={x - 90} y={y + (above ? 22 : -12)} text={text} />;
}
