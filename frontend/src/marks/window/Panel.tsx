import type { LitWindow } from "../../api/client";
import { hexOf } from "../../geometry/colour";
import { metres, parseMetres } from "../../geometry/measure";
import { hasSun } from "../../geometry/sun";
import { useChange } from "../../state/changes";
import { toggleTool, usePicked } from "../../state/editor";
import { Button, Field, Hint, Slider, Statement, TextField } from "../../ui/controls";
import { LightRow } from "../../ui/LightRow";
import { InPanorama } from "../InPanorama";
import type { StepProps } from "../props";

/** Windows by which light comes in, and how bright they are. */
export function Windows(props: StepProps) {
  const { tool } = usePicked("tool");
  const { windows } = props.document;
  return (
    <>
      {!windows.length && (
        <p className="mb-1 text-xs leading-[1.55] text-ink-500">
          A window lights the place with what the photograph shows in it. Mark its four corners and the floor
          below it.
        </p>
      )}
      {windows.map((window) => (
        <Row key={window.id} window={window} {...props} />
      ))}
      {props.document.lit_by === "room" && windows.length > 0 && <ShinesIn {...props} />}
      {windows.length > 0 && <InPanorama {...props} />}
      <Button className="mt-1" active={tool?.kind === "window"} onClick={() => toggleTool("window")}>
        Mark a window
      </Button>
    </>
  );
}

/** Whether the sun shines in: through all windows at first, then through those of which it is said. */
function ShinesIn({ shot, document, derived }: StepProps) {
  const { change } = useChange(shot.id);
  const { windows } = document;
  const set = (sunny: boolean) =>
    void change(
      { windows: Object.fromEntries(windows.map(({ id }) => [id, { sunny }])) },
      sunny ? "the sun shines in" : "no sun shines in",
    );
  const shines = windows.some(({ sunny }) => sunny);
  return (
    <>
      <Statement holds={shines} onChange={set}>
        the sun shines in
      </Statement>
      {shines && !derived.sun_shown && (
        <Hint>
          Say where the sun stands: mark a gnomon, its foot on the floor below a window’s corner, its top that
          corner, its tip where the light of that corner ends on the floor.
        </Hint>
      )}
    </>
  );
}

function Row({ window, shot, document, derived }: StepProps & { window: LitWindow }) {
  const { change, move, keep } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const open = selection?.kind === "window" && selection.id === window.id;
  const answer = derived.windows.find(({ id }) => id === window.id);
  const put = (values: Partial<LitWindow>, label: string) =>
    void change({ windows: { [window.id]: values } }, label);
  const { name } = window;
  return (
    <LightRow
      name={name}
      hidden={window.hidden}
      open={open}
      swatch={hexOf(window.seen?.colour)}
      fact={brightness(window)}
      words={["Light", "Darken"]}
      onOpen={(on) => select(on ? { kind: "window", id: window.id } : null)}
      onHide={(hidden) => put({ hidden }, hidden ? "darken a window" : "light a window")}
      onRemove={() => void change({ windows: { [window.id]: null } }, "remove a window")}
    >
      {answer?.reason && <Hint kind="wrong">It lights nothing: {answer.reason}.</Hint>}
      {open && (
        <div className="pt-1">
          <TextField
            label="Name"
            value={name}
            onValue={(value) => put({ name: value }, "name of a window")}
          />
          <Field
            label="Wide"
            value={answer?.width_m == null ? "" : metres(answer.width_m)}
            placeholder="type if known"
            parse={(text) => parseMetres(text)}
            min={0.01}
            onValue={(width_m) => put({ width_m }, "width of a window")}
            onClear={() => put({ width_m: null }, "width of a window")}
          />
          <p className="leading-[1.5] text-ink-500">
            {answer?.scale_from === "width"
              ? "As it was typed."
              : answer?.scale_from === "foot"
                ? "From the floor below it."
                : answer?.scale_from === "wall"
                  ? "By the wall that it is on."
                  : "Taken for a metre: type its true width."}
          </p>
          <Slider
            label="Strength by hand"
            value={window.strength}
            min={0}
            max={3}
            step={0.05}
            show={(v) => `${v.toFixed(2)} ×`}
            onMove={(strength) => move({ windows: { [window.id]: { strength } } })}
            onKeep={() => keep(`strength of ${name}`)}
          />
          {hasSun(document) && document.lit_by === "room" && document.windows.length > 1 && (
            <Statement
              holds={window.sunny}
              onChange={(sunny) => put({ sunny }, sunny ? "sun by a window" : "no sun by a window")}
            >
              the sun shines in through it
            </Statement>
          )}
          <Statement
            holds={window.held}
            onChange={(held) => put({ held }, held ? "trust a window" : "measure a window")}
          >
            exactly as bright as it looks
          </Statement>
        </div>
      )}
    </LightRow>
  );
}

/** What is worth knowing of a window's brightness at a glance. */
function brightness({ seen, held }: LitWindow): string {
  if (!seen) return "";
  if (held) return "as it looks";
  return seen.clipped > 0.05 ? `${Math.round(100 * seen.clipped)} % too bright to tell` : "";
}
