import type { FileOut, Upload } from "../../api/client";
import { usePieces, useProject } from "../../api/hooks";
import { metres, parseMetres } from "../../geometry/measure";
import type { StepProps } from "../../marks/props";
import { useEditor, usePicked } from "../../state/editor";
import { Button, Field, Hint, Statement } from "../../ui/controls";
import { FileButton, MODELS } from "../../ui/FileButton";
import { PiecePicture } from "../../ui/PiecePicture";
import { KindSections, Section } from "../Section";
import { Thing } from "./Thing";

type Props = StepProps & {
  projectId: string;
  onFiles: (uploads: Upload[]) => void;
  onStand: (file: FileOut) => void;
};

/** Things and panes: what stands in the photograph. */
export function PlaceStep({ projectId, onFiles, onStand, ...props }: Props) {
  const { document, derived } = props;
  const { data: project } = useProject(projectId);
  const files = project?.files ?? [];
  const models = files.filter((file) => file.kind === "model");
  const pieces = usePieces(props.shot, { models: models.slice(0, 64).map(({ sha256 }) => sha256) });
  return (
    <>
      {!derived.metric && (
        <Hint>Solve the perspective and draw a yardstick first; then the model stands at its true size.</Hint>
      )}
      {document.models.map((placed) => (
        <Thing
          key={placed.id}
          placed={placed}
          file={models.find(({ sha256 }) => placed.file === `sha256:${sha256}`)}
          files={files}
          projectId={projectId}
          {...props}
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
        <Section
          name="models"
          title="Models of this project"
          fact={`${models.length}`}
          open={document.models.length === 0}
        >
          <ul>
            {models.map((file, number) => (
              <li key={file.sha256} className="flex items-center gap-2 py-1 text-xs">
                <PiecePicture piece={pieces.models[number]} className="w-11 shrink-0" />
                <span className="min-w-0 grow truncate">
                  {file.name}
                  <span className="block text-ink-500">
                    {file.size_m?.map((v) => v.toFixed(2)).join(" × ")} m
                  </span>
                </span>
                <Button onClick={() => onStand(file)}>Stand it here</Button>
              </li>
            ))}
          </ul>
        </Section>
      )}
      {document.models.length > 0 && <Clicking />}
      <KindSections step="place" {...props} />
    </>
  );
}

/** What a dragged thing clicks onto. */
function Clicking() {
  const { snap } = usePicked("snap");
  const set = (values: Partial<typeof snap>) => useEditor.setState({ snap: { ...snap, ...values } });
  const fact = [snap.things && "things and runs", snap.grid_m && `${metres(snap.grid_m)} grid`].filter(
    Boolean,
  );
  return (
    <Section name="clicking" title="Clicks onto" fact={fact.join(", ") || "nothing"}>
      <Statement holds={snap.things} onChange={(things) => set({ things })}>
        other things’ sides and middles, and the runs’ directions
      </Statement>
      <Field
        label="a grid of"
        value={snap.grid_m === null ? "" : metres(snap.grid_m)}
        placeholder="no grid"
        parse={(text) => parseMetres(text)}
        min={0.001}
        onValue={(grid_m) => set({ grid_m })}
        onClear={() => set({ grid_m: null })}
      />
      <p className="text-xs text-ink-500">Hold Shift while dragging to place it freely.</p>
    </Section>
  );
}
