import { pair } from "../geometry/points";
import type { MarkProps } from "./Marks";
import { Tag } from "./Tag";

/** The horizon with the band that it lies in, 19 times of 20. */
export function Horizon({ derived, document, frame }: MarkProps) {
  const camera = derived.camera;
  const ends = camera?.horizon;
  if (!camera || !ends) return null;
  const [left, right] = [pair(ends[0] ?? []), pair(ends[1] ?? [])];
  const [[x1, y1], [x2, y2]] = [frame.toScreen(left), frame.toScreen(right)];
  const wide = (camera.horizon_sigma_px ?? [0, 0]).map((sigma) => 1.96 * sigma * frame.zoom.scale);
  const [w1, w2] = [wide[0] ?? 0, wide[1] ?? 0];
  const height = document.photograph?.height ?? 0;
  const middle = (left[1] + right[1]) / 2;
  const beyond = middle < 0 ? "above" : middle > height ? "below" : null;
  if (beyond) {
    const edge = frame.toScreen([(document.photograph?.width ?? 0) / 2, beyond === "above" ? 0 : height]);
    const far = Math.abs(beyond === "above" ? middle : middle - height);
    return (
      <Tag
        x={edge[0] - 90}
        y={edge[1] + (beyond === "above" ? 22 : -12)}
        text={`${beyond === "above" ? "↑" : "↓"} horizon ${far.toFixed(0)} px ${beyond} the picture`}
      />
    );
  }
  return (
    <g data-testid="horizon">
      {Math.max(w1, w2) > 1 && (
        <path
          d={`M${x1} ${y1 - w1}L${x2} ${y2 - w2}V${y2 + w2}L${x1} ${y1 + w1}Z`}
          fill="#faf8f4"
          fillOpacity={0.3}
          clipPath="url(#photograph)"
        />
      )}
      <line x1={x1} y1={y1} x2={x2} y2={y2} stroke="#22262b" strokeOpacity={0.55} strokeWidth={3} />
      <line x1={x1} y1={y1} x2={x2} y2={y2} stroke="#fff" strokeWidth={1.2} strokeDasharray="14 4 2 4" />
      <Tag x={x2 - 64} y={y2 - 8 - Math.min(w2, 60)} text="horizon" />
    </g>
  );
}
