import type { Level, Shot } from "../../api/client";
import { metres, parseMetres, rangedMetres } from "../../geometry/measure";
import { newId } from "../../geometry/points";
import { useChange } from "../../state/changes";
import { toggleTool, useEditor, usePicked } from "../../state/editor";
import type { Patch } from "../../state/patch";
import { Bin, Button, Field, OneOf, TextField } from "../../ui/controls";
import type { StepProps } from "../props";

/** A level struck out, and with it the lengths on it; what stands on it stays where it is. */
function without(document: Shot, id: string): Patch {
  const lengths = document.lengths.filter((one) => one.level === id).map((one) => [one.id, null]);
  const models = document.models.filter((one) => one.level === id).map((one) => [one.id, { level: null }]);
  return {
    levels: { [id]: null },
    lengths: Object.fromEntries(lengths),
    models: Object.fromEntries(models),
  };
}

/** Planes above or below the ground: a table, a step, a quay. */
export function Levels({ shot, document, derived }: StepProps) {
  const { tool, level: current } = usePicked("tool", "level");
  const { change } = useChange(shot.id);
  const put = ({ id }: Level, values: Partial<Level>, label: string) =>
    void change({ levels: { [id]: values } }, label);
  const typed = () => {
    const id = newId("l");
    const level: Level = {
      id,
      name: `Level ${document.levels.length + 1}`,
      height_m: 0.75,
      foot: null,
      at: null,
    };
    useEditor.setState({ level: id });
    void change({ levels: { [id]: level } }, "level");
  };
  return (
    <>
      <p className="mb-1.5 text-xs leading-[1.5] text-ink-500">
        A table, a step, a quay: point at its edge and the ground plumb below it, or type its height.
      </p>
      <div className="flex flex-wrap gap-1.5">
        <Button active={tool?.kind === "level"} onClick={() => toggleTool("level")}>
          Point at a level
        </Button>
        <Button onClick={typed}>By its height</Button>
      </div>
      {document.levels.length > 0 && (
        <div className="mt-2 flex flex-wrap items-center gap-1.5 text-xs text-ink-700">
          Grid and new lengths on
          <OneOf
            label="Level in force"
            value={current ?? ""}
            options={[
              { value: "", label: "Ground" },
              ...document.levels.map(({ id, name }) => ({ value: id, label: name || "Level" })),
            ]}
            onValue={(id) => useEditor.setState({ level: id || null })}
          />
        </div>
      )}
      {document.levels.map((level) => {
        const answer = derived.levels.find((one) => one.id === level.id);
        return (
          <div key={level.id} className="mt-1.5 rounded-md border border-lime-300 px-2 py-1">
            <div className="flex items-start gap-2">
              <div className="grow">
                <TextField
                  label="Name of the level"
                  value={level.name}
                  onValue={(name) => put(level, { name }, "name of a level")}
                />
              </div>
              <Bin
                label={`Strike out ${level.name || "the level"}`}
                onClick={() => void change(without(document, level.id), "strike out a level")}
              />
            </div>
            <Field
              label="Height above ground"
              value={level.height_m === null ? "" : metres(level.height_m, 3)}
              parse={(text) => parseMetres(text)}
              placeholder="type if known"
              hint="such as 0.75 m, or below the ground -0.4 m"
              onValue={(height_m) => put(level, { height_m }, "height of a level")}
              onClear={level.foot ? () => put(level, { height_m: null }, "height of a level") : undefined}
            />
            {level.height_m === null && (
              <p className={`text-xs ${answer?.reason ? "text-oxide" : "text-ink-500"}`}>
                {answer?.height_m != null
                  ? `measured: ${rangedMetres(answer.height_m, answer.sigma_m)}`
                  : answer?.reason}
              </p>
            )}
          </div>
        );
      })}
    </>
  );
}
