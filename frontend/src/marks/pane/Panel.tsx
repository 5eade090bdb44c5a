import { type FileOut, graphicUrl, type Pane } from "../../api/client";
import { useProject } from "../../api/hooks";
import { hexOf, linearOf } from "../../geometry/colour";
import { metres, parseMetres, parseMillimetres, parseNumber } from "../../geometry/measure";
import { useChange } from "../../state/changes";
import { toggleTool, usePicked } from "../../state/editor";
import { plainName } from "../../state/graphics";
import { ColourField } from "../../ui/ColourField";
import { Bin, Button, Field, Hint, OneOf, Slider, Statement, Toggle } from "../../ui/controls";
import { GraphicList } from "../../ui/GraphicList";
import { Plays } from "../../ui/Plays";
import type { StepProps } from "../props";

/** Flat pictures and films that hang in the place. */
export function Panes(props: StepProps) {
  const { shot, document } = props;
  const { tool } = usePicked("tool");
  const hang = (file: FileOut) =>
    toggleTool("pane", undefined, { file: `sha256:${file.sha256}`, name: plainName(file) });
  return (
    <>
      {document.panes.map((pane) => (
        <One key={pane.id} pane={pane} {...props} />
      ))}
      <p className="text-xs leading-[1.5] text-ink-500">
        {tool?.kind === "pane"
          ? "Now click its four corners in the photograph, from its top left round clockwise."
          : "A sign, a screen, a poster: choose what it shows, then click its four corners."}
      </p>
      <GraphicList projectId={shot.project_id} word="Hang" onUse={hang} />
    </>
  );
}

function One({ pane, shot, document, derived }: StepProps & { pane: Pane }) {
  const { change, move, keep } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const { data: project } = useProject(shot.project_id);
  const open = selection?.kind === "pane" && selection.id === pane.id;
  const answer = derived.panes.find(({ id }) => id === pane.id);
  const film = project?.files.find(({ sha256 }) => pane.file === `sha256:${sha256}`)?.seconds;
  const put = (values: Partial<Pane>, label: string) => void change({ panes: { [pane.id]: values } }, label);
  return (
    <div
      className={`mb-2 rounded-lg border bg-white px-3 py-2 ${open ? "border-verdigris" : "border-lime-300"}`}
    >
      <div className="flex items-center gap-1.5">
        {pane.file && (
          <img
            src={graphicUrl(pane.file, pane.time_s)}
            alt=""
            className="h-6 w-8 rounded-sm border border-lime-300 object-contain"
          />
        )}
        <button
          type="button"
          aria-expanded={open}
          className={`min-w-0 grow truncate text-left font-medium ${pane.hidden ? "text-ink-500 line-through" : ""}`}
          onClick={() => select(open ? null : { kind: "pane", id: pane.id })}
        >
          {pane.name}
        </button>
        <Toggle
          sign="eye"
          on={!pane.hidden}
          label={pane.hidden ? `Show ${pane.name}` : `Hide ${pane.name}`}
          onClick={() => put({ hidden: !pane.hidden }, pane.hidden ? "show a pane" : "hide a pane")}
        />
        <Bin
          label={`Take ${pane.name} down`}
          onClick={() => void change({ panes: { [pane.id]: null } }, "take a pane down")}
        />
      </div>
      {answer?.reason && <Hint kind="wrong">It can’t be hung: {answer.reason}.</Hint>}
      {open && (
        <>
          <Field
            label="Wide"
            value={answer?.width_m == null ? "" : metres(answer.width_m, 3)}
            placeholder="type if known"
            parse={(text) => parseMetres(text)}
            min={0.001}
            onValue={(width_m) => put({ width_m }, "width of a pane")}
            onClear={() => put({ width_m: null }, "width of a pane")}
          />
          <p className="text-xs leading-[1.5] text-ink-500">
            {answer?.scale_from === "width"
              ? "As it was typed."
              : answer?.scale_from === "foot"
                ? "From its foot on the ground."
                : answer?.scale_from === "wall"
                  ? "By the wall that it is on."
                  : "Taken for a metre: type its true width, or mark the ground below it."}
            {answer?.askew_deg != null && Math.abs(answer.askew_deg) > 2
              ? ` Its corners are ${Math.abs(answer.askew_deg).toFixed(1)}° from square; pull them, or the camera is off.`
              : ""}
          </p>
          {!pane.foot && (
            <Button
              className="mt-1"
              onClick={() => {
                const [x, y] = pane.corners[3];
                const down = Math.hypot(
                  pane.corners[3][0] - pane.corners[0][0],
                  pane.corners[3][1] - pane.corners[0][1],
                );
                put({ foot: [x, y + Math.max(down, 40)], width_m: null }, "foot of a pane");
              }}
            >
              Mark the ground below it
            </Button>
          )}
          <div className="flex items-center justify-between gap-2 py-1 text-ink-700">
            Lit
            <OneOf
              look="joined"
              label={`How ${pane.name} is lit`}
              value={pane.lit}
              options={[
                { value: "by the place", label: "by the place" },
                { value: "by itself", label: "by itself" },
              ]}
              onValue={(lit) => put({ lit: lit as Pane["lit"] }, `lit ${lit}`)}
            />
          </div>
          {pane.lit === "by itself" && (
            <>
              <Field
                label="As bright as"
                value={
                  pane.brightness_in === "white" ? pane.brightness.toFixed(2) : pane.brightness.toFixed(0)
                }
                parse={parseNumber}
                min={0}
                onValue={(brightness) => put({ brightness }, "brightness of a pane")}
              />
              <OneOf
                look="joined"
                label={`What the brightness of ${pane.name} is told in`}
                value={pane.brightness_in}
                options={[
                  { value: "white", label: "white paint in full light" },
                  { value: "cd/m2", label: "cd/m²" },
                ]}
                onValue={(unit) =>
                  put(
                    { brightness_in: unit as Pane["brightness_in"], brightness: unit === "white" ? 1 : 500 },
                    "brightness of a pane",
                  )
                }
              />
            </>
          )}
          <Slider
            label="Gloss"
            value={pane.gloss}
            min={0}
            max={1}
            step={0.01}
            show={(v) => `${Math.round(v * 100)} %`}
            onMove={(gloss) => move({ panes: { [pane.id]: { gloss } } })}
            onKeep={() => keep(`gloss of ${pane.name}`)}
          />
          <Statement holds={pane.glass} onChange={(glass) => put({ glass }, "glass over a pane")}>
            glass over it
          </Statement>
          <Statement
            holds={pane.free}
            onChange={(free) => put({ free }, free ? "stands free" : "hangs on something")}
          >
            stands free and casts a shadow
          </Statement>
          <Field
            label="Frame"
            value={`${pane.frame_mm.toFixed(0)} mm`}
            parse={parseMillimetres}
            min={0}
            onValue={(v) => put({ frame_mm: v * 1000 }, "frame of a pane")}
          />
          {pane.frame_mm > 0 && (
            <ColourField
              label="Frame’s colour"
              value={hexOf(pane.frame_colour)}
              onMove={(hex) => move({ panes: { [pane.id]: { frame_colour: linearOf(hex) } } })}
              onKeep={() => keep(`frame of ${pane.name}`)}
            />
          )}
          <Field
            label="Thick"
            value={`${pane.thickness_mm.toFixed(0)} mm`}
            parse={parseMillimetres}
            min={0}
            onValue={(v) => put({ thickness_mm: v * 1000 }, "thickness of a pane")}
          />
          {film != null && document.take && (
            <Plays plays={pane.plays} name={pane.name} onChange={(plays, label) => put({ plays }, label)} />
          )}
          {film != null && !(document.take && pane.plays) && (
            <Field
              label={`Frame at, of ${film.toFixed(1)} s`}
              value={`${pane.time_s.toFixed(2)} s`}
              parse={parseNumber}
              min={0}
              onValue={(v) => put({ time_s: Math.min(v, film) }, "frame of a film")}
            />
          )}
        </>
      )}
    </div>
  );
}
