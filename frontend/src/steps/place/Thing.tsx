import type { FileOut, Placed } from "../../api/client";
import { parseMetres, parseMillimetres } from "../../geometry/measure";
import { sizeOf } from "../../geometry/standing";
import { type LoadedModel, useModel } from "../../live/models";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { isChosen, usePicked } from "../../state/editor";
import { reordered, without } from "../../state/things";
import { Bin, Field, TextField, Toggle } from "../../ui/controls";
import { InItsFile } from "./InItsFile";
import { OverTime } from "./OverTime";
import { Prints } from "./Prints";
import { Rest } from "./Rest";
import { RowSection } from "./RowSection";
import { StandsThere } from "./StandsThere";
import { Surfaces } from "./Surfaces";
import type { Setting } from "./setting";
import { Whereabouts } from "./Whereabouts";

type Props = StepProps & { placed: Placed; file: FileOut | undefined; files: FileOut[]; projectId: string };

/** A placed thing: a row, and what can be set about it where it is chosen. */
export function Thing({ placed, file, files, projectId, ...shown }: Props) {
  const { shot, document } = shown;
  const { change } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const model = useModel(placed.file);
  const chosen = selection ? isChosen(selection, placed.id) : document.models.length === 1;
  const set = (values: Partial<Placed>, label: string) =>
    void change({ models: { [placed.id]: values } }, label);
  const carrier = document.models.find(({ id }) => id === placed.on);
  return (
    <div
      className={`mb-2 rounded-lg border bg-white px-3 py-2 ${chosen ? "border-verdigris" : "border-lime-300"} ${carrier ? "ml-3" : ""}`}
      data-thing={placed.id}
    >
      <div className="flex items-center justify-between gap-1">
        <button
          type="button"
          aria-expanded={chosen}
          className={`min-w-0 grow truncate text-left font-medium ${placed.hidden ? "text-ink-500 line-through" : ""}`}
          onClick={() => select(chosen ? null : { kind: "model", id: placed.id })}
        >
          {placed.name || "Model"}
          {placed.row && (
            <span className="ml-1.5 text-xs font-normal text-ink-500">× {placed.row.count}</span>
          )}
        </button>
        {model && !chosen && (
          <span className="text-xs whitespace-nowrap text-ink-500">
            {sizeOf(placed, model)
              .map((v) => v.toFixed(2))
              .join(" × ")}{" "}
            m
          </span>
        )}
        <Toggle
          sign="eye"
          on={!placed.hidden}
          label={placed.hidden ? `Show the ${placed.name}` : `Hide the ${placed.name}`}
          onClick={() => set({ hidden: !placed.hidden }, placed.hidden ? "show" : "hide")}
        />
        <Toggle
          sign="lock"
          on={placed.locked}
          label={placed.locked ? `Unlock the ${placed.name}` : `Lock the ${placed.name}`}
          onClick={() => set({ locked: !placed.locked }, placed.locked ? "unlock" : "lock")}
        />
        <Bin
          label={`Take the ${placed.name} away`}
          onClick={() => void change(without(document, placed.id), `take the ${placed.name} away`)}
        />
      </div>
      {chosen && (
        <>
          {model && <Sizes placed={placed} model={model} set={set} />}
          <Whereabouts placed={placed} set={set} {...shown} />
          <Rest placed={placed} set={set} {...shown} />
          <RowSection placed={placed} set={set} {...shown} />
          {file && <Surfaces placed={placed} file={file} files={files} projectId={projectId} {...shown} />}
          <Prints placed={placed} file={file} files={files} projectId={projectId} {...shown} />
          {file && <InItsFile placed={placed} file={file} set={set} />}
          <StandsThere placed={placed} {...shown} />
          <OverTime placed={placed} {...shown} />
          <div className="mt-2 flex items-end gap-2 border-t border-lime-200 pt-1">
            <div className="grow">
              <TextField label="Name" value={placed.name} onValue={(name) => set({ name }, "name")} />
            </div>
            {document.models.length > 1 && !shot.option && (
              <div className="flex pb-1.5">
                {([-1, 1] as const).map((by) => (
                  <Toggle
                    key={by}
                    sign={by < 0 ? "up" : "down"}
                    on
                    label={`${by < 0 ? "Earlier" : "Later"} in the list`}
                    onClick={() => void change(reordered(document.models, placed.id, by), "order of things")}
                  />
                ))}
              </div>
            )}
          </div>
        </>
      )}
    </div>
  );
}

const SIDES = ["Wide", "Deep", "Tall"] as const;

/** What it measures as it stands; a true measure typed for one side sizes it whole. */
function Sizes({ placed, model, set }: Setting & { model: LoadedModel }) {
  const size = sizeOf(placed, model);
  return (
    <div className="grid grid-cols-3 gap-2">
      {SIDES.map((side, axis) => {
        const now = size[axis] ?? 1;
        return (
          <Field
            key={side}
            stacked
            label={side}
            value={now < 1 ? `${(now * 1000).toFixed(0)} mm` : `${now.toFixed(3)} m`}
            parse={now < 1 ? parseMillimetres : (text) => parseMetres(text)}
            min={0.0001}
            onValue={(v) => set({ size: (placed.size * v) / now }, `size by its ${side.toLowerCase()} side`)}
          />
        );
      })}
    </div>
  );
}
