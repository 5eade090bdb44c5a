import { type Grade, type ShotOut, tonesUrl } from "../../api/client";
import { useProject } from "../../api/hooks";
import { useTakeFiles } from "../../state/files";
import { Button, Slider } from "../../ui/controls";
import { COLOUR_TABLES, FileButton } from "../../ui/FileButton";

type Props = {
  shot: ShotOut;
  part: "model" | "place" | "whole";
  grade: Grade;
  onMove: (values: Partial<Grade>) => void;
  onKeep: (label: string) => void;
};

/** A table of colours through which all goes at last; the tones themselves as one. */
export function LutFields({ shot, part, grade, onMove, onKeep }: Props) {
  const { data: project } = useProject(shot.project_id);
  const { take, busy } = useTakeFiles(shot.project_id, () => undefined);
  const tables = (project?.files ?? []).filter(({ kind }) => kind === "lut");
  const choose = (lut: string | null) => {
    onMove({ lut, lut_strength: 1 });
    onKeep(lut ? `table of colours on the ${part}` : `no table of colours on the ${part}`);
  };
  return (
    <div className="border-t border-lime-200 pt-1.5">
      <p className="text-ink-700">Table of colours</p>
      <div className="flex flex-wrap gap-1.5 py-1">
        {tables.map(({ sha256, name }) => {
          const file = `sha256:${sha256}`;
          return (
            <Button
              key={sha256}
              active={grade.lut === file}
              className="max-w-[150px] text-xs"
              onClick={() => choose(grade.lut === file ? null : file)}
            >
              <span className="truncate">{name}</span>
            </Button>
          );
        })}
        <FileButton accept={COLOUR_TABLES} onFiles={take}>
          {busy ? "Reading …" : "Bring one (.cube)"}
        </FileButton>
      </div>
      {grade.lut && (
        <Slider
          label="By how much"
          value={grade.lut_strength}
          min={0}
          max={1}
          step={0.02}
          show={(v) => `${Math.round(100 * v)} %`}
          onMove={(v) => onMove({ lut_strength: v })}
          onKeep={() => onKeep(`table of colours on the ${part}`)}
        />
      )}
      <a
        className="text-xs text-verdigris underline underline-offset-2"
        href={tonesUrl(shot.id, part)}
        download
      >
        Save these tones as a table (.cube)
      </a>
    </div>
  );
}
