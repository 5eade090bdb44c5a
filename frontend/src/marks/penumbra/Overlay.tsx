import { type ImagePoint, pair } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import type { MarkProps } from "../props";

const BESIDE_PX = 26;

/** Strokes across soft edges with the band that was found, and a thread to what throws each. */
export function PenumbraOverlay({ shot, document, frame }: MarkProps) {
  const { move, keep, change } = useChange(shot.id);
  return (
    <g>
      {document.penumbras.map((mark, number) => {
        const [light, shade] = mark.across;
        if (!light || !shade) return null;
        const [a, b] = [frame.toScreen(light), frame.toScreen(shade)];
        const top = mark.top && frame.toScreen(mark.top);
        const points: { name: string; at: ImagePoint; moved: (to: ImagePoint) => object }[] = [
          { name: "light", at: light as ImagePoint, moved: (to) => ({ across: [pair(to), shade] }) },
          { name: "shade", at: shade as ImagePoint, moved: (to) => ({ across: [light, pair(to)] }) },
        ];
        if (mark.top)
          points.push({ name: "thrower", at: mark.top as ImagePoint, moved: (to) => ({ top: pair(to) }) });
        return (
          <g key={mark.id}>
            {top && (
              <path
                d={`M${(a[0] + b[0]) / 2} ${(a[1] + b[1]) / 2}L${top[0]} ${top[1]}`}
                stroke="#fff"
                strokeOpacity={0.6}
                strokeDasharray="2 4"
                strokeWidth={1.4}
              />
            )}
            {mark.soft && <Band {...mark.soft} toScreen={frame.toScreen} scale={frame.zoom.scale} />}
            <path d={`M${a[0]} ${a[1]}L${b[0]} ${b[1]}`} stroke="#fff" strokeOpacity={0.7} strokeWidth={4} />
            <path d={`M${a[0]} ${a[1]}L${b[0]} ${b[1]}`} stroke="var(--color-sun)" strokeWidth={1.8} />
            <Tag x={a[0] + 9} y={a[1] - 7} text={`soft edge ${number + 1}`} />
            {points.map(({ name, at, moved }) => {
              const [x, y] = frame.toScreen(at);
              return (
                <Handle
                  key={name}
                  frame={frame}
                  at={at}
                  loupe
                  label={`Soft edge ${number + 1}, ${name}`}
                  onMove={(to) => move({ penumbras: { [mark.id]: moved(to) } })}
                  onKeep={() => keep(`move soft edge ${number + 1}`)}
                  onDelete={() =>
                    void change({ penumbras: { [mark.id]: null } }, `remove soft edge ${number + 1}`)
                  }
                >
                  <circle cx={x} cy={y} r={12} fill="transparent" />
                  <circle
                    cx={x}
                    cy={y}
                    r={4.2}
                    fill={name === "shade" ? "#22262b" : "#fff"}
                    stroke="var(--color-sun)"
                    strokeWidth={2}
                  />
                </Handle>
              );
            })}
          </g>
        );
      })}
    </g>
  );
}

type BandProps = {
  middle: readonly [number, number];
  normal: readonly [number, number];
  width_px: number;
  toScreen: (point: readonly [number, number]) => readonly [number, number];
  scale: number;
};

/** Where the light begins and where it is whole again, as two thin lines along the edge. */
function Band({ middle: [x, y], normal: [nx, ny], width_px, toScreen, scale }: BandProps) {
  const reach = BESIDE_PX / scale;
  const line = (side: number) => {
    const [px, py] = [x + (side * nx * width_px) / 2, y + (side * ny * width_px) / 2];
    const [from, to] = [
      toScreen([px - ny * reach, py + nx * reach]),
      toScreen([px + ny * reach, py - nx * reach]),
    ];
    return `M${from.join(" ")}L${to.join(" ")}`;
  };
  return <path d={line(1) + line(-1)} stroke="var(--color-sun)" strokeWidth={1.4} fill="none" />;
}
