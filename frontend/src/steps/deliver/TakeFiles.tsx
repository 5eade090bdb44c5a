import type { Deliverable } from "../../api/client";
import { newId } from "../../geometry/points";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { useTake } from "../../take/hooks";
import { WorkButton } from "../../take/Progress";
import { rateOf, useOnShow } from "../../take/state";
import { Bin, Button, Hint, Slider } from "../../ui/controls";
import { Section } from "../Section";
import { isOfTake, nameOf, TAKE_BEGINNINGS } from "./words";

const SETTLED = ["av1", "vp9"];

/** The whole take: a small proof of it first, then films and numbered pictures. */
export function TakeFiles({ shot, document }: StepProps) {
  const { change, move, keep } = useChange(shot.id);
  const told = useTake(shot);
  const { take } = document;
  if (!take) return null;
  const files = document.deliverables.filter(({ kind }) => isOfTake(kind));
  const wanted = files.filter(({ hidden }) => !hidden).length;
  const count = take.last - take.first + 1;
  const seconds = count / rateOf(take);
  const put = (id: string, values: Partial<Deliverable>) => ({ deliverables: { [id]: values } });
  const walk = told?.work.walk;
  return (
    <Section name="the-take" title="The take" fact={`${count} frames`} open>
      {!take.plate && (
        <Hint>Without a clean plate the first frame stands for the place: make one in Photo.</Hint>
      )}
      <p className="text-xs leading-[1.55] text-ink-500">
        {count} frames, {seconds.toFixed(1)} s. A small proof of all of them shows soon whether all is right;
        frames that are there are not made again.
      </p>
      <WorkButton
        shot={shot}
        work="walk"
        word="Small proof of the whole take"
        stale={walk && !walk.current ? "The shot has changed since." : null}
      />
      {walk && walk.state !== "queued" && (told?.walk.length ?? 0) > 0 && (
        <Button
          look="quiet"
          onClick={() => useOnShow.setState({ shown: "walk", frame: told?.walk[0] ?? take.first })}
        >
          Look at it in the time line
        </Button>
      )}
      <ul>
        {files.map((file) => (
          <li key={file.id} className="border-b border-dotted border-lime-300 py-1">
            <div className="flex items-center gap-1.5">
              <b className="grow font-medium">{nameOf(file.kind)}</b>
              <span className="text-xs text-ink-500">
                {file.longest_px ? `${file.longest_px} px long` : "as large as the frames"}
              </span>
              <Bin
                label={`Strike out ${nameOf(file.kind)}`}
                onClick={() => void change({ deliverables: { [file.id]: null } }, "a file struck out")}
              />
            </div>
            {SETTLED.includes(file.kind) && (
              <Slider
                label="Quality"
                value={file.quality}
                min={30}
                max={100}
                step={1}
                show={(v) => `${v}`}
                onMove={(quality) => move(put(file.id, { quality }))}
                onKeep={() => keep("quality of a film")}
              />
            )}
          </li>
        ))}
      </ul>
      <div className="flex flex-wrap gap-1.5 py-1.5">
        {TAKE_BEGINNINGS.map(({ label, file }) => (
          <Button
            key={label}
            onClick={() => {
              const id = newId("d");
              void change({ deliverables: { [id]: { id, ...file } } }, "a file of the take");
            }}
          >
            {label}
          </Button>
        ))}
      </div>
      <WorkButton
        shot={shot}
        work="film"
        look="primary"
        word={wanted > 1 ? `Make the film and ${wanted - 1} more` : "Make the film"}
        stale={told?.work.film && !told.work.film.current ? "The shot has changed since." : null}
      />
      {told?.sound && <p className="text-xs text-ink-500">Its sound goes along as it is.</p>}
    </Section>
  );
}
