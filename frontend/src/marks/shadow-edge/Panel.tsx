import type { ShadowEdge } from "../../api/client";
import { metres, parseMetres } from "../../geometry/measure";
import { useChange } from "../../state/changes";
import { toggleTool, usePicked } from "../../state/editor";
import { Button, Field, OneOf } from "../../ui/controls";
import { MarkRow } from "../../ui/MarkRow";
import type { StepProps } from "../props";

/** Edges and their shadows: how far each is off, and what is known of the chosen one. */
export function ShadowEdges({ shot, document, derived }: StepProps) {
  const { tool, selection, select } = usePicked("tool", "selection", "select");
  const { change } = useChange(shot.id);
  const holds = (sort: string) => tool?.kind === "shadow-edge" && tool.sort === sort;
  return (
    <>
      <div className="flex flex-wrap gap-1.5">
        <Button active={holds("plumb")} onClick={() => toggleTool("shadow-edge", "plumb")}>
          A plumb edge
        </Button>
        <Button active={holds("level")} onClick={() => toggleTool("shadow-edge", "level")}>
          A level edge
        </Button>
      </div>
      {document.shadow_edges.length === 0 && (
        <p className="mt-1.5 text-xs leading-[1.55] text-ink-500">
          Where no tip is to be seen: draw a straight edge, then the edge of its shadow; their ends need not
          match. A plumb one tells the sun’s direction, a level one, such as a wall’s top, also its height.
        </p>
      )}
      <ul>
        {document.shadow_edges.map((edge, index) => {
          const chosen = selection?.kind === "shadow-edge" && selection.id === edge.id;
          const set = (values: Partial<ShadowEdge>, label: string) =>
            void change({ shadow_edges: { [edge.id]: values } }, label);
          return (
            <MarkRow
              key={edge.id}
              number={index + 1}
              title={edge.runs === "plumb" ? "plumb edge" : "level edge"}
              name="shadow’s edge"
              residual_px={derived.sun?.shadow_edges[index]?.residual_px}
              disagrees={derived.sun?.disagrees === `shadow_edges[${index}]`}
              chosen={chosen}
              onChoose={(on) => select(on ? { kind: "shadow-edge", id: edge.id } : null)}
              onRemove={() =>
                void change({ shadow_edges: { [edge.id]: null } }, `remove shadow’s edge ${index + 1}`)
              }
              sharp={edge.sharp_edge || edge.sharp_shadow ? !edge.by_hand : undefined}
              onSharp={(on) => set({ by_hand: !on }, on ? "edge as refined" : "edge as drawn")}
            >
              {edge.runs === "level" && (
                <Field
                  label="Its height above the ground"
                  value={edge.height_m === null ? "" : metres(edge.height_m)}
                  placeholder="by its foot"
                  parse={parseMetres}
                  min={0.01}
                  onValue={(height_m) => set({ height_m }, "height of the edge")}
                  onClear={() => set({ height_m: null }, "height of the edge")}
                />
              )}
              {document.levels.length > 0 && (
                <>
                  <p className="pb-1 text-ink-500">Its shadow lies on</p>
                  <OneOf
                    label="What its shadow lies on"
                    value={edge.level ?? ""}
                    options={[
                      { value: "", label: "the ground" },
                      ...document.levels.map(({ id, name }) => ({ value: id, label: name || "a level" })),
                    ]}
                    onValue={(level) => set({ level: level || null }, "what the shadow lies on")}
                  />
                </>
              )}
            </MarkRow>
          );
        })}
      </ul>
    </>
  );
}
