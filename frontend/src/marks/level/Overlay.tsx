import { rangedMetres } from "../../geometry/measure";
import { type ImagePoint, pair } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { Dot } from "../length/Overlay";
import type { MarkProps } from "../props";

/** Levels that were pointed at: the foot on the ground, the level's edge plumb above, and its height. */
export function LevelOverlay({ shot, document, derived, frame }: MarkProps) {
  const { move, keep } = useChange(shot.id);
  return document.levels.map((level) => {
    if (!level.foot || !level.at) return null;
    const [foot, at] = [frame.toScreen(level.foot), frame.toScreen(level.at)];
    const answer = derived.levels.find((one) => one.id === level.id);
    const put = (end: "foot" | "at", p: ImagePoint) => move({ levels: { [level.id]: { [end]: pair(p) } } });
    const d = `M${foot[0]} ${foot[1]}L${at[0]} ${at[1]}M${at[0] - 14} ${at[1]}H${at[0] + 14}`;
    const height = answer?.height_m;
    return (
      <g key={level.id}>
        <path d={d} stroke="#fff" strokeOpacity={0.8} strokeWidth={5} />
        <path d={d} stroke="var(--color-verdigris-deep)" strokeWidth={2} />
        <Tag
          x={at[0] + 18}
          y={at[1] + 5}
          text={`${level.name || "level"} ${height == null ? "?" : rangedMetres(height, answer?.sigma_m ?? null)}`}
          tone="var(--color-verdigris-deep)"
        />
        {(["foot", "at"] as const).map((end) => (
          <Handle
            key={end}
            frame={frame}
            at={level[end] ?? [0, 0]}
            loupe
            label={`${level.name || "Level"}, ${end === "foot" ? "foot on the ground" : "edge"}`}
            onMove={(p) => put(end, p)}
            onKeep={() => keep("move a level")}
          >
            <Dot at={end === "foot" ? foot : at} tone="var(--color-verdigris-deep)" />
          </Handle>
        ))}
      </g>
    );
  });
}
