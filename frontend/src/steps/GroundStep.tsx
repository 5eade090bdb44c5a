import type { Length, Level, SolvedCamera, Surface } from "../api/client";
import { disagrees, lengthText } from "../canvas/lengths";
import { putSpot, spotOf } from "../canvas/place";
import { cameraOf } from "../geometry/camera";
import { metres, parseMetres, ranged, rangedMetres } from "../geometry/measure";
import { newId } from "../geometry/points";
import { cameraPatch } from "../state/camera";
import { useDraft } from "../state/draft";
import { useEditor, usePicked } from "../state/editor";
import { Bin, Button, Field, Figure, Heading, Hint, Pill, TextField } from "../ui/controls";
import { Checks } from "./Checks";
import type { StepProps } from "./props";

/** Which plane things stand on, where its origin is, which way it runs, and how large the world is. */
export function GroundStep(props: StepProps) {
  const { document, derived } = props;
  const camera = derived.camera;
  if (!camera) return <Hint>The ground follows from the perspective. Mark edges there first.</Hint>;
  const height = camera.camera_position?.[2];
  return (
    <>
      {height !== undefined && (
        <Figure
          name="Camera height"
          {...ranged(height, camera.sigma.height_m, " m")}
          from={document.camera.kind === "hand" ? "by hand" : "measured"}
        />
      )}
      <Lengths {...props} />
      {height === undefined && <Hint>Without one known length, nothing that stands here has a size.</Hint>}
      <Origin {...props} />
      <Levels {...props} />
      <Checks />
    </>
  );
}

const SURFACES: { on: Surface; label: string; tells: string }[] = [
  { on: "ground", label: "On the ground", tells: "Draw over a slab, a tile, a doorway’s width." },
  { on: "plumb", label: "Plumb", tells: "Draw upwards from the ground: a door, a post, a person." },
  { on: "wall_a", label: "On a wall along A", tells: "Move the wall’s foot to the wall, then draw on it." },
  { on: "wall_b", label: "On a wall along B", tells: "Move the wall’s foot to the wall, then draw on it." },
];

/** Lengths drawn over the picture: known ones (yardsticks) set the scale, others are measured. */
function Lengths(props: StepProps) {
  const { shot, document, derived } = props;
  const { tool, take } = usePicked("tool", "take");
  const { change } = useDraft(shot.id);
  const draw = (on: Surface) => {
    if (tool.kind === "length" && tool.on === on) return take({ kind: "none" });
    take({ kind: "length", on });
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
    camera.kind === "solved" &&
    void change({ camera: cameraPatch(camera, { ...camera, height }) }, "height of the camera");
  return (
    <>
      <Heading>Lengths</Heading>
      <p className="mb-1.5 text-xs leading-[1.5] text-ink-500">
        Draw over a length that you know and type it: a <i>yardstick</i>. Any other is measured.
      </p>
      <div className="flex flex-wrap gap-1.5">
        {SURFACES.map(({ on, label }) => (
          <Pill key={on} on={tool.kind === "length" && tool.on === on} onClick={() => draw(on)}>
            {label}
          </Pill>
        ))}
      </div>
      {tool.kind === "length" && (
        <p className="mt-1.5 text-xs text-ink-700">{SURFACES.find(({ on }) => on === tool.on)?.tells}</p>
      )}
      {document.lengths.map((length, index) => (
        <LengthRow key={length.id} {...props} length={length} index={index} />
      ))}
      {camera.kind === "solved" && (
        <Field
          label="Camera’s height, if known"
          value={camera.height ? metres(camera.height.metres) : ""}
          parse={parseMetres}
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
  const { change } = useDraft(shot.id);
  const { selection } = usePicked("selection");
  const answer = derived.lengths[index];
  const known = length.metres !== null;
  const name = `${known ? "Yardstick" : "Length"} ${index + 1}`;
  const chosen = selection?.kind === "length" && selection.id === length.id;
  const set = (known_metres: number | null) =>
    void change(
      {
        lengths: document.lengths.map((one) =>
          one.id === length.id ? { ...length, metres: known_metres } : one,
        ),
      },
      `length of ${name.toLowerCase()}`,
    );
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
          onClick={() =>
            void change(
              { lengths: document.lengths.filter((one) => one.id !== length.id) },
              `strike out ${name.toLowerCase()}`,
            )
          }
        />
      </div>
      <Field
        label={`Its length${document.lengths.length > 1 ? ` (${index + 1})` : ""}`}
        value={known ? `${length.metres} m` : ""}
        parse={parseMetres}
        min={0.0001}
        placeholder="type if known"
        hint="such as 1.2 m, 120cm or 3'11&quot;"
        onValue={(value) => set(Math.round(value * 1e5) / 1e5)}
        onClear={() => set(null)}
      />
      {told && <p className={`text-xs ${answer?.reason ? "text-oxide" : "text-ink-500"}`}>{told}</p>}
      {known && answer?.off_percent != null && (
        <p className={`text-xs ${disagrees(answer) ? "text-oxide" : "text-ink-500"}`}>
          {Math.abs(answer.off_percent).toFixed(1)} % {answer.off_percent > 0 ? "more" : "less"} than the
          others say (± {(2 * (answer.sigma_percent ?? 0)).toFixed(1)} %)
        </p>
      )}
    </div>
  );
}

const X_WAYS: { way: SolvedCamera["x_along"]; label: string }[] = [
  { way: "a", label: "A" },
  { way: "b", label: "B" },
  { way: "-a", label: "A, back" },
  { way: "-b", label: "B, back" },
];

function Origin({ shot, document, derived }: StepProps) {
  const { tool, take } = usePicked("tool", "take");
  const { change } = useDraft(shot.id);
  const camera = document.camera;
  const position = derived.camera?.camera_position;
  return (
    <>
      <Heading>Origin</Heading>
      <p className="mb-1.5 text-xs leading-[1.5] text-ink-500">
        Where x and y are zero, and which way x runs.
      </p>
      <div className="flex flex-wrap items-center gap-1.5">
        <Button
          active={tool.kind === "origin"}
          onClick={() => take(tool.kind === "origin" ? { kind: "none" } : { kind: "origin" })}
        >
          {document.origin ? "Move it: click on the ground" : "Click on the ground"}
        </Button>
      </div>
      {camera.kind === "solved" && (
        <div className="mt-2 flex flex-wrap items-center gap-1.5 text-xs text-ink-700">
          x along
          {X_WAYS.map(({ way, label }) => (
            <Pill
              key={way}
              on={camera.x_along === way}
              onClick={() =>
                void change({ camera: cameraPatch(camera, { ...camera, x_along: way }) }, "direction of x")
              }
            >
              {label}
            </Pill>
          ))}
        </div>
      )}
      {position && document.origin && (
        <p className="mt-1.5 text-xs text-ink-500">
          The camera stands {metres(Math.hypot(position[0] ?? 0, position[1] ?? 0))} from it.
        </p>
      )}
    </>
  );
}

/** Planes above or below the ground: a table, a step, a quay. */
function Levels({ shot, document, derived }: StepProps) {
  const { tool, take, level: current } = usePicked("tool", "take", "level");
  const { change } = useDraft(shot.id);
  const put = (level: Level, label: string) =>
    void change({ levels: document.levels.map((one) => (one.id === level.id ? level : one)) }, label);
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
    void change({ levels: [...document.levels, level] }, "level");
  };
  return (
    <>
      <Heading>Levels</Heading>
      <p className="mb-1.5 text-xs leading-[1.5] text-ink-500">
        A table, a step, a quay: point at its edge and the ground plumb below it, or type its height.
      </p>
      <div className="flex flex-wrap gap-1.5">
        <Button
          active={tool.kind === "level"}
          onClick={() => take(tool.kind === "level" ? { kind: "none" } : { kind: "level", marks: [] })}
        >
          Point at a level
        </Button>
        <Button onClick={typed}>By its height</Button>
      </div>
      {document.levels.length > 0 && (
        <div className="mt-2 flex flex-wrap items-center gap-1.5 text-xs text-ink-700">
          Grid and new lengths on
          <Pill on={current === null} onClick={() => useEditor.setState({ level: null })}>
            Ground
          </Pill>
          {document.levels.map((level) => (
            <Pill
              key={level.id}
              on={current === level.id}
              onClick={() => useEditor.setState({ level: level.id })}
            >
              {level.name || "Level"}
            </Pill>
          ))}
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
                  onValue={(name) => put({ ...level, name }, "name of a level")}
                />
              </div>
              <Bin
                label={`Strike out ${level.name || "the level"}`}
                onClick={() =>
                  void change(
                    {
                      levels: document.levels.filter((one) => one.id !== level.id),
                      lengths: document.lengths.filter((one) => one.level !== level.id),
                    },
                    "strike out a level",
                  )
                }
              />
            </div>
            <Field
              label="Height above ground"
              value={level.height_m === null ? "" : metres(level.height_m, 3)}
              parse={parseMetres}
              placeholder="type if known"
              hint="such as 0.75 m, or below the ground -0.4 m"
              onValue={(height_m) => put({ ...level, height_m }, "height of a level")}
              onClear={level.foot ? () => put({ ...level, height_m: null }, "height of a level") : undefined}
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
