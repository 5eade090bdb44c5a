import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEditor } from "../state/editor";
import { say } from "../state/notices";
import {
  asked,
  client,
  Failure,
  type FoundEdges,
  type Materials,
  type Patch,
  type ProjectFull,
  type Projects,
  type RenderOut,
  type Renders,
  type ShotOut,
} from "./client";

export const useProjects = () =>
  useQuery({ queryKey: ["projects"], queryFn: () => asked<Projects>(client.GET("/api/v1/projects")) });

export const useProject = (id: string) =>
  useQuery({
    queryKey: ["project", id],
    queryFn: () =>
      asked<ProjectFull>(
        client.GET("/api/v1/projects/{project_id}", { params: { path: { project_id: id } } }),
      ),
  });

export const useShot = (id: string) =>
  useQuery({
    queryKey: ["shot", id],
    queryFn: () =>
      asked<ShotOut>(client.GET("/api/v1/shots/{shot_id}", { params: { path: { shot_id: id } } })),
  });

export const useMaterials = () =>
  useQuery({
    queryKey: ["materials"],
    queryFn: () => asked<Materials>(client.GET("/api/v1/materials")),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** The edges that the program finds in a photograph by itself; asked for once. */
export const useFoundEdges = (file: string | undefined, wanted: boolean) =>
  useQuery({
    queryKey: ["found", file],
    queryFn: () =>
      asked<FoundEdges>(
        client.GET("/api/v1/files/{sha256}/edges", {
          params: { path: { sha256: (file ?? "").replace("sha256:", "") } },
        }),
      ),
    enabled: wanted && file !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

export const isBusy = (render: RenderOut) => ["queued", "running", "stopping"].includes(render.state);

/** A shot's renders, the newest first; asked again and again while one is under way. */
export const useRenders = (shotId: string) =>
  useQuery({
    queryKey: ["renders", shotId],
    queryFn: () =>
      asked<Renders>(
        client.GET("/api/v1/shots/{shot_id}/renders", { params: { path: { shot_id: shotId } } }),
      ),
    refetchInterval: (query) => (query.state.data?.renders.some(isBusy) ? 400 : 4000),
  });

/** Accepted changes go one after the other, each made to the revision before it. */
let line: Promise<unknown> = Promise.resolve();
const inLine = <T>(work: () => Promise<T>): Promise<T> => {
  const next = line.then(work, work);
  line = next.catch(() => undefined);
  return next;
};

export function useShotChange(id: string) {
  const queries = useQueryClient();
  const accept = (shot: ShotOut) => {
    queries.setQueryData(["shot", id], shot);
    queries.invalidateQueries({ queryKey: ["project", shot.project_id] });
  };
  const refuse = (error: Error) => {
    say(error.message, "wrong");
    if (error instanceof Failure && error.status === 409)
      queries.invalidateQueries({ queryKey: ["shot", id] });
  };
  const seen = () => queries.getQueryData<ShotOut>(["shot", id])?.revision ?? 0;
  const path = { shot_id: id };

  const change = useMutation({
    mutationFn: ({ patch, label }: { patch: Patch; label: string }) =>
      inLine(async () => {
        const body = { revision: seen(), patch: patch as Record<string, unknown>, label };
        accept(await asked<ShotOut>(client.PATCH("/api/v1/shots/{shot_id}", { params: { path }, body })));
      }),
    onError: refuse,
    onSettled: () => useEditor.getState().endDraft(),
  });
  const step = (way: "undo" | "redo") => () =>
    inLine(async () => {
      const body = { revision: seen() };
      accept(await asked<ShotOut>(client.POST(`/api/v1/shots/{shot_id}/${way}`, { params: { path }, body })));
    }).catch(refuse);
  return {
    change: (patch: Patch, label: string) => change.mutateAsync({ patch, label }).catch(() => undefined),
    undo: step("undo"),
    redo: step("redo"),
  };
}

export function useRenderActions(shotId: string) {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["renders", shotId] });
  const run = (work: Promise<unknown>) =>
    work.catch((error: Error) => say(error.message, "wrong")).finally(refresh);
  const path = (render: RenderOut) => ({ params: { path: { render_id: render.id } } });
  return {
    ask: (quality: "proof" | "master") =>
      run(
        asked<RenderOut>(
          client.POST("/api/v1/shots/{shot_id}/renders", {
            params: { path: { shot_id: shotId } },
            body: { quality },
          }),
        ).then(() => useEditor.getState().show(quality)),
      ),
    stop: (render: RenderOut) =>
      run(asked<RenderOut>(client.POST("/api/v1/renders/{render_id}/stop", path(render)))),
    restart: (render: RenderOut) =>
      run(asked<RenderOut>(client.POST("/api/v1/renders/{render_id}/restart", path(render)))),
  };
}
