import type { FileOut, Placed } from "../../api/client";
import { Hint, OneOf } from "../../ui/controls";
import { Section } from "../Section";
import type { Setting } from "./setting";

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
export function InItsFile({ placed, file, set }: Setting & { file: FileOut }) {
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
