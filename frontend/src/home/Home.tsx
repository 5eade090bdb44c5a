import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asked, client, type ProjectFull, sendProject, thumbUrl, type Upload } from "../api/client";
import { useProjects } from "../api/hooks";
import { go, projectPath } from "../state/address";
import { say } from "../state/notices";
import { Button } from "../ui/controls";
import { FileButton } from "../ui/FileButton";

/** All projects, and the way to a new one. */
export function Home() {
  const { data, error } = useProjects();
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [bringing, setBringing] = useState(false);
  const add = async () => {
    try {
      const project = await asked<ProjectFull>(
        client.POST("/api/v1/projects", { body: { name: name.trim() } }),
      );
      await queries.invalidateQueries({ queryKey: ["projects"] });
      go(projectPath(project.id));
    } catch (wrong) {
      say((wrong as Error).message, "wrong");
    }
  };
  const bring = async ([upload]: Upload[]) => {
    const [only] = upload?.files ?? [];
    if (!only) return;
    setBringing(true);
    try {
      const project = await sendProject(only.file);
      await queries.invalidateQueries({ queryKey: ["projects"] });
      go(projectPath(project.id));
    } catch (wrong) {
      say((wrong as Error).message, "wrong");
    } finally {
      setBringing(false);
    }
  };
  return (
    <main className="h-full overflow-auto">
      <div className="mx-auto max-w-[980px] px-10 py-14">
        <h1 className="text-[26px] font-semibold tracking-tight">Lithopos</h1>
        <p className="mt-1 max-w-[56ch] text-[15px] text-ink-700">
          Stand a model in a photograph as if it had been there when the shutter opened.
        </p>
        <form
          className="mt-8 flex max-w-[520px] gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (name.trim()) void add();
          }}
        >
          <input
            aria-label="Name of the new project"
            placeholder="Name a new project, such as the client’s job"
            value={name}
            onChange={(event) => setName(event.target.value)}
            className="grow rounded-md border border-lime-300 bg-white px-3 py-2 placeholder:text-ink-500"
          />
          <Button type="submit" look="primary" disabled={!name.trim()} className="px-4">
            Make project
          </Button>
        </form>
        <div className="mt-12 mb-3 flex items-center justify-between">
          <h2 className="text-[15px] font-medium">Projects</h2>
          <FileButton accept=".zip" onFiles={(uploads) => void bring(uploads)}>
            {bringing ? "Taking it in …" : "Bring a project file"}
          </FileButton>
        </div>
        {error && <p className="text-oxide">{error.message}</p>}
        {data && data.projects.length === 0 && (
          <p className="max-w-[60ch] text-ink-700">
            None yet. Name one above, then drop the client’s photograph into it; the first grid lies on the
            floor two minutes later.
          </p>
        )}
        <ul className="grid grid-cols-3 gap-5">
          {data?.projects.map((project) => (
            <li key={project.id}>
              <button
                type="button"
                onClick={() => go(projectPath(project.id))}
                className="w-full overflow-hidden rounded-lg border border-lime-300 bg-lime-50 text-left hover:border-verdigris"
              >
                {project.thumb ? (
                  <img src={thumbUrl(project.thumb, 480)} alt="" className="h-40 w-full object-cover" />
                ) : (
                  <div className="grid h-40 place-items-center bg-lime-200 text-ink-500">
                    no photograph yet
                  </div>
                )}
                <div className="px-3.5 py-2.5">
                  <b className="font-medium">{project.name}</b>
                  <div className="text-xs text-ink-500">
                    {project.shots === 1 ? "1 shot" : `${project.shots} shots`}
                  </div>
                </div>
              </button>
            </li>
          ))}
        </ul>
      </div>
    </main>
  );
}
