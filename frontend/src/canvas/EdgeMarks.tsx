import type { Edge } from "../api/client";
import { middle, pair, type ScreenPoint } from "../geometry/points";
import { useDraft } from "../state/draft";
import { useEditor } from "../state/editor";
import { RUNS } from "../ui/runs";
import { Handle } from "./Handle";
import type { MarkProps } from "./Marks";
import type { Frame } from "./Stage";

/** Marked edges with a badge and a handle at each point. */
export function EdgeMarks({ shot, document, frame }: MarkProps) {
  const { move, keep, change } = useDraft(shot.id);
  const { selection, select } = useEditor();
  const count: Record<string, number> = {};
  return document.edges.map((edge) => {
    const number = (count[edge.run] ?? 0) + 1;
    count[edge.run] = number;
    const chosen = selection?.kind === "edge" && selection.id === edge.id;
    const moved = (index: number, to: readonly [number, number]) =>
      document.edges.map((other) =>
        other.id === edge.id
          ? { ...other, points: other.points.map((p, i) => (i === index ? pair(to) : p)) }
          : other,
      );
    const remove = () =>
      void change(
        { edges: document.edges.filter((other) => other.id !== edge.id) },
        `strike out an edge of ${RUNS[edge.run].name}`,
      );
    return (
      <g key={edge.id}>
        <EdgeLine edge={edge} frame={frame} chosen={chosen} label={`${RUNS[edge.run].letter}${number}`} />
        {edge.points.map((point, index) => (
          <Handle
            key={index}
            frame={frame}
            at={point}
            loupe
            label={`${RUNS[edge.run].name} edge ${number}, end ${index + 1}`}
            onGrab={() => select({ kind: "edge", id: edge.id, point: index })}
            onMove={(to) => move({ edges: moved(index, to) })}
            onKeep={() => keep(`move an edge of ${RUNS[edge.run].name}`)}
            onDelete={remove}
          >
            <End at={frame.toScreen(point)} colour={RUNS[edge.run].colour} chosen={chosen} />
          </Handle>
        ))}
      </g>
    );
  });
}

function End({ at, colour, chosen }: { at: ScreenPoint; colour: string; chosen: boolean }) {
  return (
    <>
      <circle cx={at[0]} cy={at[1]} r={11} fill="transparent" />
      <circle
        cx={at[0]}
        cy={at[1]}
        r={chosen ? 5.2 : 4.2}
        fill="#fff"
        stroke={colour}
        strokeWidth={chosen ? 2.6 : 1.9}
      />
    </>
  );
}

function EdgeLine({
  edge,
  frame,
  chosen,
  label,
}: {
  edge: Edge;
  frame: Frame;
  chosen: boolean;
  label: string;
}) {
  const points = edge.points.map((p) => frame.toScreen(p));
  const path = points.map((p) => p.join(",")).join(" ");
  const run = RUNS[edge.run];
  const [first, last] = [points[0], points.at(-1)];
  if (!first || !last) return null;
  const badge = middle(first, last);
  return (
    <>
      <polyline
        points={path}
        fill="none"
        stroke="#fff"
        strokeOpacity={0.7}
        strokeWidth={chosen ? 6 : 4.4}
        strokeLinecap="round"
      />
      <polyline
        points={path}
        fill="none"
        stroke={run.colour}
        strokeWidth={chosen ? 2.8 : 2}
        strokeDasharray={run.dash}
        strokeLinecap="round"
      />
      <g transform={`translate(${badge[0]} ${badge[1]})`}>
        <rect
          x={-12}
          y={-8.5}
          width={24}
          height={17}
          rx={5}
          fill={run.colour}
          stroke="#fff"
          strokeWidth={1.2}
        />
        <text textAnchor="middle" y={4} fontSize={11} fontWeight={600} fill="#fff">
          {label}
        </text>
      </g>
    </>
  );
}
