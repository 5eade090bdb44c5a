import type { ScreenPoint } from "../geometry/points";

type Props = { at: ScreenPoint; tone?: string; filled?: boolean };

const REACH = 13;

/** The look of a handle that slides or lifts: a disc, with room about it for the hand. */
export function RoundGrip({ at: [x, y], tone = "var(--color-verdigris)", filled = false }: Props) {
  return (
    <>
      <circle cx={x} cy={y} r={REACH} fill="transparent" />
      <circle
        cx={x}
        cy={y}
        r={5.5}
        fill={filled ? tone : "#fff"}
        stroke={filled ? "#fff" : tone}
        strokeWidth={2}
      />
    </>
  );
}

/** The look of a handle that sizes or tips: a square. */
export function SquareGrip({ at: [x, y], tone = "var(--color-verdigris)", filled = false }: Props) {
  return (
    <>
      <circle cx={x} cy={y} r={REACH} fill="transparent" />
      <rect
        x={x - 5}
        y={y - 5}
        width={10}
        height={10}
        rx={2}
        fill={filled ? tone : "#fff"}
        stroke={filled ? "#fff" : tone}
        strokeWidth={2}
      />
    </>
  );
}
