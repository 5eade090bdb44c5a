import type { Length, LengthAnswer } from "../../api/client";
import { apart, type ImagePoint, middle, pair, type ScreenPoint } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { usePicked } from "../../state/editor";
import type { MarkProps } from "../props";
import { disagrees, lengthText } from "./words";

const ENDS = ["from", "to"] as const;

/** Marked lengths: yardsticks (known) with full ticks, measured ones with half ticks. */
export function LengthOverlay(props: MarkProps) {
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

function LengthMark({ shot, frame, length, number, answer }: Props) {
  const { move, keep, change } = useChange(shot.id);
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
    move({ lengths: { [length.id]: { [end]: pair(p) } } });
  const remove = () => void change({ lengths: { [length.id]: null } }, `strike out ${name.toLowerCase()}`);
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

export function Dot({ at, tone }: { at: ScreenPoint; tone: string }) {
  return (
    <>
      <circle cx={at[0]} cy={at[1]} r={12} fill="transparent" />
      <circle cx={at[0]} cy={at[1]} r={4.5} fill="#fff" stroke={tone} strokeWidth={2} />
    </>
  );
}
