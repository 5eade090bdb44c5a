import type { PaneAnswer } from "../api/client";
import type { Frame } from "../geometry/frame";
import { type ImagePoint, pair } from "../geometry/points";
import { RoundGrip } from "./Grips";
import { Handle } from "./Handle";
import { Tag } from "./Tag";

const NAMES = ["top left", "top right", "bottom right", "bottom left"] as const;

type Corner = readonly [number, number];
export type FourCorners = {
  id: string;
  name: string;
  corners: readonly [Corner, Corner, Corner, Corner];
  foot: Corner | null;
  width_m: number | null;
};

type Props = {
  frame: Frame;
  thing: FourCorners;
  answer: PaneAnswer | undefined;
  chosen: boolean;
  tone: string;
  onChoose: () => void;
  onMove: (values: { corners?: FourCorners["corners"]; foot?: Corner }) => void;
  onKeep: (label: string) => void;
  onRemove: () => void;
};

/** What hangs on four corners of the photograph; of the chosen one corners and foot can be pulled. */
export function Quad({ frame, thing, answer, chosen, tone, onChoose, onMove, onKeep, onRemove }: Props) {
  const points = thing.corners.map((p) => frame.toScreen(p));
  const d = `M${points.map((p) => `${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join("L")}Z`;
  if (!chosen)
    return (
      <path
        d={d}
        fill="transparent"
        stroke="#fff"
        strokeOpacity={0.55}
        strokeDasharray="3 4"
        style={{ pointerEvents: "all", cursor: "pointer" }}
        onPointerDown={(event) => {
          event.stopPropagation();
          onChoose();
        }}
      />
    );
  const put = (corner: number, to: ImagePoint) =>
    onMove({
      corners: thing.corners.map((p, i) =>
        i === corner ? pair(to) : p,
      ) as unknown as FourCorners["corners"],
    });
  const [lower] = points.slice(3);
  const foot = thing.foot && frame.toScreen(thing.foot);
  return (
    <g>
      <path d={d} fill="none" stroke="#fff" strokeOpacity={0.8} strokeWidth={4} />
      <path d={d} fill="none" stroke={answer?.reason ? "var(--color-oxide)" : tone} strokeWidth={1.8} />
      {thing.corners.map((corner, i) => (
        <Handle
          key={i}
          frame={frame}
          at={corner}
          loupe
          label={`${thing.name}, ${NAMES[i]} corner`}
          onMove={(to) => put(i, to)}
          onKeep={() => onKeep(`corner of ${thing.name}`)}
          onDelete={onRemove}
        >
          <RoundGrip at={points[i] ?? [0, 0]} tone={tone} filled={i === 0} />
        </Handle>
      ))}
      {foot && lower && thing.foot && thing.width_m === null && (
        <>
          <line
            x1={lower[0]}
            y1={lower[1]}
            x2={foot[0]}
            y2={foot[1]}
            stroke={tone}
            strokeWidth={1.6}
            strokeDasharray="2 4"
          />
          <Handle
            frame={frame}
            at={thing.foot}
            loupe
            label={`${thing.name}, the ground plumb below its bottom left corner`}
            onMove={(to) => onMove({ foot: pair(to) })}
            onKeep={() => onKeep(`foot of ${thing.name}`)}
          >
            <circle cx={foot[0]} cy={foot[1]} r={13} fill="transparent" />
            <path
              d={`M${foot[0] - 7} ${foot[1]}H${foot[0] + 7}M${foot[0]} ${foot[1] - 7}V${foot[1]}`}
              stroke={tone}
              strokeWidth={2.5}
            />
          </Handle>
        </>
      )}
      {answer?.width_m != null && answer.height_m != null && (
        <Tag
          x={(points[1]?.[0] ?? 0) + 10}
          y={points[1]?.[1] ?? 0}
          text={`${answer.width_m.toFixed(2)} × ${answer.height_m.toFixed(2)} m`}
        />
      )}
    </g>
  );
}
