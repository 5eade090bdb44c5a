import type { Upload } from "../api/client";
import type { StepProps } from "../marks/props";
import { useChange } from "../state/changes";
import { Figure, Hint, TextField } from "../ui/controls";
import { FileButton, PHOTOGRAPHS } from "../ui/FileButton";
import { KindSections } from "./Section";

export function PhotoStep({
  shot,
  document,
  derived,
  onFiles,
}: StepProps & { onFiles: (uploads: Upload[]) => void }) {
  const { change } = useChange(shot.id);
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
      {picture.notes && <Notes notes={picture.notes} />}
      <p className="mt-2 mb-3 text-xs leading-[1.55] text-ink-500">
        The photograph is kept as it came. A pixel that the model does not touch leaves with the value it came
        in with.
      </p>
      <KindSections step="photo" shot={shot} document={document} derived={derived} />
      <div className="h-3" />
      <FileButton accept={PHOTOGRAPHS} onFiles={onFiles}>
        Begin another shot
      </FileButton>
      {document.edges.length === 0 && (
        <Hint>Next: Perspective. Mark a few straight edges that run the same way.</Hint>
      )}
    </>
  );
}

/** What the camera wrote into the file. */
function Notes({ notes }: { notes: NonNullable<NonNullable<StepProps["document"]["photograph"]>["notes"]> }) {
  const { latitude_deg: north, longitude_deg: east } = notes;
  return (
    <>
      {notes.focal_35mm != null && (
        <Figure name="Focal length" value={`${notes.focal_35mm.toFixed(1)} mm`} from="file, 35 mm eq." />
      )}
      {notes.taken_at && (
        <Figure name="Taken" value={notes.taken_at.slice(0, 16).replace("T", " ")} from="file" />
      )}
      {north != null && east != null && (
        <Figure
          name="Place"
          value={`${Math.abs(north).toFixed(3)}° ${north < 0 ? "S" : "N"}, ${Math.abs(east).toFixed(3)}° ${east < 0 ? "W" : "E"}`}
          from="file"
        />
      )}
      {notes.bearing_deg != null && (
        <Figure
          name="Bearing"
          value={`${notes.bearing_deg.toFixed(0)}°`}
          from={`file, ${notes.bearing_is ?? "north"}`}
        />
      )}
      {notes.cropped && (
        <Hint kind="wrong">{`${notes.cropped.charAt(0).toUpperCase()}${notes.cropped.slice(1)}.`}</Hint>
      )}
    </>
  );
}
