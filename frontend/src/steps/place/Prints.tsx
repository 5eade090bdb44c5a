import { type FileOut, graphicUrl, type Placed, type Print } from "../../api/client";
import { parseMillimetres, parseNumber } from "../../geometry/measure";
import { newId } from "../../geometry/points";
import { struckOut } from "../../marks/print/Overlay";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { usePicked } from "../../state/editor";
import { plainName } from "../../state/graphics";
import { Bin, Button, Field, OneOf, Slider, Statement, Toggle } from "../../ui/controls";
import { GraphicList } from "../../ui/GraphicList";
import { Plays } from "../../ui/Plays";
import { Section } from "../Section";

type Props = StepProps & { placed: Placed; file: FileOut | undefined; files: FileOut[]; projectId: string };

/** Graphics laid on the thing, the uppermost first. */
export function Prints({ placed, file, files, projectId, shot, document }: Props) {
  const { selection, take, tool } = usePicked("selection", "take", "tool");
  const prints = Object.entries(placed.prints).sort(([, a], [, b]) => b.above - a.above);
  const open = selection?.kind === "print" ? selection.id.split("/")[1] : null;
  return (
    <Section
      name={`prints-${placed.id}`}
      title="Prints"
      fact={prints.length ? `${prints.length}` : "none"}
      open={open !== null}
    >
      {prints.map(([id, print], i) => (
        <One
          key={id}
          id={id}
          print={print}
          open={open === id}
          placed={placed}
          file={file}
          ofTake={document.take !== null}
          film={files.find(({ sha256 }) => print.file === `sha256:${sha256}`)?.seconds ?? null}
          shotId={shot.id}
          below={prints[i + 1]}
        />
      ))}
      <p className="pt-1 text-xs text-ink-500">
        {tool?.kind === "print"
          ? "Now click on the thing where it shall lie."
          : "Choose a picture, then click on the thing."}
      </p>
      <GraphicList
        projectId={projectId}
        word="Print"
        onUse={(graphic) =>
          take({
            kind: "print",
            about: { file: `sha256:${graphic.sha256}`, name: plainName(graphic) },
            marks: [],
          })
        }
      />
    </Section>
  );
}

type OneProps = {
  id: string;
  print: Print;
  open: boolean;
  placed: Placed;
  file: FileOut | undefined;
  film: number | null;
  ofTake: boolean;
  shotId: string;
  below: [string, Print] | undefined;
};

function One({ id, print, open, placed, file, film, ofTake, shotId, below }: OneProps) {
  const { change, move, keep } = useChange(shotId);
  const { select } = usePicked("select");
  const patch = (values: Partial<Print>) => ({
    models: { [placed.id]: { prints: { [id]: values } as Placed["prints"] } },
  });
  const put = (values: Partial<Print>, label: string) => void change(patch(values), label);
  const name = print.name || "print";
  const lower = () =>
    below &&
    void change(
      {
        models: {
          [placed.id]: {
            prints: {
              [id]: { above: below[1].above },
              [below[0]]: { above: print.above },
            } as unknown as Placed["prints"],
          },
        },
      },
      "order of prints",
    );
  const slider = (label: string, key: "gloss" | "metal") => (
    <Slider
      label={label}
      value={print[key]}
      min={0}
      max={1}
      step={0.01}
      show={(v) => `${Math.round(v * 100)} %`}
      onMove={(v) => move(patch({ [key]: v }))}
      onKeep={() => keep(`${label.toLowerCase()} of the ${name}`)}
    />
  );
  return (
    <div className="border-b border-dotted border-lime-300">
      <div className="flex items-center gap-1.5 py-1">
        <img
          src={graphicUrl(print.file, print.time_s)}
          alt=""
          className="h-6 w-8 rounded-sm border border-lime-300 object-contain"
        />
        <button
          type="button"
          aria-expanded={open}
          className="min-w-0 grow truncate text-left"
          onClick={() =>
            select(open ? { kind: "model", id: placed.id } : { kind: "print", id: `${placed.id}/${id}` })
          }
        >
          {name}
        </button>
        <span className="text-xs whitespace-nowrap text-ink-500">
          {print.lay === "patch" ? `${Math.round(print.width_mm)} mm` : "all over"}
        </span>
        {below && <Toggle sign="down" on label={`Lay the ${name} lower`} onClick={lower} />}
        <Bin
          label={`Take the print ${name} off`}
          onClick={() => void change(struckOut(placed.id, id), "take a print off")}
        />
      </div>
      {open && (
        <div className="pb-2">
          <OneOf
            look="joined"
            label={`How the ${name} is laid`}
            value={print.lay}
            options={[
              { value: "patch", label: "a patch" },
              { value: "all over", label: "all over" },
            ]}
            onValue={(lay) => put({ lay: lay as Print["lay"] }, `lay the ${name} ${lay}`)}
          />
          {print.lay === "all over" && file && (
            <div className="flex flex-wrap items-center gap-1.5 py-1 text-xs text-ink-700">
              on
              <OneOf
                label={`What the ${name} lies on`}
                value={print.material ?? ""}
                options={[
                  { value: "", label: "all" },
                  ...file.materials.map((one) => ({ value: one, label: one })),
                ]}
                onValue={(material) => put({ material: material || null }, `what the ${name} lies on`)}
              />
            </div>
          )}
          <Field
            label={print.lay === "patch" ? "Wide" : "One repeat is"}
            value={`${print.width_mm.toFixed(0)} mm`}
            parse={parseMillimetres}
            min={0.0001}
            onValue={(v) => put({ width_mm: v * 1000 }, `size of the ${name}`)}
          />
          <Field
            label="Turned"
            value={`${print.turn_deg.toFixed(1)}°`}
            parse={parseNumber}
            onValue={(turn_deg) => put({ turn_deg }, `turn the ${name}`)}
          />
          <Statement holds={print.mirrored} onChange={(mirrored) => put({ mirrored }, `mirror the ${name}`)}>
            mirrored
          </Statement>
          {slider("Gloss", "gloss")}
          {slider("Metal", "metal")}
          <Field
            label="Stands out by"
            value={`${print.relief_mm.toFixed(2)} mm`}
            parse={parseMillimetres}
            hint="-5 to 5 mm"
            onValue={(v) => put({ relief_mm: Math.min(Math.max(v * 1000, -5), 5) }, `relief of the ${name}`)}
          />
          <Field
            label="Shines, beside white"
            value={print.glow.toFixed(2)}
            parse={parseNumber}
            min={0}
            onValue={(glow) => put({ glow }, `light of the ${name}`)}
          />
          {film !== null && ofTake && (
            <Plays plays={print.plays} name={name} onChange={(plays, label) => put({ plays }, label)} />
          )}
          {film !== null && !(ofTake && print.plays) && (
            <Field
              label={`Frame at, of ${film.toFixed(1)} s`}
              value={`${print.time_s.toFixed(2)} s`}
              parse={parseNumber}
              min={0}
              onValue={(v) => put({ time_s: Math.min(v, film) }, `frame of the ${name}`)}
            />
          )}
          <Button
            look="quiet"
            onClick={() =>
              void change(
                {
                  models: { [placed.id]: { prints: { [newId("p")]: { ...print, above: print.above + 1 } } } },
                },
                "another such print",
              )
            }
          >
            Another such print
          </Button>
        </div>
      )}
    </div>
  );
}
