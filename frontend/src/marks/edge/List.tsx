import { useChange } from "../../state/changes";
import { usePicked } from "../../state/editor";
import { Bin, Statement } from "../../ui/controls";
import { RUNS } from "../../ui/runs";
import type { StepProps } from "../props";
import { numbered } from "./numbered";

const FAR_OFF_PX = 3;

/** Whether the chosen edge, or all, are taken as they were drawn, not as they were refined on the picture. */
function AsDrawn({ shot, edges }: Pick<StepProps, "shot"> & { edges: StepProps["document"]["edges"] }) {
  const { change } = useChange(shot.id);
  const { selection } = usePicked("selection");
  const chosen = edges.filter(({ id }) => selection?.kind === "edge" && selection.id === id);
  const about = (chosen.length ? chosen : edges).filter(({ sharp }) => sharp);
  if (!about.length) return null;
  const by_hand = about.every((edge) => edge.by_hand);
  return (
    <Statement
      holds={!by_hand}
      onChange={(sharp) =>
        void change(
          { edges: Object.fromEntries(about.map(({ id }) => [id, { by_hand: !sharp }])) },
          sharp ? "edges as refined" : "edges as drawn",
        )
      }
    >
      {chosen.length ? "This edge is" : `${about.length} edges are`} refined on the picture
    </Statement>
  );
}

/** Every edge with its own residual, and a way to strike it out. */
export function EdgeList({ shot, document, derived }: StepProps) {
  const { change } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const { edges } = document;
  const camera = derived.camera;
  return (
    <>
      {camera && camera.lines.length > 0 && (
        <p className="text-[11px] text-ink-500">{camera.residual_px.toFixed(2)} px off on average</p>
      )}
      <ul>
        {numbered(edges).map(({ edge, number, index }) => {
          const run = RUNS[edge.run];
          const line = camera?.lines[index];
          const chosen = selection?.kind === "edge" && selection.id === edge.id;
          const bends = edge.points.length - 2;
          return (
            <li
              key={edge.id}
              className={`flex items-center gap-2 rounded px-1 text-xs ${chosen ? "bg-verdigris-soft" : ""}`}
            >
              <button
                type="button"
                className="flex grow items-center gap-2 py-[3px] text-left"
                onClick={() => select({ kind: "edge", id: edge.id, point: 0 })}
              >
                <span
                  className={`w-7 rounded px-1 text-center font-medium text-white ${line?.aside ? "line-through opacity-60" : ""}`}
                  style={{ background: run.colour }}
                >
                  {run.letter}
                  {number}
                </span>
                <span className="grow text-ink-700">
                  {run.name}
                  {bends > 0 && <span className="text-ink-500"> · {bends + 2} points</span>}
                </span>
                {edge.sharp && !edge.by_hand && (
                  <span className="text-verdigris" title="refined on the picture">
                    sharp
                  </span>
                )}
                <span
                  className={
                    line && (line.aside || line.residual_px > FAR_OFF_PX) ? "text-oxide" : "text-ink-500"
                  }
                >
                  {line ? `${line.aside ? "set aside, " : ""}off by ${line.residual_px.toFixed(1)} px` : ""}
                </span>
              </button>
              <Bin
                label={`Strike out ${run.letter}${number}`}
                onClick={() =>
                  void change({ edges: { [edge.id]: null } }, `strike out an edge of ${run.name}`)
                }
              />
            </li>
          );
        })}
      </ul>
      <AsDrawn shot={shot} edges={edges} />
      {edges.length > 6 && (
        <button
          type="button"
          className="mt-1 text-xs text-verdigris underline underline-offset-2"
          onClick={() =>
            void change(
              { edges: Object.fromEntries(edges.map((edge) => [edge.id, null])) },
              "strike out all edges",
            )
          }
        >
          Strike out all {edges.length}
        </button>
      )}
    </>
  );
}
