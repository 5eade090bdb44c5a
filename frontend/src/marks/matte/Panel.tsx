import type { Matte } from "../../api/client";
import { metres, parseMetres } from "../../geometry/measure";
import { newId } from "../../geometry/points";
import { useChange } from "../../state/changes";
import { toggleTool, useEditor, usePicked } from "../../state/editor";
import { Brush } from "../../ui/Brush";
import { Bin, Button, Field, Hint, Pill, Slider, Statement, TextField, Toggle } from "../../ui/controls";
import type { StepProps } from "../props";

const KINDS: Record<Matte["kind"], string> = { outline: "outline", smart: "cut by colour", brush: "painted" };

/** What of the photograph hides the models. */
export function Mattes(props: StepProps) {
  const { tool } = usePicked("tool");
  const { mattes } = props.document;
  const begin = (sort: "smart" | "brush") => {
    const matte = newId("o");
    useEditor.getState().select({ kind: "matte", id: matte });
    useEditor
      .getState()
      .take({ kind: "matte-stroke", sort: "inside", about: { matte, kind: sort }, marks: [] });
  };
  const painting = tool?.kind === "matte-stroke" && !mattes.some((one) => one.id === tool.about?.matte);
  return (
    <>
      {!mattes.length && (
        <p className="mb-1.5 text-xs leading-[1.55] text-ink-500">
          A post, a railing, leaves before the model: outline them, paint them, or mark them roughly inside
          and outside and have them cut out by colour.
        </p>
      )}
      {mattes.map((matte) => (
        <Row key={matte.id} matte={matte} {...props} />
      ))}
      <div className="mt-1.5 flex flex-wrap gap-1.5">
        <Button
          active={tool?.kind === "matte" && tool.sort === "outline"}
          onClick={() => toggleTool("matte", "outline")}
        >
          Draw round it
        </Button>
        <Button active={painting && tool?.about?.kind === "smart"} onClick={() => begin("smart")}>
          Cut by colour
        </Button>
        <Button active={painting && tool?.about?.kind === "brush"} onClick={() => begin("brush")}>
          Paint
        </Button>
      </div>
      {painting && (
        <Hint>
          {tool?.about?.kind === "smart"
            ? "Draw a stroke within what stands in front, then one or two beside it."
            : "Paint over what stands in front."}
        </Hint>
      )}
      {painting && <Brush />}
    </>
  );
}

function Row({ matte, shot }: StepProps & { matte: Matte }) {
  const { change } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const open = selection?.kind === "matte" && selection.id === matte.id;
  const put = (values: Partial<Matte>, label: string) =>
    void change({ mattes: { [matte.id]: values } }, label);
  return (
    <div className="border-b border-dotted border-lime-300 py-1 text-xs last:border-0">
      <div className="flex items-center gap-2">
        <button
          type="button"
          aria-expanded={open}
          className={`min-w-0 grow truncate text-left ${matte.hidden ? "text-ink-500 line-through" : "text-ink-700"}`}
          onClick={() => select(open ? null : { kind: "matte", id: matte.id })}
        >
          {matte.name}
        </button>
        <span className="text-ink-500">{KINDS[matte.kind]}</span>
        <Toggle
          sign="eye"
          on={!matte.hidden}
          label={`${matte.hidden ? "Use" : "Leave out"} ${matte.name}`}
          onClick={() => put({ hidden: !matte.hidden }, matte.hidden ? "use a matte" : "leave out a matte")}
        />
        <Bin
          label={`Remove ${matte.name}`}
          onClick={() => void change({ mattes: { [matte.id]: null } }, `remove ${matte.name}`)}
        />
      </div>
      {open && <Fields matte={matte} shot={shot} put={put} />}
    </div>
  );
}

type Put = (values: Partial<Matte>, label: string) => void;

function Fields({ matte, shot, put }: { matte: Matte; shot: StepProps["shot"]; put: Put }) {
  const { move, keep } = useChange(shot.id);
  const { tool } = usePicked("tool");
  const { name } = matte;
  const stroke = (sort: "inside" | "outside") =>
    toggleTool("matte-stroke", sort, { matte: matte.id, kind: matte.kind });
  const inHand = (sort: string) =>
    tool?.kind === "matte-stroke" && tool.sort === sort && tool.about?.matte === matte.id;
  const px = (v: number) => `${v.toFixed(1)} px`;
  return (
    <div className="pt-1">
      <TextField label="Name" value={name} onValue={(value) => put({ name: value }, "name of a matte")} />
      {matte.kind !== "outline" && (
        <div className="flex flex-wrap items-center gap-1.5 py-1">
          <Pill on={inHand("inside")} onClick={() => stroke("inside")}>
            {matte.kind === "brush" ? "paint" : "inside"}
          </Pill>
          <Pill on={inHand("outside")} onClick={() => stroke("outside")}>
            {matte.kind === "brush" ? "rub out" : "outside"}
          </Pill>
          <span className="text-ink-500">
            {matte.strokes.length} {matte.strokes.length === 1 ? "stroke" : "strokes"}
          </span>
        </div>
      )}
      {tool?.kind === "matte-stroke" && tool.about?.matte === matte.id && <Brush />}
      {matte.kind === "outline" && (
        <Statement holds={matte.curved} onChange={(curved) => put({ curved }, `how ${name} runs`)}>
          runs in curves
        </Statement>
      )}
      <Slider
        label="Soft edge"
        value={matte.softness_px}
        min={0}
        max={30}
        step={0.5}
        show={px}
        onMove={(softness_px) => move({ mattes: { [matte.id]: { softness_px } } })}
        onKeep={() => keep(`edge of ${name}`)}
      />
      <Slider
        label="Drawn in"
        value={matte.choke_px}
        min={-10}
        max={10}
        step={0.5}
        show={px}
        onMove={(choke_px) => move({ mattes: { [matte.id]: { choke_px } } })}
        onKeep={() => keep(`edge of ${name}`)}
      />
      <Slider
        label="Hair, leaves, bars about its edge"
        value={matte.fringe_px}
        min={0}
        max={120}
        step={2}
        show={(v) => (v > 0 ? `${v.toFixed(0)} px` : "none")}
        onMove={(fringe_px) => move({ mattes: { [matte.id]: { fringe_px } } })}
        onKeep={() => keep(`edge of ${name}`)}
      />
      {matte.fringe_px > 0 && (
        <p className="text-ink-500">
          In the pale band each pixel is told from its colours: let it hold all that sticks out. The proof
          shows it.
        </p>
      )}
      <div className="flex items-end gap-1.5">
        <div className="grow">
          <Field
            label="Away from the camera"
            value={matte.distance_m === null ? "" : metres(matte.distance_m)}
            placeholder={matte.foot ? "by its foot" : "hides all"}
            parse={(text) => parseMetres(text)}
            min={0.01}
            onValue={(distance_m) => put({ distance_m }, `how far away ${name} is`)}
            onClear={() => put({ distance_m: null, foot: null }, `how far away ${name} is`)}
          />
        </div>
        <Button
          className="mb-1"
          active={tool?.kind === "matte" && tool.sort === "foot"}
          onClick={() => toggleTool("matte", "foot", { matte: matte.id })}
        >
          Point
        </Button>
      </div>
      <p className="leading-[1.5] text-ink-500">
        Things that stand nearer pass before it. Point at the ground below it, or type how far away it is.
      </p>
    </div>
  );
}
