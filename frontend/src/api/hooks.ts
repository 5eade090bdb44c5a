import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { baseOf } from "../state/address";
import {
  asked,
  type BlendAnswer,
  client,
  type FoundEdges,
  type Look,
  type Materials,
  type Pieces,
  type Plan,
  type ProjectFull,
  type Projects,
  type RenderOut,
  type Renders,
  type Scope,
  type ShotOut,
  type Smalls,
  type SurfaceOf,
} from "./client";
import { readFresh } from "./fresh";

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

export const readShot = (id: string) =>
  readFresh(baseOf(id), () =>
    asked<ShotOut>(client.GET("/api/v1/shots/{shot_id}", { params: { path: { shot_id: id } } })),
  );

export const useShot = (id: string) =>
  useQuery({
    queryKey: ["shot", id],
    queryFn: () => readShot(id),
  });

const NEWS_MS = 1000;

/** The revision in force, asked for again and again: others may work on the shot too. */
export const useNewest = (id: string) =>
  useQuery({
    queryKey: ["revision", id],
    queryFn: () =>
      asked<{ revision: number }>(
        client.GET("/api/v1/shots/{shot_id}/revision", { params: { path: { shot_id: id } } }),
      ),
    refetchInterval: NEWS_MS,
    retry: false,
  }).data?.revision;

/** A picture's height beside its width; 1 while it is not known. */
export function useAspect(projectId: string, file: string): number {
  const { data } = useProject(projectId);
  const found = data?.files.find(({ sha256 }) => file === `sha256:${sha256}`);
  return found?.width && found.height ? found.height / found.width : 1;
}

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

/** How a photograph was taken: its grain and its sharpness; measured once. */
export const useBlending = (file: string | undefined) =>
  useQuery({
    queryKey: ["blending", file],
    queryFn: () =>
      asked<BlendAnswer>(
        client.GET("/api/v1/files/{sha256}/blending", {
          params: { path: { sha256: (file ?? "").replace("sha256:", "") } },
        }),
      ),
    enabled: file !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

/** The tones of a finished render's things and of what is around them. */
export const useScope = (renderId: string | undefined) =>
  useQuery({
    queryKey: ["scope", renderId],
    queryFn: () =>
      asked<Scope>(
        client.GET("/api/v1/renders/{render_id}/scope", { params: { path: { render_id: renderId ?? "" } } }),
      ),
    enabled: renderId !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

/** What a shot will be delivered as. */
export const usePlan = (shot: ShotOut, made: number) =>
  useQuery({
    queryKey: ["plan", shot.id, shot.revision, made],
    queryFn: () =>
      asked<Plan>(client.GET("/api/v1/shots/{shot_id}/plan", { params: { path: { shot_id: shot.id } } })),
    placeholderData: keepPreviousData,
  });

/** What of a shot differs from its photograph; asked anew when the shot or its newest picture changes. */
export const useLook = (shot: ShotOut, newest: string | undefined) =>
  useQuery({
    queryKey: ["look", shot.id, shot.revision, newest],
    queryFn: () =>
      asked<Look>(client.GET("/api/v1/shots/{shot_id}/look", { params: { path: { shot_id: shot.id } } })),
    placeholderData: keepPreviousData,
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

/** The newest renders of a shot and of all its options; asked again and again while one is under way. */
export const useAllRenders = (shotId: string, wanted = true) =>
  useQuery({
    enabled: wanted,
    queryKey: ["renders", shotId, "all"],
    queryFn: () =>
      asked<Renders>(
        client.GET("/api/v1/shots/{shot_id}/options/renders", { params: { path: { shot_id: shotId } } }),
      ),
    refetchInterval: (query) => (query.state.data?.renders.some(isBusy) ? 600 : 4000),
  });

/** Small pictures of a shot and its options as they stand: asked for until they are there. */
export function useSmalls(shot: ShotOut, wanted: boolean) {
  const { data } = useQuery({
    queryKey: ["smalls", shot.base, shot.revision],
    queryFn: () =>
      asked<Smalls>(
        client.POST("/api/v1/shots/{shot_id}/options/small", { params: { path: { shot_id: shot.base } } }),
      ),
    enabled: wanted,
    placeholderData: keepPreviousData,
    refetchInterval: ({ state }) =>
      state.data?.smalls.some(({ picture: { ready, reason } }) => !ready && reason === null) ? 800 : false,
  });
  return data?.smalls ?? [];
}

/** Small traced pictures of surfaces in the shot's own light, of models, and its light card: asked for until they are there. */
export function usePieces(
  shot: ShotOut,
  wanted: { surfaces?: SurfaceOf[]; models?: string[]; card?: boolean },
) {
  const { surfaces = [], models = [], card = false } = wanted;
  const waits = ({ ready, reason }: Pieces["models"][number]) => !ready && reason === null;
  const { data } = useQuery({
    queryKey: ["pieces", shot.id, shot.revision, surfaces, models, card],
    queryFn: () =>
      asked<Pieces>(
        client.POST("/api/v1/shots/{shot_id}/pieces", {
          params: { path: { shot_id: shot.id } },
          body: { surfaces, models, card } as never,
        }),
      ),
    enabled: surfaces.length + models.length > 0 || card,
    placeholderData: keepPreviousData,
    refetchInterval: ({ state }) =>
      state.data && [...state.data.surfaces, ...state.data.models, ...cardOf(state.data)].some(waits)
        ? 600
        : false,
  });
  return data ?? { surfaces: [], models: [], card: null };
}

const cardOf = ({ card }: Pieces) => (card ? [card] : []);
