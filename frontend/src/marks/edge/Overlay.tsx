import type { Edge, Shot } from "../../api/client";
import type { Frame } from "../../geometry/frame";
import { type ImagePoint, image, middle, pair, type ScreenPoint } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { useChange } from "../../state/changes";
import { useEditor, usePicked } from "../../state/editor";
import type { Patch } from "../../state/patch";
import { RUNS } from "../../ui/runs";
import type { MarkProps } from "../props";
import { numbered } from "./numbered";
import { Proposals } from "./Proposals";

const MANY = 18;

/** Marked edges with a badge and a handle at each point, or those that are proposed. */
export function EdgeOverlay(props: MarkProps) {
  const proposing = useEditor((state) => state.proposals !== null);
  return proposing ? <Proposals {...props} /> : <EdgeMarks {...props} />;
}

/** The chosen edge can be bent between its points. */
function EdgeMarks(props: MarkProps) {
  return numbered(props.document.edges).map(({ edge, number, index }) => (
    <MarkedEdge
      key={edge.id}
      {...props}
      edge={edge}
      number={number}
      aside={props.derived.camera?.lines[index]?.aside ?? false}
    />
  ));
}

const bentTo = (edge: Edge, points: [number, number][]) => ({ edges: { [edge.id]: { points } } });

/** An edge of three points tells how the lens bends: then that is solved for too. */
function bent(document: Shot, edge: Edge, points: [number, number][]): Patch {
  const { camera } = document;
  return camera.kind === "solved" && camera.distortion === "none"
    ? { ...bentTo(edge, points), camera: { ...camera, distortion: "solve" as const } }
    : bentTo(edge, points);
}

function MarkedEdge({
  shot,
  document,
  frame,
  edge,
  number,
  aside,
}: MarkProps & { edge: Edge; number: number; aside: boolean }) {
  const { move, keep, change } = useChange(shot.id);
  const { selection, select, tool } = usePicked("selection", "select", "tool");
  const chosen = selection?.kind === "edge" && selection.id === edge.id;
  // With a run in hand a stroke may begin at the end of another edge, as at a corner of two runs.
  const passes = tool?.kind === "edge" && !(chosen && tool.sort === edge.run);
  const { name, letter, colour } = RUNS[edge.run];
  const last = edge.points.length - 1;
  const label = (index: number) =>
    index === 0 || index === last
      ? `${name} edge ${number}, end ${index === 0 ? 1 : 2}`
      : `${name} edge ${number}, bend ${index}`;
  const remove = (index: number) => {
    if (index > 0 && index < last) {
      const points = edge.points.filter((_, i) => i !== index).map(pair);
      return void change(bentTo(edge, points), `straighten an edge of ${name}`);
    }
    void change({ edges: { [edge.id]: null } }, `strike out an edge of ${name}`);
  };
  const inserted = (span: number, to: ImagePoint) => [
    ...edge.points.slice(0, span + 1).map(pair),
    pair(to),
    ...edge.points.slice(span + 1).map(pair),
  ];
  const bend = (span: number) => {
    const [a, b] = [edge.points[span], edge.points[span + 1]];
    if (!a || !b) return;
    const points = inserted(span, image((a[0] + b[0]) / 2, (a[1] + b[1]) / 2));
    select({ kind: "edge", id: edge.id, point: span + 1 });
    void change(bent(document, edge, points), `bend an edge of ${name}`);
  };
  // A bend under way has its point already: it is dragged on as that point.
  const base = shot.document.edges.find((one) => one.id === edge.id) ?? edge;
  return (
    <g>
      <EdgeLine
        edge={edge}
        frame={frame}
        chosen={chosen}
        aside={aside}
        label={`${letter}${number}`}
        small={!chosen && document.edges.length > MANY}
      />
      {chosen &&
        !passes &&
        base.points.slice(0, -1).map((point, span) => {
          const next = base.points[span + 1] ?? point;
          const at = image((point[0] + next[0]) / 2, (point[1] + next[1]) / 2);
          return (
            <Handle
              key={`span${span}`}
              frame={frame}
              at={at}
              loupe
              label={`Bend ${name} edge ${number} in span ${span + 1}`}
              onMove={(to) => {
                const points = base.points.map(pair);
                points.splice(span + 1, 0, pair(to));
                move(bent(shot.document, base, points));
              }}
              onKeep={() => keep(`bend an edge of ${name}`)}
            >
              <Between
                at={frame.toScreen(at)}
                colour={colour}
                hidden={edge.points.length !== base.points.length}
              />
            </Handle>
          );
        })}
      {edge.points.map((point, index) => (
        <Handle
          key={index}
          frame={frame}
          at={point}
          loupe
          passes={passes}
          label={label(index)}
          onGrab={() => select({ kind: "edge", id: edge.id, point: index })}
          onMove={(to) =>
            move(
              bentTo(
                edge,
                edge.points.map((p, i) => (i === index ? pair(to) : pair(p))),
              ),
            )
          }
          onKeep={() => keep(`move an edge of ${name}`)}
          onDelete={() => remove(index)}
          onAdd={() => bend(Math.min(index, last - 1))}
        >
          <End at={frame.toScreen(point)} colour={colour} chosen={chosen} inner={index > 0 && index < last} />
        </Handle>
      ))}
    </g>
  );
}

function End({
  at,
  colour,
  chosen,
  inner,
}: {
  at: ScreenPoint;
  colour: string;
  chosen: boolean;
  inner: boolean;
}) {
  const radius = (chosen ? 5.2 : 4.2) - (inner ? 1.2 : 0);
  return (
    <>
      <circle cx={at[0]} cy={at[1]} r={11} fill="transparent" />
      <circle cx={at[0]} cy={at[1]} r={radius} fill="#fff" stroke={colour} strokeWidth={chosen ? 2.6 : 1.9} />
    </>
  );
}

/** Where a point can be pulled out of the chosen edge. */
function Between({ at, colour, hidden }: { at: ScreenPoint; colour: string; hidden: boolean }) {
  return (
    <g opacity={hidden ? 0 : 1}>
      <circle cx={at[0]} cy={at[1]} r={10} fill="transparent" />
      <path
        d={`M${at[0] - 4.5} ${at[1]}H${at[0] + 4.5}M${at[0]} ${at[1] - 4.5}V${at[1] + 4.5}`}
        stroke="#fff"
        strokeWidth={5}
        strokeLinecap="round"
      />
      <path
        d={`M${at[0] - 4.5} ${at[1]}H${at[0] + 4.5}M${at[0]} ${at[1] - 4.5}V${at[1] + 4.5}`}
        stroke={colour}
        strokeWidth={2}
        strokeLinecap="round"
      />
    </g>
  );
}

function EdgeLine({
  edge,
  frame,
  chosen,
  aside,
  label,
  small,
}: {
  edge: Edge;
  frame: Frame;
  chosen: boolean;
  aside: boolean;
  label: string;
  /** Only the run's letter: where many edges are marked. */
  small: boolean;
}) {
  const points = edge.points.map((p) => frame.toScreen(p));
  const sharp = chosen && !edge.by_hand ? edge.sharp?.points.map((p) => frame.toScreen(p).join(",")) : null;
  const path = points.map((p) => p.join(",")).join(" ");
  const run = RUNS[edge.run];
  const [first, last] = [points[0], points.at(-1)];
  if (!first || !last) return null;
  // Off the middle, where the chosen edge has the grip to bend it.
  const badge = middle(first, middle(first, last));
  const name = small ? label.slice(0, 1) : label;
  const wide = small ? 14 : 24;
  return (
    <g opacity={aside ? 0.5 : 1}>
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
      {sharp && (
        <polyline points={sharp.join(" ")} fill="none" stroke="#22262b" strokeWidth={1} data-testid="sharp" />
      )}
      <g transform={`translate(${badge[0]} ${badge[1]})`}>
        <rect
          x={-wide / 2}
          y={small ? -7 : -8.5}
          width={wide}
          height={small ? 14 : 17}
          rx={small ? 4 : 5}
          fill={run.colour}
          stroke="#fff"
          strokeWidth={1.2}
        />
        <text
          textAnchor="middle"
          y={small ? 3.5 : 4}
          fontSize={small ? 9.5 : 11}
          fontWeight={600}
          fill="#fff"
        >
          {name}
        </text>
        {aside && <path d="M-16 0H16" stroke="var(--color-oxide)" strokeWidth={3} />}
      </g>
    </g>
  );
}
