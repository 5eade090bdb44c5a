import type { Gnomon } from "../../api/client";
import { type ImagePoint, pair } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import type { MarkProps } from "../props";

type MarkName = "foot" | "top" | "tip";
const MARKS: MarkName[] = ["foot", "top", "tip"];

/** Gnomons: foot (circle), top (square), shadow's tip (diamond). */
export function GnomonOverlay({ shot, document, frame, derived }: MarkProps) {
  const { move, keep, change } = useChange(shot.id);
  const place = (gnomon: Gnomon, name: MarkName, to: ImagePoint) => ({ [gnomon.id]: { [name]: pair(to) } });
  return (
    <g>
      {document.gnomons.map((gnomon, number) => {
        const points = { foot: gnomon.foot, top: gnomon.top, tip: gnomon.tip };
        const to = (name: MarkName) => {
          const point = points[name];
          return point && frame.toScreen(point);
        };
        const [foot, top, tip] = [to("foot"), to("top"), to("tip")];
        const body = foot && top ? `M${foot[0]} ${foot[1]}L${top[0]} ${top[1]}` : "";
        const sharp = gnomon.by_hand ? undefined : gnomon.shadow?.points;
        const [start, end] = sharp
          ? [sharp[0], sharp.at(-1)].map((p) => p && frame.toScreen(p))
          : [foot, tip];
        const shadow = start && end ? `M${start[0]} ${start[1]}L${end[0]} ${end[1]}` : "";
        return (
          <g key={gnomon.id}>
            <path d={body + shadow} stroke="#fff" strokeOpacity={0.65} strokeWidth={4.6} />
            <path d={body} stroke="var(--color-oxide)" strokeWidth={2} />
            <path d={shadow} stroke="var(--color-oxide)" strokeWidth={2} strokeDasharray="6 4" />
            {top && (
              <Tag x={top[0] + 10} y={top[1] + 4} text={`gnomon ${number + 1}`} tone="var(--color-oxide)" />
            )}
            {MARKS.map((name) => {
              const point = points[name];
              if (!point) return null;
              return (
                <Handle
                  key={name}
                  frame={frame}
                  at={point}
                  loupe
                  label={`Gnomon ${number + 1}, ${name}`}
                  onMove={(p) => move({ gnomons: place(gnomon, name, p) })}
                  onKeep={() => keep(`move gnomon ${number + 1}`)}
                  onDelete={() =>
                    void change({ gnomons: { [gnomon.id]: null } }, `remove gnomon ${number + 1}`)
                  }
                >
                  <Shape name={name} x={frame.toScreen(point)[0]} y={frame.toScreen(point)[1]} />
                </Handle>
              );
            })}
          </g>
        );
      })}
      {derived.sun_reason && document.sun.kind === "gnomons" && document.gnomons.length > 0 && (
        <Tag x={12} y={26} text={derived.sun_reason} tone="var(--color-oxide)" />
      )}
    </g>
  );
}

function Shape({ name, x, y }: { name: MarkName; x: number; y: number }) {
  const look = { fill: "#fff", stroke: "var(--color-oxide)", strokeWidth: 2 };
  return (
    <g transform={`translate(${x} ${y})`}>
      <circle r={12} fill="transparent" />
      {name === "foot" && <circle r={4.6} {...look} />}
      {name === "top" && <rect x={-4.4} y={-4.4} width={8.8} height={8.8} {...look} />}
      {name === "tip" && <path d="M0 -6.4L6.4 0L0 6.4L-6.4 0Z" {...look} />}
    </g>
  );
}
