import { image } from "../../geometry/points";
import { cornersOf, wholeFrame } from "../frame/shape";
import type { MarkProps } from "../props";
import { numbered, repliesTo } from "./numbered";

/** Clients' pins where they set them, in the delivered frame. */
export function ReplyOverlay({ shot, document, frame }: MarkProps) {
  const { photograph } = document;
  if (!photograph) return null;
  const [a, b, , d] = cornersOf(document.frame ?? wholeFrame(photograph));
  if (!a || !b || !d) return null;
  return (
    <g>
      {numbered(repliesTo({ shot, document })).map(({ reply, pin, number }) => {
        const [u, v] = pin.at;
        const [x, y] = frame.toScreen(
          image(a[0] + u * (b[0] - a[0]) + v * (d[0] - a[0]), a[1] + u * (b[1] - a[1]) + v * (d[1] - a[1])),
        );
        return (
          <g key={`${reply.id}${number}`}>
            <title>{pin.text}</title>
            <circle cx={x} cy={y} r={12} fill="#2b6e64" stroke="#fff" strokeWidth={2} />
            <text x={x} y={y + 4} textAnchor="middle" fontSize={12} fontWeight={600} fill="#fff">
              {number}
            </text>
          </g>
        );
      })}
    </g>
  );
}
