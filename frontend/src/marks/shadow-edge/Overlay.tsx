import type { ShadowEdge } from "../../api/client";
import { type ImagePoint, pair } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { usePicked } from "../../state/editor";
import type { MarkProps } from "../props";

/** Edges drawn out, their shadows dashed; a level edge's foot as a circle below it. */
export function ShadowEdgeOverlay({ shot, document, frame }: MarkProps) {
  const { move, keep, change } = useChange(shot.id);
  const { select } = usePicked("select");
  const path = (points: readonly (readonly [number, number])[]) =>
    points.map((point, i) => `${i ? "L" : "M"}${frame.toScreen(point).join(" ")}`).join("");
  return (
    <g>
      {document.shadow_edges.map((edge, number) => {
        const sharp = edge.by_hand ? null : edge;
        const edgeLine = path(sharp?.sharp_edge?.points ?? edge.edge);
        const shadowLine = path(sharp?.sharp_shadow?.points ?? edge.shadow);
        const [x, y] = frame.toScreen(edge.edge[0] ?? [0, 0]);
        return (
          <g key={edge.id}>
            <path d={edgeLine + shadowLine} stroke="#fff" strokeOpacity={0.65} strokeWidth={4.6} />
            <path d={edgeLine} stroke="var(--color-oxide)" strokeWidth={2} />
            <path d={shadowLine} stroke="var(--color-oxide)" strokeWidth={2} strokeDasharray="6 4" />
            <Tag x={x + 10} y={y + 4} text={`edge ${number + 1}`} tone="var(--color-oxide)" />
            {pointsOf(edge).map(({ name, at, moved }) => (
              <Handle
                key={name}
                frame={frame}
                at={at}
                loupe
                label={`Shadow’s edge ${number + 1}, ${name}`}
                onGrab={() => select({ kind: "shadow-edge", id: edge.id })}
                onMove={(to) => move({ shadow_edges: { [edge.id]: moved(to) } })}
                onKeep={() => keep(`move shadow’s edge ${number + 1}`)}
                onDelete={() =>
                  void change({ shadow_edges: { [edge.id]: null } }, `remove shadow’s edge ${number + 1}`)
                }
              >
                <Dot at={frame.toScreen(at)} square={name.startsWith("edge")} />
              </Handle>
            ))}
          </g>
        );
      })}
    </g>
  );
}

type Point = { name: string; at: ImagePoint; moved: (to: ImagePoint) => Partial<ShadowEdge> };

function pointsOf(edge: ShadowEdge): Point[] {
  const ends = (list: "edge" | "shadow") =>
    edge[list].map((at, number) => ({
      name: `${list}, end ${number + 1}`,
      at,
      moved: (to: ImagePoint) => ({ [list]: edge[list].map((one, i) => (i === number ? pair(to) : one)) }),
    }));
  const foot = edge.foot;
  return [
    ...ends("edge"),
    ...ends("shadow"),
    ...(foot ? [{ name: "foot", at: foot, moved: (to: ImagePoint) => ({ foot: pair(to) }) }] : []),
  ] as Point[];
}

function Dot({ at: [x, y], square }: { at: readonly [number, number]; square: boolean }) {
  const look = { fill: "#fff", stroke: "var(--color-oxide)", strokeWidth: 2 };
  return (
    <g transform={`translate(${x} ${y})`}>
      <circle r={12} fill="transparent" />
      {square ? <rect x={-4} y={-4} width={8} height={8} {...look} /> : <circle r={4.4} {...look} />}
    </g>
  );
}
