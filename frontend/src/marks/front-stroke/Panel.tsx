import type { FrontStroke } from "../../api/client";
import { parseNumber } from "../../geometry/measure";
import { useChange } from "../../state/changes";
import { toggleTool, usePicked } from "../../state/editor";
import { useTake } from "../../take/hooks";
import { WorkButton } from "../../take/Progress";
import { useOnShow } from "../../take/state";
import { Brush } from "../../ui/Brush";
import { Bin, Button, Field, Hint, OneOf, Pill } from "../../ui/controls";
import type { StepProps } from "../props";

const SAYS: { value: FrontStroke["says"]; label: string; told: string }[] = [
  { value: "in", label: "in front", told: "somebody is there" },
  { value: "out", label: "the place", told: "nobody is there" },
  { value: "shadow", label: "no shadow", told: "nobody’s shadow is there" },
];

/** People of the take: found against the clean plate, corrected by strokes, before or behind the models. */
export function WhoIsInFront({ shot, document }: StepProps) {
  const { change } = useChange(shot.id);
  const { tool, selection, select } = usePicked("tool", "selection", "select");
  const { frame } = useOnShow();
  const told = useTake(shot);
  const { take, front_strokes } = document;
  if (!take) return null;
  if (!take.plate)
    return <Hint>Make the clean plate first, in the Photo step: people are told from it.</Hint>;
  const work = told?.work.front;
  const stroking = tool?.kind === "front-stroke";
  return (
    <>
      <WorkButton
        shot={shot}
        work="front"
        word={work ? "Tell anew who is in front" : "Tell who is in front"}
        look={work ? "plain" : "primary"}
        stale={
          work && !work.current
            ? "Strokes or ends have changed since: only their frames are told anew."
            : null
        }
      />
      {work?.state === "done" && (
        <p className="pb-1 text-xs leading-[1.5] text-ink-500">
          Choose <b className="font-medium">In front</b> in the time line: people are red, what they darken is
          blue. Where that is wrong, say it by a stroke; frames near it follow.
        </p>
      )}
      <div className="flex flex-wrap gap-1.5 py-1">
        {SAYS.map(({ value, label }) => (
          <Pill
            key={value}
            on={stroking && tool.sort === value}
            onClick={() => toggleTool("front-stroke", value)}
          >
            {label}
          </Pill>
        ))}
      </div>
      {stroking && frame === null && <Hint>Choose a frame in the time line first.</Hint>}
      {stroking && <Brush />}
      <ul>
        {front_strokes.map((stroke) => {
          const open = selection?.kind === "front-stroke" && selection.id === stroke.id;
          const put = (values: Partial<FrontStroke>, label: string) =>
            void change({ front_strokes: { [stroke.id]: values } }, label);
          return (
            <li key={stroke.id} className="border-b border-dotted border-lime-300 py-1 text-xs last:border-0">
              <div className="flex items-center gap-2">
                <button
                  type="button"
                  aria-expanded={open}
                  className="grow truncate text-left text-ink-700"
                  onClick={() => {
                    useOnShow.setState({ frame: stroke.frame });
                    select(open ? null : { kind: "front-stroke", id: stroke.id });
                  }}
                >
                  frame {stroke.frame}: {SAYS.find(({ value }) => value === stroke.says)?.told}
                </button>
                <Bin
                  label={`Remove the stroke in frame ${stroke.frame}`}
                  onClick={() => void change({ front_strokes: { [stroke.id]: null } }, "a stroke removed")}
                />
              </div>
              {open && (
                <>
                  <OneOf
                    label="What the stroke says"
                    look="joined"
                    value={stroke.says}
                    options={SAYS.map(({ value, label }) => ({ value, label }))}
                    onValue={(says) => put({ says: says as FrontStroke["says"] }, "what a stroke says")}
                  />
                  <Field
                    label="Frames before and after"
                    value={`${stroke.reach}`}
                    parse={parseNumber}
                    min={0}
                    onValue={(v) => put({ reach: Math.min(Math.round(v), 1000) }, "reach of a stroke")}
                  />
                </>
              )}
            </li>
          );
        })}
      </ul>
      <Sides shot={shot} document={document} />
    </>
  );
}

/** Whom the program takes for nearer or farther than they are. */
function Sides({ shot, document }: Pick<StepProps, "shot" | "document">) {
  const { change } = useChange(shot.id);
  const { tool } = usePicked("tool");
  const { frame } = useOnShow();
  return (
    <>
      <Button
        className="mt-1"
        active={tool?.kind === "passing"}
        disabled={frame === null}
        onClick={() => toggleTool("passing")}
      >
        {frame === null ? "Before or behind: choose a frame first" : "Say who passes before or behind"}
      </Button>
      {document.passings.map((one) => {
        const put = (values: Partial<typeof one>, label: string) =>
          void change({ passings: { [one.id]: values } }, label);
        return (
          <div key={one.id} className="mt-1 rounded-md border border-lime-300 bg-white px-2 py-1 text-xs">
            <div className="flex items-center gap-2">
              <button
                type="button"
                className="grow text-left text-ink-700"
                onClick={() => useOnShow.setState({ frame: one.frame, shown: "take" })}
              >
                who is at the mark in frame {one.frame}
              </button>
              <Bin
                label={`Remove what was said in frame ${one.frame}`}
                onClick={() => void change({ passings: { [one.id]: null } }, "as their feet say")}
              />
            </div>
            <OneOf
              label="Side of the models"
              look="joined"
              value={one.side}
              options={[
                { value: "before", label: "before the models" },
                { value: "behind", label: "behind" },
              ]}
              onValue={(side) => put({ side: side as typeof one.side }, `passes ${side}`)}
            />
            <div className="grid grid-cols-2 gap-2">
              <Field
                label="From frame"
                value={`${one.first}`}
                parse={parseNumber}
                min={0}
                onValue={(v) => put({ first: Math.min(Math.round(v), one.frame) }, "from when")}
              />
              <Field
                label="to"
                value={`${one.last}`}
                parse={parseNumber}
                min={0}
                onValue={(v) => put({ last: Math.max(Math.round(v), one.frame) }, "until when")}
              />
            </div>
          </div>
        );
      })}
    </>
  );
}
