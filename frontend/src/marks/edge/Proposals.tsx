import { useFoundEdges } from "../../api/hooks";
import { middle, pair } from "../../geometry/points";
import { useEditor } from "../../state/editor";
import { RUNS } from "../../ui/runs";
import type { MarkProps } from "../props";

/** Put a proposed edge in or leave it out. */
const toggleProposal = (index: number) =>
  useEditor.setState(({ proposals }) => {
    if (!proposals) return {};
    const left = new Set(proposals.left);
    if (!left.delete(index)) left.add(index);
    return { proposals: { left } };
  });

/** Edges that the program proposes: dimmed where left out; a click takes one in or out. */
export function Proposals({ document, frame }: MarkProps) {
  const proposals = useEditor((state) => state.proposals);
  const { data } = useFoundEdges(document.photograph?.file, proposals !== null);
  if (!proposals || !data) return null;
  return (
    <g data-testid="proposals">
      {data.lines.map((line, index) => {
        const run = RUNS[line.family];
        const [from, to] = [line.points[0], line.points.at(-1)].map((p) => frame.toScreen(pair(p ?? [])));
        if (!from || !to) return null;
        const left = proposals.left.has(index);
        const d = `M${from[0]} ${from[1]}L${to[0]} ${to[1]}`;
        const badge = middle(from, to);
        return (
          <g
            key={index}
            role="checkbox"
            aria-checked={!left}
            aria-label={`Proposed edge ${index + 1} of ${run.name}`}
            tabIndex={0}
            className="cursor-pointer outline-none focus-visible:[filter:drop-shadow(0_0_3px_white)]"
            style={{ pointerEvents: "all" }}
            opacity={left ? 0.35 : 1}
            onPointerDown={(event) => {
              event.stopPropagation();
              toggleProposal(index);
            }}
            onKeyDown={(event) => {
              if (event.key !== "Enter" && event.key !== " ") return;
              event.preventDefault();
              event.stopPropagation();
              toggleProposal(index);
            }}
          >
            <path d={d} stroke="transparent" strokeWidth={13} />
            <path d={d} stroke="#fff" strokeOpacity={0.75} strokeWidth={left ? 2 : 4} />
            <path d={d} stroke={run.colour} strokeWidth={left ? 1 : 2} strokeDasharray={run.dash} />
            <rect
              x={badge[0] - 7}
              y={badge[1] - 7}
              width={14}
              height={14}
              rx={4}
              fill={run.colour}
              stroke="#fff"
            />
            <text
              x={badge[0]}
              y={badge[1] + 3.5}
              fontSize={9.5}
              fontWeight={600}
              textAnchor="middle"
              fill="#fff"
            >
              {run.letter}
            </text>
          </g>
        );
      })}
    </g>
  );
}
