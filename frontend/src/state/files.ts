import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { asked, client, type FileOut, type ShotOut, sendFile } from "../api/client";
import { go, shotPath } from "./address";
import { say } from "./notices";

/** Takes files into a project: a photograph begins a shot, a model is handed on. */
export function useTakeFiles(projectId: string, onModel: (file: FileOut) => void) {
  const queries = useQueryClient();
  const [busy, setBusy] = useState<string | null>(null);
  const take = async (files: Iterable<File>) => {
    for (const file of files) {
      setBusy(file.name);
      try {
        const told = await sendFile(projectId, file);
        await queries.invalidateQueries({ queryKey: ["project", projectId] });
        for (const note of told.notes) say(`${file.name}: ${note}`);
        if (told.kind === "model") onModel(told);
        else {
          const body = { name: file.name.replace(/\.\w+$/, ""), photograph: told.sha256 };
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
export function useDropAnywhere(take: (files: File[]) => void): boolean {
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
      take([...(event.dataTransfer?.files ?? [])]);
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
