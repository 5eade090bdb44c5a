import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asked, client, type ProjectFull } from "../../api/client";
import { useProject } from "../../api/hooks";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { say } from "../../state/notices";
import { Bin, Button } from "../../ui/controls";

/** Lists of files that the project keeps by name, for its other shots. */
export function Recipes({ shot, document }: StepProps) {
  const { change } = useChange(shot.id);
  const queries = useQueryClient();
  const { data: project } = useProject(shot.project_id);
  const [name, setName] = useState("");
  const recipes = Object.entries(project?.recipes ?? {});
  const path = (recipe: string) => ({ params: { path: { project_id: shot.project_id, name: recipe } } });
  const told = (answer: Promise<ProjectFull>) =>
    answer
      .then((known) => queries.setQueryData(["project", shot.project_id], known))
      .catch((error: Error) => say(error.message, "wrong"));
  const { deliverables, output } = document;
  const keep = () => {
    const called = name.trim();
    if (!called) return;
    setName("");
    const body = { deliverables, output: { names: output.names } };
    void told(
      asked<ProjectFull>(
        client.PUT("/api/v1/projects/{project_id}/recipes/{name}", { ...path(called), body: body as never }),
      ),
    );
  };
  if (!recipes.length && !deliverables.length) return null;
  return (
    <div className="mt-1 border-t border-lime-200 pt-1.5">
      {recipes.length > 0 && <p className="text-ink-700">Lists kept in this project</p>}
      <ul>
        {recipes.map(([recipe, { deliverables: files, output: pattern }]) => (
          <li key={recipe} className="flex items-center gap-1.5 py-0.5 text-xs">
            <Button
              onClick={() =>
                void change(
                  { deliverables: files as never, ...(pattern && { output: pattern }) },
                  `files as ${recipe}`,
                )
              }
            >
              {recipe}
            </Button>
            <span className="grow text-ink-500">
              {files.length} file{files.length > 1 ? "s" : ""}
            </span>
            <a
              className="text-verdigris underline underline-offset-2"
              href={`/api/v1/projects/${shot.project_id}/recipes/${encodeURIComponent(recipe)}`}
              title="For lithopos deliver --recipe"
              download
            >
              file
            </a>
            <Bin
              label={`Forget the list ${recipe}`}
              onClick={() =>
                void told(
                  asked<ProjectFull>(
                    client.DELETE("/api/v1/projects/{project_id}/recipes/{name}", path(recipe)),
                  ),
                )
              }
            />
          </li>
        ))}
      </ul>
      {deliverables.length > 0 && (
        <form
          className="flex gap-1.5 pt-1"
          onSubmit={(event) => {
            event.preventDefault();
            keep();
          }}
        >
          <input
            aria-label="Name for this list of files"
            placeholder="keep this list as …"
            value={name}
            maxLength={80}
            className="min-w-0 grow rounded-md border border-lime-300 bg-white px-2 py-1 placeholder:text-ink-500"
            onChange={(event) => setName(event.target.value)}
          />
          <Button type="submit" disabled={!name.trim()}>
            Keep
          </Button>
        </form>
      )}
    </div>
  );
}
