import type { Length, LengthAnswer, Level } from "../api/client";
import { rangedMetres } from "../geometry/measure";
import { apart, type ImagePoint, middle, pair, type ScreenPoint } from "../geometry/points";
import { useDraft } from "../state/draft";
import { usePicked } from "../state/editor";
import { Handle } from "./Handle";
import { disagrees, lengthText } from "./lengths";
import type { MarkProps } from "./Marks";
import { Tag } from "./Tag";

const ENDS = ["from", "to"] as const;

/** Marked lengths: yardsticks (known) with full ticks, measured ones with half ticks. */
export function LengthMarks(props: MarkProps) {
  return props.document.lengths.map((length, index) => (
    <LengthMark
      key={length.id}
      {...props}
      length={length}
      number={index + 1}
      answer={props.derived.lengths[index]}
    />
  ));
}

type Props = MarkProps & { length: Length; number: number; answer: LengthAnswer | undefined };

function LengthMark({ shot, document, frame, length, number, answer }: Props) {
  const { move, keep, change } = useDraft(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const chosen = selection?.kind === "length" && selection.id === length.id;
  const known = length.metres !== null;
  const [from, to] = [frame.toScreen(length.from), frame.toScreen(length.to)];
  const span = apart(from, to) || 1;
  const side = [-(to[1] - from[1]) / span, (to[0] - from[0]) / span] as const;
  const tick = (p: ScreenPoint) =>
    `M${p[0] - (known ? side[0] * 9 : 0)} ${p[1] - (known ? side[1] * 9 : 0)}L${p[0] + side[0] * 9} ${p[1] + side[1] * 9}`;
  const path = `M${from[0]} ${from[1]}L${to[0]} ${to[1]}${tick(from)}${tick(to)}`;
  const centre = middle(from, to);
  const name = known ? `Yardstick ${number}` : `Length ${number}`;
  const wrong = disagrees(answer);
  const put = (end: (typeof ENDS)[number] | "foot", p: ImagePoint) =>
    move({
      lengths: document.lengths.map((one) => (one.id === length.id ? { ...one, [end]: pair(p) } : one)),
    });
  const remove = () =>
    void change(
      { lengths: document.lengths.filter((one) => one.id !== length.id) },
      `strike out ${name.toLowerCase()}`,
    );
  const tone = wrong ? "var(--color-oxide)" : known ? "#22262b" : "var(--color-verdigris-deep)";
  return (
    <g>
      <path d={path} stroke="#fff" strokeOpacity={0.78} strokeWidth={chosen ? 6 : 5} />
      <path d={path} stroke={tone} strokeWidth={2} strokeDasharray={known ? "" : "7 3"} />
      {length.foot && <FootLine from={from} foot={frame.toScreen(length.foot)} />}
      <Tag x={centre[0] + 10} y={centre[1] - 8} text={lengthText(length, answer)} tone={tone} />
      {ENDS.map((end, index) => (
        <Handle
          key={end}
          frame={frame}
          at={length[end]}
          loupe
          label={`${name}, ${index ? "second" : "first"} end`}
          onGrab={() => select({ kind: "length", id: length.id })}
          onMove={(p) => put(end, p)}
          onKeep={() => keep(`move ${name.toLowerCase()}`)}
          onDelete={remove}
        >
          <Dot at={frame.toScreen(length[end])} tone={tone} />
        </Handle>
      ))}
    </g>
  );
}

function FootLine({ from, foot }: { from: ScreenPoint; foot: ScreenPoint }) {
  const d = `M${from[0]} ${from[1]}L${foot[0]} ${foot[1]}`;
  return <path d={d} stroke="#fff" strokeWidth={1.4} strokeDasharray="2 4" />;
}

function Dot({ at, tone }: { at: ScreenPoint; tone: string }) {
  return (
    <>
      <circle cx={at[0]} cy={at[1]} r={12} fill="transparent" />
      <circle cx={at[0]} cy={at[1]} r={4.5} fill="#fff" stroke={tone} strokeWidth={2} />
    </>
  );
}

/** Levels that were pointed at: the foot on the ground, the level's edge plumb above, and its height. */
export function LevelMarks({ shot, document, derived, frame }: MarkProps) {
  const { move, keep } = useDraft(shot.id);
  return document.levels.map((level) => {
    if (!level.foot || !level.at) return null;
    const [foot, at] = [frame.toScreen(level.foot), frame.toScreen(level.at)];
    const answer = derived.levels.find((one) => one.id === level.id);
    const put = (end: "foot" | "at", p: ImagePoint) =>
      move({
        levels: document.levels.map((one): Level => (one.id === level.id ? { ...one, [end]: pair(p) } : one)),
      });
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
