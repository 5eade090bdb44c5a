import type { FileOut, Placed } from "../api/client";
import { useProject } from "../api/hooks";
import { levelHeight } from "../checks/spots";
import { parseMetres, parseMillimetres, parseNumber } from "../geometry/measure";
import { useModel } from "../live/models";
import type { StepProps } from "../marks/props";
import { useChange } from "../state/changes";
import { usePicked } from "../state/editor";
import { Bin, Button, Field, Heading, Hint, OneOf } from "../ui/controls";
import { FileButton, MODELS } from "../ui/FileButton";

type Props = StepProps & {
  projectId: string;
  onFiles: (files: File[]) => void;
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
        <Standing key={placed.id} placed={placed} shot={shot} document={document} derived={derived} />
      ))}
      {document.models.length === 0 && (
        <p className="mb-2.5 text-xs leading-[1.55] text-ink-500">
          Drop a model (.glb) on the photograph. Slide it by its puck, turn it by the ring, lift it by the
          stem.
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

function Standing({ placed, shot, document, derived }: StepProps & { placed: Placed }) {
  const { change } = useChange(shot.id);
  const { select } = usePicked("select");
  const model = useModel(placed.file);
  const set = (values: Partial<Placed>, label: string) =>
    void change({ models: { [placed.id]: values } }, label);
  const [x, y, z] = placed.position_m;
  const base = levelHeight(derived, placed.level);
  return (
    <div className="mb-2 rounded-lg border border-lime-300 bg-white px-3 py-2">
      <div className="flex items-center justify-between">
        <button
          type="button"
          className="font-medium"
          onClick={() => select({ kind: "model", id: placed.id })}
        >
          {placed.name || "Model"}
        </button>
        <Bin
          label={`Take the ${placed.name} away`}
          onClick={() => void change({ models: { [placed.id]: null } }, `take the ${placed.name} away`)}
        />
      </div>
      {model && (
        <p className="text-xs text-ink-500">
          {model.size.map((v) => (v * placed.size).toFixed(2)).join(" × ")} m
        </p>
      )}
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
      <Field
        label="Sized"
        value={`${placed.size} ×`}
        parse={parseNumber}
        min={0.001}
        onValue={(v) => set({ size: v }, "size by figure")}
      />
    </div>
  );
}
