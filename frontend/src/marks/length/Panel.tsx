import type { Length, SolvedCamera, Surface } from "../../api/client";
import { putSpot, spotOf } from "../../checks/spots";
import { cameraOf } from "../../geometry/camera";
import { metres, parseMetres, rangedMetres } from "../../geometry/measure";
import { useChange } from "../../state/changes";
import { toggleTool, useEditor, usePicked } from "../../state/editor";
import { Bin, Field, Pill } from "../../ui/controls";
import type { StepProps } from "../props";
import { disagrees, lengthText } from "./words";

const SURFACES: { on: Surface; label: string; tells: string }[] = [
  { on: "ground", label: "On the ground", tells: "Draw over a slab, a tile, a doorway’s width." },
  { on: "plumb", label: "Plumb", tells: "Draw upwards from the ground: a door, a post, a person." },
  { on: "wall_a", label: "On a wall along A", tells: "Move the wall’s foot to the wall, then draw on it." },
  { on: "wall_b", label: "On a wall along B", tells: "Move the wall’s foot to the wall, then draw on it." },
];

/** Lengths drawn over the picture: known ones (yardsticks) set the scale, others are measured. */
export function Lengths(props: StepProps) {
  const { shot, document, derived } = props;
  const { tool } = usePicked("tool");
  const { change } = useChange(shot.id);
  const drawn = tool?.kind === "length" ? tool.sort : null;
  const draw = (on: Surface) => {
    toggleTool("length", on);
    if (drawn === on) return;
    if ((on === "wall_a" || on === "wall_b") && derived.camera) {
      const place = spotOf("wall", props, cameraOf(derived.camera));
      if (place) putSpot("wall", place.pixel);
      useEditor.setState(({ checks }) => ({
        checks: { ...checks, wall_a: on === "wall_a", wall_b: on === "wall_b" },
      }));
    }
  };
  const camera = document.camera;
  const known = (height: SolvedCamera["height"]) =>
    camera.kind === "solved" && void change({ camera: { ...camera, height } }, "height of the camera");
  return (
    <>
      <p className="mb-1.5 text-xs leading-[1.5] text-ink-500">
        Draw over a length that you know and type it: a <i>yardstick</i>. Any other is measured.
      </p>
      <div className="flex flex-wrap gap-1.5">
        {SURFACES.map(({ on, label }) => (
          <Pill key={on} on={drawn === on} onClick={() => draw(on)}>
            {label}
          </Pill>
        ))}
      </div>
      {drawn && (
        <p className="mt-1.5 text-xs text-ink-700">{SURFACES.find(({ on }) => on === drawn)?.tells}</p>
      )}
      {document.lengths.map((length, index) => (
        <LengthRow key={length.id} {...props} length={length} index={index} />
      ))}
      {camera.kind === "solved" && (
        <Field
          label="Camera’s height, if known"
          value={camera.height ? metres(camera.height.metres) : ""}
          parse={(text) => parseMetres(text)}
          min={0.01}
          placeholder="not known"
          hint="such as 1.6 m"
          onValue={(value) => known({ metres: value, plus_minus_m: 0.05 })}
          onClear={() => known(null)}
        />
      )}
    </>
  );
}

const ON: Record<Surface, string> = { ground: "ground", plumb: "plumb", wall_a: "wall A", wall_b: "wall B" };

function LengthRow({
  shot,
  document,
  derived,
  length,
  index,
}: StepProps & { length: Length; index: number }) {
  const { change } = useChange(shot.id);
  const { selection } = usePicked("selection");
  const answer = derived.lengths[index];
  const known = length.metres !== null;
  const name = `${known ? "Yardstick" : "Length"} ${index + 1}`;
  const chosen = selection?.kind === "length" && selection.id === length.id;
  const scaled = document.lengths.some((one) => one.metres !== null);
  const set = (known_metres: number | null) =>
    void change({ lengths: { [length.id]: { metres: known_metres } } }, `length of ${name.toLowerCase()}`);
  const told = answer?.reason
    ? answer.reason
    : known
      ? answer?.metres != null && `seen as ${rangedMetres(answer.metres, answer.sigma_m)}`
      : lengthText(length, answer);
  return (
    <div
      className={`mt-1.5 rounded-md border px-2 py-1 ${chosen ? "border-verdigris bg-white" : "border-lime-300"}`}
    >
      <div className="flex items-baseline justify-between gap-2 text-xs">
        <b className="font-medium">{name}</b>
        <span className="grow text-ink-500">{ON[length.on]}</span>
        <Bin
          label={`Strike out ${name.toLowerCase()}`}
          onClick={() => void change({ lengths: { [length.id]: null } }, `strike out ${name.toLowerCase()}`)}
        />
      </div>
      <Field
        label={`Its length${document.lengths.length > 1 ? ` (${index + 1})` : ""}`}
        value={known ? `${length.metres} m` : ""}
        parse={(text) => parseMetres(text)}
        min={0.0001}
        placeholder="type if known"
        hint="such as 1.2 m, 120cm or 3'11&quot;"
        asks={chosen && !scaled}
        onValue={(value) => set(Math.round(value * 1e5) / 1e5)}
        onClear={() => set(null)}
      />
      {told && (
        <p className={`text-xs ${answer?.reason && scaled ? "text-oxide" : "text-ink-500"}`}>{told}</p>
      )}
      {known && answer?.off_percent != null && (
        <p className={`text-xs ${disagrees(answer) ? "text-oxide" : "text-ink-500"}`}>
          {Math.abs(answer.off_percent).toFixed(1)} % {answer.off_percent > 0 ? "more" : "less"} than the
          others say (± {(2 * (answer.sigma_percent ?? 0)).toFixed(1)} %)
        </p>
      )}
    </div>
  );
}
