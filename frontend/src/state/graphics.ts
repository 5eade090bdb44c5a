import { useQueryClient } from "@tanstack/react-query";
import { type FileOut, sendFile, type Upload } from "../api/client";
import { useProject } from "../api/hooks";
import { say } from "./notices";

export const GRAPHICS = ".png,.jpg,.jpeg,.tif,.tiff,.webp,.avif,.svg,.mp4,.mov,.m4v,.mkv,.webm,.avi";

const OTHERS: ReadonlySet<FileOut["kind"]> = new Set(["model", "panorama", "photometry", "lut"]);

/** Pictures, drawings and films of a project that can be laid on things or hung, and the way to bring more. */
export function useGraphics(projectId: string) {
  const queries = useQueryClient();
  const { data: project } = useProject(projectId);
  const backgrounds = new Set(project?.shots.map((shot) => shot.photograph));
  const graphics = (project?.files ?? []).filter(
    (file) => !OTHERS.has(file.kind) && !backgrounds.has(file.sha256),
  );
  const bring = async (uploads: Upload[], use: (file: FileOut) => void) => {
    for (const upload of uploads) {
      try {
        const told = await sendFile(projectId, upload);
        await queries.invalidateQueries({ queryKey: ["project", projectId] });
        for (const note of told.notes) say(`${upload.name}: ${note}.`);
        if (told.kind === "model") say(`${upload.name} is a model: bring it by “Bring a model”.`, "wrong");
        else use(told);
      } catch (error) {
        say((error as Error).message, "wrong");
      }
    }
  };
  return { graphics, bring };
}

/** A file's name without its ending. */
export const plainName = (file: FileOut) => file.name.replace(/\.\w+$/, "");
