import { useDraft } from "../state/draft";
import { Figure, Hint, TextField } from "../ui/controls";
import { FileButton, PHOTOGRAPHS } from "../ui/FileButton";
import type { StepProps } from "./props";

export function PhotoStep({ shot, document, onFiles }: StepProps & { onFiles: (files: File[]) => void }) {
  const { change } = useDraft(shot.id);
  const picture = document.photograph;
  if (!picture) return null;
  return (
    <>
      <TextField
        label="Name of the shot"
        value={document.name}
        onValue={(name) => void change({ name }, "name of the shot")}
      />
      <Figure name="Size" value={`${picture.width} × ${picture.height}`} from="file" />
      <Figure name="Pixels" value={`${((picture.width * picture.height) / 1e6).toFixed(1)} M`} from="file" />
      <p className="mt-2 mb-3 text-xs leading-[1.55] text-ink-500">
        The photograph is kept as it came. A pixel that the model does not touch leaves with the value it came
        in with.
      </p>
      <FileButton accept={PHOTOGRAPHS} onFiles={onFiles}>
        Begin another shot
      </FileButton>
      {document.edges.length === 0 && (
        <Hint>Next: Perspective. Mark a few straight edges that run the same way.</Hint>
      )}
    </>
  );
}
