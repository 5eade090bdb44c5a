import type { FileOut, Placed, Upload } from "../api/client";
import { useProject } from "../api/hooks";
import { levelHeight } from "../checks/spots";
import { parseMetres, parseMillimetres, parseNumber } from "../geometry/measure";
import { standing } from "../geometry/standing";
import { type LoadedModel, useModel } from "../live/models";
import type { StepProps } from "../marks/props";
import { useChange } from "../state/changes";
import { usePicked } from "../state/editor";
import { Bin, Button, Field, Heading, Hint, OneOf } from "../ui/controls";
import { FileButton, MODELS } from "../ui/FileButton";
import { Section } from "./Section";
import { Surfaces } from "./Surfaces";

type Props = StepProps & {
  projectId: string;
  onFiles: (uploads: Upload[]) => void;
  onStand: (file: FileOut) => void;
};

export function PlaceStep({ shot, document, derived, projectId, onFiles, onStand }: Props) {
  const { data: project } = useProject(projectId);
  const models = project?.files.filter((file) => file.kind === "model") ?? [];
  return (
    <>
      {!derived.metric && (
        <Hint>Solve the perspective and draw a yardstick first; then the model stands at its true size.</Hint>
      )}
      {document.models.map((placed) => (
        <Standing
          key={placed.id}
          placed={placed}
          file={models.find(({ sha256 }) => placed.file === `sha256:${sha256}`)}
          shot={shot}
          document={document}
          derived={derived}
        />
      ))}
      {document.models.length === 0 && (
        <p className="mb-2.5 text-xs leading-[1.55] text-ink-500">
          Drop a model on the photograph: glTF, OBJ, STL, PLY, 3MF, OFF, STEP, USD; of several files as a
          folder or a zip. Slide it by its puck, turn it by the ring, lift it by the stem.
        </p>
      )}
      <div className="mt-3">
        <FileButton look={document.models.length ? "plain" : "primary"} accept={MODELS} onFiles={onFiles}>
          Bring a model
        </FileButton>
      </div>
      {models.length > 0 && (
        <>
          <Heading>Models of this project</Heading>
          <ul>
            {models.map((file) => (
              <li key={file.sha256} className="flex items-center justify-between gap-2 py-1 text-xs">
                <span className="truncate">
                  {file.name}
                  <span className="block text-ink-500">
                    {file.size_m?.map((v) => v.toFixed(2)).join(" × ")} m
                  </span>
                </span>
                <Button onClick={() => onStand(file)}>Stand it here</Button>
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}

type StandingProps = StepProps & { placed: Placed; file: FileOut | undefined };

/** A placed thing: a row, and what can be set about it where it is chosen. */
function Standing({ placed, file, shot, document, derived }: StandingProps) {
  const { change } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const model = useModel(placed.file);
  const chosen = selection
    ? selection.kind === "model" && selection.id === placed.id
    : document.models.length === 1;
  const set = (values: Partial<Placed>, label: string) =>
    void change({ models: { [placed.id]: values } }, label);
  return (
    <div
      className={`mb-2 rounded-lg border bg-white px-3 py-2 ${chosen ? "border-verdigris" : "border-lime-300"}`}
    >
      <div className="flex items-center justify-between gap-2">
        <button
          type="button"
          aria-expanded={chosen}
          className="min-w-0 grow truncate text-left font-medium"
          onClick={() => select(chosen ? null : { kind: "model", id: placed.id })}
        >
          {placed.name || "Model"}
        </button>
        {model && !chosen && (
          <span className="text-xs whitespace-nowrap text-ink-500">
            {standing(placed, model)
              .size.map((v) => v.toFixed(2))
              .join(" × ")}{" "}
            m
          </span>
        )}
        <Bin
          label={`Take the ${placed.name} away`}
          onClick={() => void change({ models: { [placed.id]: null } }, `take the ${placed.name} away`)}
        />
      </div>
      {chosen && (
        <>
          {model && <Sizes placed={placed} model={model} set={set} />}
          <Whereabouts placed={placed} set={set} document={document} derived={derived} />
          {file && <Surfaces shotId={shot.id} placed={placed} file={file} />}
          {file && <InItsFile placed={placed} file={file} set={set} />}
        </>
      )}
    </div>
  );
}

type Setting = {
  placed: Placed;
  set: (values: Partial<Placed>, label: string) => void;
};

const SIDES = ["Wide", "Deep", "Tall"] as const;

/** What it measures as it stands; a true measure typed for one side sizes it whole. */
function Sizes({ placed, model, set }: Setting & { model: LoadedModel }) {
  const { size } = standing(placed, model);
  return SIDES.map((side, axis) => {
    const now = size[axis] ?? 1;
    return (
      <Field
        key={side}
        label={side}
        value={now < 1 ? `${(now * 1000).toFixed(0)} mm` : `${now.toFixed(3)} m`}
        parse={now < 1 ? parseMillimetres : (text) => parseMetres(text)}
        min={0.0001}
        onValue={(v) => set({ size: (placed.size * v) / now }, `size by its ${side.toLowerCase()} side`)}
      />
    );
  });
}

function Whereabouts({ placed, set, document, derived }: Setting & Omit<StepProps, "shot">) {
  const [x, y, z] = placed.position_m;
  const base = levelHeight(derived, placed.level);
  return (
    <>
      <Field
        label="Along x"
        value={`${x.toFixed(3)} m`}
        parse={(text) => parseMetres(text)}
        onValue={(v) => set({ position_m: [v, y, z] }, "place by figure")}
      />
      <Field
        label="Along y"
        value={`${y.toFixed(3)} m`}
        parse={(text) => parseMetres(text)}
        onValue={(v) => set({ position_m: [x, v, z] }, "place by figure")}
      />
      <Field
        label={placed.level ? "Off the level" : "Off the ground"}
        value={`${((z - base) * 1000).toFixed(0)} mm`}
        parse={parseMillimetres}
        onValue={(v) => set({ position_m: [x, y, base + v] }, "lift by figure")}
      />
      {document.levels.length > 0 && (
        <div className="flex flex-wrap items-center gap-1.5 py-1 text-xs text-ink-700">
          Stands on
          <OneOf
            label={`What the ${placed.name} stands on`}
            value={placed.level ?? ""}
            options={[
              { value: "", label: "Ground" },
              ...document.levels.map(({ id, name }) => ({ value: id, label: name || "Level" })),
            ]}
            onValue={(id) => {
              const height = levelHeight(derived, id || null);
              set({ level: id || null, position_m: [x, y, height + z - base] }, "what it stands on");
            }}
          />
        </div>
      )}
      <Field
        label="Turned"
        value={`${placed.turn_deg.toFixed(1)}°`}
        parse={parseNumber}
        onValue={(v) => set({ turn_deg: v }, "turn by figure")}
      />
    </>
  );
}

const UNIT_NAMES = [
  { value: "mm", label: "mm" },
  { value: "cm", label: "cm" },
  { value: "m", label: "m" },
  { value: "inch", label: "in" },
  { value: "foot", label: "ft" },
] as const;
const UPS = [
  { value: "y", label: "y" },
  { value: "z", label: "z" },
] as const;

/** What its file says, what was guessed, and one click to set it right. */
function InItsFile({ placed, file, set }: Setting & { file: FileOut }) {
  const guessed = file.unit_from === "guess" && !placed.unit;
  const unit = placed.unit ?? file.unit ?? "m";
  return (
    <Section
      name={`file-${placed.id}`}
      title="In its file"
      fact={`${unit}${guessed ? ", guessed" : ""}${file.notes.length ? `, ${file.notes.length} remarks` : ""}`}
      open={file.unit_from === "guess"}
    >
      {guessed && <Hint>The file tells no unit. By its size it is taken to be in {unit}.</Hint>}
      <div className="flex items-center justify-between gap-2 py-1 text-ink-700">
        Drawn in
        <OneOf
          look="joined"
          label={`The unit in which the ${placed.name} is drawn`}
          value={unit}
          options={UNIT_NAMES}
          onValue={(value) => set({ unit: value as Placed["unit"] }, `drawn in ${value}`)}
        />
      </div>
      <div className="flex items-center justify-between gap-2 py-1 text-ink-700">
        Up is its
        <OneOf
          look="joined"
          label={`The axis of the ${placed.name} that is up`}
          value={placed.up ?? file.up ?? "y"}
          options={UPS}
          onValue={(value) => set({ up: value as Placed["up"] }, `its ${value} axis up`)}
        />
      </div>
      <p className="py-1 text-xs text-ink-500">
        {file.parts.length} {file.parts.length === 1 ? "part" : "parts"},{" "}
        {file.triangles?.toLocaleString("en")} triangles
        {file.materials.length > 0 && `; ${file.materials.slice(0, 6).join(", ")}`}
      </p>
      {file.notes.map((note) => (
        <p key={note} className="py-0.5 text-xs text-ink-700">
          · {note}
        </p>
      ))}
    </Section>
  );
}
