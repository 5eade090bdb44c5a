import { useCallback } from "react";
import { thumbUrl } from "../api/client";
import { useProject } from "../api/hooks";
import { go, shotPath, sitePath } from "../state/address";
import { useDropAnywhere, useTakeFiles } from "../state/files";
import { say } from "../state/notices";
import { Button, Tip } from "../ui/controls";
import { FileButton, PHOTOGRAPHS } from "../ui/FileButton";
import { Reading } from "../ui/Reading";

/** A project's shots, and the place to drop a photograph. */
export function ProjectPage({ projectId }: { projectId: string }) {
  const { data, error } = useProject(projectId);
  const { take, busy } = useTakeFiles(
    projectId,
    useCallback(() => say("The model is kept with the project. Drop a photograph to stand it in."), []),
  );
  const over = useDropAnywhere(take);
  if (error) return <p className="p-14 text-oxide">{error.message}</p>;
  if (!data) return null;
  return (
    <main className="h-full overflow-auto">
      <div className="mx-auto max-w-[980px] px-10 py-14">
        <button type="button" className="text-ink-500 hover:text-ink-900" onClick={() => go("/")}>
          All projects
        </button>
        <div className="mt-1 flex items-baseline justify-between gap-4">
          <h1 className="text-[24px] font-semibold tracking-tight">{data.name}</h1>
          <a
            className="text-xs whitespace-nowrap text-verdigris underline underline-offset-2"
            href={`/api/v1/projects/${projectId}/archive`}
            download
          >
            Download the project as one file
          </a>
        </div>
        <div
          className={`mt-7 grid h-56 place-items-center rounded-xl border-2 border-dashed ${over ? "border-verdigris bg-verdigris-soft" : "border-lime-300 bg-lime-50"}`}
        >
          <div className="text-center">
            <p className="text-[16px] font-medium">
              {busy ? (
                <Reading key={busy} name={busy} />
              ) : (
                "Drop the photograph that the model is to stand in"
              )}
            </p>
            <p className="mt-1 mb-4 text-ink-500">
              JPEG, PNG, TIFF, WebP or AVIF, at the size that will be delivered
            </p>
            <FileButton look="primary" accept={PHOTOGRAPHS} onFiles={take}>
              Choose a photograph
            </FileButton>
          </div>
        </div>
        {data.shots.length > 0 && (
          <>
            <div className="mt-10 mb-3 flex items-center justify-between">
              <h2 className="text-[15px] font-medium">Shots</h2>
              {data.shots.length > 1 && (
                <Tip text="Several photographs of one place: what stands in one stands in all">
                  <Button onClick={() => go(sitePath(projectId))}>Site: tie the photographs</Button>
                </Tip>
              )}
            </div>
            <ul className="grid grid-cols-3 gap-5">
              {data.shots.map((shot) => (
                <li key={shot.id}>
                  <button
                    type="button"
                    onClick={() => go(shotPath(projectId, shot.id))}
                    className="w-full overflow-hidden rounded-lg border border-lime-300 bg-lime-50 text-left hover:border-verdigris"
                  >
                    {shot.photograph && (
                      <img src={thumbUrl(shot.photograph, 480)} alt="" className="h-40 w-full object-cover" />
                    )}
                    <b className="block px-3.5 py-2.5 font-medium">{shot.name}</b>
                  </button>
                </li>
              ))}
            </ul>
          </>
        )}
      </div>
    </main>
  );
}
