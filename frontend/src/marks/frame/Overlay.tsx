import { image } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { useChange } from "../../state/changes";
import { type Step, useEditor, usePicked } from "../../state/editor";
import type { MarkProps } from "../props";
import { cornersOf, pulled } from "./shape";

/** How far what lies outside is dimmed: where marks are drawn it is still looked at. */
const DIMMED: Partial<Record<Step, number>> = {
  photo: 0.72,
  place: 0.6,
  contact: 0.6,
  blend: 0.82,
  deliver: 0.82,
};

const NAMES = ["top left", "top right", "bottom right", "bottom left"];

/** What lies outside the frame is dimmed; in the Photo step it is pulled by its corners. */
export function FrameOverlay({ shot, document, frame: stage }: MarkProps) {
  const { move, keep } = useChange(shot.id);
  const { step } = usePicked("step");
  const guides = useEditor((state) => state.guides);
  const crop = document.frame;
  if (!crop) return null;
  const corners = cornersOf(crop);
  const at = corners.map((point) => stage.toScreen(point));
  const ring = `M${at.map(([x, y]) => `${x} ${y}`).join("L")}Z`;
  const own = step === "photo";
  const middle = image(crop.x + crop.width / 2, crop.y + crop.height / 2);
  const mark = stage.toScreen(middle);
  return (
    <g>
      <path
        d={`M0 0H${stage.width}V${stage.height}H0Z${ring}`}
        fillRule="evenodd"
        fill="#5d5d5d"
        fillOpacity={DIMMED[step] ?? 0.3}
      />
      <path d={ring} fill="none" stroke="#fff" strokeWidth={own ? 1.6 : 1} />
      {own && guides !== "none" && <Guides at={at} kind={guides} />}
      {own && (
        <Handle
          frame={stage}
          at={middle}
          label="The frame’s middle"
          cursor="move"
          onMove={(p) =>
            move({
              frame: { ...crop, x: Math.round(p[0] - crop.width / 2), y: Math.round(p[1] - crop.height / 2) },
            })
          }
          onKeep={() => keep("move the frame")}
        >
          <circle cx={mark[0]} cy={mark[1]} r={11} fill="#fff" fillOpacity={0.85} />
          <path
            d={`M${mark[0] - 6} ${mark[1]}H${mark[0] + 6}M${mark[0]} ${mark[1] - 6}V${mark[1] + 6}`}
            stroke="#2b6e64"
            strokeWidth={2}
          />
        </Handle>
      )}
      {own &&
        corners.map((corner, n) => (
          <Handle
            key={NAMES[n]}
            frame={stage}
            at={corner}
            label={`The frame’s ${NAMES[n]} corner`}
            onMove={(p) => move({ frame: pulled(crop, n, p) })}
            onKeep={() => keep("pull the frame")}
          >
            <circle cx={at[n]?.[0]} cy={at[n]?.[1]} r={12} fill="transparent" />
            <rect
              x={(at[n]?.[0] ?? 0) - 5}
              y={(at[n]?.[1] ?? 0) - 5}
              width={10}
              height={10}
              transform={`rotate(45 ${at[n]?.[0]} ${at[n]?.[1]})`}
              fill="#fff"
              stroke="#2b6e64"
              strokeWidth={2}
            />
          </Handle>
        ))}
    </g>
  );
}

/** Lines to compose by. */
function Guides({ at, kind }: { at: (readonly [number, number])[]; kind: "thirds" | "diagonals" }) {
  const [a, b, c, d] = at;
  if (!a || !b || !c || !d) return null;
  const between = (p: readonly [number, number], q: readonly [number, number], t: number) =>
    `${p[0] + t * (q[0] - p[0])} ${p[1] + t * (q[1] - p[1])}`;
  const lines =
    kind === "diagonals"
      ? [`M${a}L${c}`, `M${b}L${d}`]
      : [1 / 3, 2 / 3].flatMap((t) => [
          `M${between(a, b, t)}L${between(d, c, t)}`,
          `M${between(a, d, t)}L${between(b, c, t)}`,
        ]);
  return (
    <g>
      <path d={lines.join("")} stroke="#000" strokeOpacity={0.35} strokeWidth={2} fill="none" />
      <path d={lines.join("")} stroke="#fff" strokeOpacity={0.8} strokeWidth={0.8} fill="none" />
    </g>
  );
}
