import type { Edge, FoundEdges, Run } from "../../api/client";
import { useFoundEdges } from "../../api/hooks";
import { newId, pair } from "../../geometry/points";
import { useChange } from "../../state/changes";
import { toggleTool, useEditor, usePicked } from "../../state/editor";
import { Button, Hint, Pill } from "../../ui/controls";
import { RUN_ORDER, RUNS } from "../../ui/runs";
import type { StepProps } from "../props";

/** Mark edges by hand, or take those that the program finds. */
export function Marking({ shot, document }: StepProps) {
  const { tool, proposals } = usePicked("tool", "proposals");
  const run = tool?.kind === "edge" ? (tool.sort as Run) : null;
  if (proposals) return <Proposed shot={shot} document={document} left={proposals.left} />;
  return (
    <>
      <p className="mb-2 text-xs leading-[1.55] text-ink-500">
        Choose a run, then draw along edges of it: press at one end, let go at the other.
      </p>
      <div className="grid grid-cols-3 gap-1.5">
        {RUN_ORDER.map((one) => (
          <RunButton
            key={one}
            run={one}
            count={document.edges.filter((edge) => edge.run === one).length}
            active={run === one}
            onClick={() => toggleTool("edge", one)}
          />
        ))}
      </div>
      {run ? (
        <p className="mt-1.5 text-xs leading-[1.5] text-ink-700">
          {RUNS[run].name}: {RUNS[run].tells}. Without a mouse: arrows and Enter on the photograph.
        </p>
      ) : (
        <Button
          className="mt-2 w-full"
          look={document.edges.length ? "plain" : "primary"}
          onClick={() => useEditor.setState({ proposals: { left: new Set() }, tool: null, selection: null })}
        >
          Find edges for me
        </Button>
      )}
    </>
  );
}

function RunButton({
  run,
  count,
  active,
  onClick,
}: {
  run: Run;
  count: number;
  active: boolean;
  onClick: () => void;
}) {
  const { name, letter, colour, dash } = RUNS[run];
  return (
    <button
      type="button"
      aria-pressed={active}
      aria-keyshortcuts={letter}
      title={`Key ${letter}`}
      onClick={onClick}
      className={`rounded-md border px-2 pt-1.5 pb-1 text-left ${active ? "border-ink-900 bg-white shadow-[inset_0_0_0_1px_var(--color-ink-900)]" : "border-lime-300 bg-white hover:border-lime-500"}`}
    >
      <span className="flex items-baseline justify-between">
        <b className="font-medium">{name}</b>
        <span className="text-xs text-ink-500">{count}</span>
      </span>
      <svg width="100%" height="8" aria-hidden="true">
        <line
          x1="2"
          x2="98%"
          y1="4"
          y2="4"
          stroke={colour}
          strokeWidth="2.4"
          strokeDasharray={dash}
          strokeLinecap="round"
        />
      </svg>
    </button>
  );
}

const away = () => useEditor.setState({ proposals: null });

function Proposed({
  shot,
  document,
  left,
}: Pick<StepProps, "shot" | "document"> & { left: ReadonlySet<number> }) {
  const { data, isFetching, error } = useFoundEdges(document.photograph?.file, true);
  if (isFetching) return <p className="py-3 text-ink-700">Looking for edges …</p>;
  if (!data || data.lines.length === 0)
    return (
      <>
        <Hint kind="wrong">{sentence(error?.message ?? data?.reason ?? "nothing was found")}</Hint>
        <p className="mt-2 mb-2 text-xs text-ink-500">
          Edges can still be marked by hand, with your eye for what runs square.
        </p>
        <Button onClick={away}>Mark by hand</Button>
      </>
    );
  return <Choice shot={shot} found={data} left={left} />;
}

const sentence = (text: string) => `${text.charAt(0).toUpperCase()}${text.slice(1).replace(/\.$/, "")}.`;

function Choice({
  shot,
  found,
  left,
}: Pick<StepProps, "shot"> & { found: FoundEdges; left: ReadonlySet<number> }) {
  const { change } = useChange(shot.id);
  const taken = found.lines.filter((_, index) => !left.has(index));
  const of = (run: Run) => found.lines.flatMap((line, index) => (line.family === run ? [index] : []));
  const flip = (run: Run) => {
    const mine = of(run);
    const now = new Set(left);
    const allIn = mine.every((index) => !left.has(index));
    for (const index of mine) allIn ? now.add(index) : now.delete(index);
    useEditor.setState({ proposals: { left: now } });
  };
  const take = async () => {
    const edges: Pick<Edge, "id" | "run" | "points">[] = taken.map((line) => ({
      id: newId("e"),
      run: line.family,
      points: line.points.map(pair),
    }));
    away();
    await change(
      { edges: Object.fromEntries(edges.map((edge) => [edge.id, edge])) },
      `${edges.length} found edges`,
    );
  };
  return (
    <>
      {found.sure ? (
        <Hint>These edges agree well. Look whether each lies on something that really runs that way.</Hint>
      ) : (
        <Hint kind="wrong">Unsure: {found.reason}.</Hint>
      )}
      <p className="mt-2.5 mb-1.5 text-xs text-ink-500">
        Click one on the photograph to leave it out, or a whole run here:
      </p>
      <div className="flex flex-wrap gap-1.5">
        {RUN_ORDER.map((run) => {
          const mine = of(run);
          const kept = mine.filter((index) => !left.has(index)).length;
          return (
            <Pill key={run} on={kept > 0} onClick={() => flip(run)}>
              {RUNS[run].name} · {kept === mine.length ? kept : `${kept} of ${mine.length}`}
            </Pill>
          );
        })}
      </div>
      <div className="mt-3 flex gap-2">
        <Button look="primary" disabled={taken.length === 0} onClick={() => void take()}>
          Take {taken.length} edges
        </Button>
        <Button onClick={away}>None of them</Button>
      </div>
    </>
  );
}
