import { type FileOut, thumbUrl, type Upload } from "../../api/client";
import { useProject } from "../../api/hooks";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { litBy } from "../../state/light";
import { say } from "../../state/notices";
import { OneOf } from "../../ui/controls";
import { FileButton, PANORAMAS } from "../../ui/FileButton";
import { PanoramaSettings } from "./Panorama";

const WORDS = { day: "lit by the day", panorama: "lit by a panorama", room: "lit by windows and lamps" };

type Props = StepProps & { projectId: string; onFiles: (uploads: Upload[]) => void };

/** What lights the place: each way keeps its settings while another is in force. */
export function LitBy({ projectId, onFiles, ...props }: Props) {
  const { shot, document } = props;
  const { change } = useChange(shot.id);
  const { data: project } = useProject(projectId);
  const files = (project?.files ?? []).filter(({ kind }) => kind === "panorama");
  const { panorama, lit_by } = document;
  const choose = (file: FileOut) => void change(litBy(document, file), `lit by ${file.name}`);
  return (
    <div className="pb-1">
      <div className="flex items-center justify-between gap-2 py-1 text-ink-700">
        Lit by
        <OneOf
          look="joined"
          label="What lights the place"
          value={lit_by}
          options={[
            { value: "day", label: "the day" },
            { value: "panorama", label: "a panorama" },
            { value: "room", label: "lamps" },
          ]}
          onValue={(by) => {
            const first = files[0];
            if (by === "panorama" && !panorama) {
              if (first) choose(first);
              else say("Bring a panorama of the place first: .hdr or .exr, twice as wide as high.");
            } else void change({ lit_by: by }, WORDS[by]);
          }}
        />
      </div>
      {(lit_by === "panorama" || (lit_by === "day" && files.length === 0)) && (
        <div className="flex flex-wrap items-center gap-1.5 py-1">
          {files.map((file) => (
            <button
              key={file.sha256}
              type="button"
              title={file.name}
              aria-label={`Lit by ${file.name}`}
              aria-pressed={panorama?.file === `sha256:${file.sha256}`}
              className="rounded border-2 border-transparent aria-pressed:border-verdigris"
              onClick={() => choose(file)}
            >
              <img src={thumbUrl(file.sha256)} alt="" className="h-9 w-[72px] rounded-sm object-cover" />
            </button>
          ))}
          <FileButton accept={PANORAMAS} onFiles={onFiles}>
            Bring a panorama
          </FileButton>
        </div>
      )}
      {lit_by === "panorama" && <PanoramaSettings {...props} />}
      {lit_by === "room" && (
        <p className="pb-1 text-xs leading-[1.55] text-ink-500">
          Indoors or at night: windows, lamps, and what walls and ceiling throw back. Mark the windows and
          lamps below, then even spots of the floor, near to them and far.
        </p>
      )}
    </div>
  );
}
