import type { Deliverable } from "../../api/client";
import { usePlan } from "../../api/hooks";
import { newId } from "../../geometry/points";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { Button, Hint, TextField } from "../../ui/controls";
import { FileRow } from "./FileRow";
import { Recipes } from "./Recipes";
import { BEGINNINGS, isOfTake } from "./words";

/** Every file that is made with the master: what, how large, and what it will be called. */
export function Files({ shot, document, derived, made }: StepProps & { made: number }) {
  const { change, move, keep } = useChange(shot.id);
  const { data: plan } = usePlan(shot, made);
  const { photograph, frame, output } = document;
  const deliverables = document.deliverables.filter(({ kind }) => !isOfTake(kind));
  const shown = frame ?? photograph;
  const longest = Math.round(Math.max(shown?.width ?? 0, shown?.height ?? 0) * output.scale);
  const add = (file: Omit<Deliverable, "id">) => {
    const id = newId("d");
    // As it begins it is no larger than the master.
    const wide = Math.floor((((shown?.width ?? 0) * output.scale) / file.dpi) * 25.4);
    const fitting = {
      longest_px: file.longest_px && Math.min(file.longest_px, longest),
      width_mm: file.width_mm && Math.min(file.width_mm, wide),
    };
    void change({ deliverables: { [id]: { id, ...file, ...fitting } } }, "a file to deliver");
  };
  const first = plan?.files.find(({ name }) => name);
  return (
    <>
      {deliverables.length === 0 && (
        <Hint>Nothing but the master’s own PNG is made. Add what the client or a retoucher asks for.</Hint>
      )}
      <ul>
        {deliverables.map((file) => (
          <FileRow
            key={file.id}
            file={file}
            planned={plan?.files.find(({ id }) => id === file.id)}
            longest={longest}
            onChange={(values, label) => void change({ deliverables: { [file.id]: values } }, label)}
            onMove={(values) => move({ deliverables: { [file.id]: values } })}
            onKeep={keep}
            onStrike={() => void change({ deliverables: { [file.id]: null } }, "a file struck out")}
            onScale={(scale) =>
              void change({ output: { scale: Math.ceil(scale * 1000) / 1000 } }, "delivery size")
            }
          />
        ))}
      </ul>
      <div className="flex flex-wrap gap-1.5 pt-2 pb-1">
        {BEGINNINGS.map(({ label, file }) => (
          <Button key={label} onClick={() => add(file)}>
            {label}
          </Button>
        ))}
      </div>
      {deliverables.length > 0 && (
        <>
          <TextField
            label="Called"
            value={output.names}
            onValue={(names) => void change({ output: { names } }, "names of the files")}
          />
          <p className="text-xs leading-[1.5] break-words text-ink-500">
            {first ? `Next: ${first.name}` : ""}
            <span className="block">
              {"{project} {shot} {option} {view} {size} {n}"} are filled in; nothing is ever overwritten.
            </span>
          </p>
        </>
      )}
      <Recipes {...{ shot, document, derived }} />
    </>
  );
}
