import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { asked, client, type FileOut, type ShotOut, sendFile, sendReply, type Upload } from "../api/client";
import { go, shotPath } from "./address";
import { say } from "./notices";
import { droppedFiles, uploadsOf } from "./uploads";

const MOST_NOTES = 3;

/** The reply to a hand-over page that an upload is; null if it is something else. */
async function replyIn({ files }: Upload): Promise<File | null> {
  const [only, ...more] = files;
  if (!only || more.length || !only.path.toLowerCase().endsWith(".json")) return null;
  return /"lithopos":\s*"reply"/.test(await only.file.slice(0, 4096).text()) ? only.file : null;
}

/** Takes files into a project: a photograph begins a shot, models and panoramas are handed on. */
export function useTakeFiles(
  projectId: string,
  onModel: (file: FileOut) => void,
  onPanorama?: (file: FileOut) => void,
) {
  const queries = useQueryClient();
  const [busy, setBusy] = useState<string | null>(null);
  const take = async (uploads: Upload[]) => {
    for (const upload of uploads) {
      setBusy(upload.name);
      try {
        const reply = await replyIn(upload);
        if (reply) {
          const { by } = await sendReply(projectId, reply);
          await queries.invalidateQueries({ queryKey: ["shot"] }); // it may be about several options
          say(`The reply of ${by} is in Deliver.`);
          continue;
        }
        const told = await sendFile(projectId, upload);
        await queries.invalidateQueries({ queryKey: ["project", projectId] });
        for (const note of told.notes.slice(0, MOST_NOTES)) say(`${upload.name}: ${note}`);
        if (told.notes.length > MOST_NOTES)
          say(`${upload.name}: ${told.notes.length - MOST_NOTES} more remarks stand with it in Place.`);
        if (told.kind === "model") onModel(told);
        else if (told.kind === "panorama") {
          if (onPanorama) onPanorama(told);
          else say(`${upload.name} is kept: choose it in the Light step of a shot.`);
        } else if (told.kind === "lut") say(`${upload.name} is kept: choose it under Tones in Blend.`);
        else if (told.kind === "photometry")
          say(`${upload.name} is kept: choose it for a lamp in the Light step.`);
        else {
          const body = { name: upload.name.replace(/\.\w+$/, ""), photograph: told.sha256 };
          const params = { path: { project_id: projectId } };
          const shot = await asked<ShotOut>(
            client.POST("/api/v1/projects/{project_id}/shots", { params, body }),
          );
          await queries.invalidateQueries({ queryKey: ["project", projectId] });
          go(shotPath(projectId, shot.id));
        }
      } catch (error) {
        say((error as Error).message, "wrong");
      }
    }
    setBusy(null);
  };
  return { take, busy };
}

/** Files can be dropped anywhere on the page; true while some hang over it. */
export function useDropAnywhere(take: (uploads: Upload[]) => void): boolean {
  const [over, setOver] = useState(false);
  useEffect(() => {
    const isFiles = (event: DragEvent) => event.dataTransfer?.types.includes("Files");
    const onOver = (event: DragEvent) => {
      if (!isFiles(event)) return;
      event.preventDefault();
      setOver(true);
    };
    const onLeave = (event: DragEvent) => {
      if (event.relatedTarget === null) setOver(false);
    };
    const onDrop = (event: DragEvent) => {
      if (!isFiles(event)) return;
      event.preventDefault();
      setOver(false);
      if (event.dataTransfer) void droppedFiles(event.dataTransfer).then((found) => take(uploadsOf(found)));
    };
    window.addEventListener("dragover", onOver);
    window.addEventListener("dragleave", onLeave);
    window.addEventListener("drop", onDrop);
    return () => {
      window.removeEventListener("dragover", onOver);
      window.removeEventListener("dragleave", onLeave);
      window.removeEventListener("drop", onDrop);
    };
  }, [take]);
  return over;
}
