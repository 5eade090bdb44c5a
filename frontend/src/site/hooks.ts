import { useQuery, useQueryClient } from "@tanstack/react-query";
import { asked, client, type SiteOut, type Tie, type Way } from "../api/client";
import { noteAccepted, readFresh } from "../api/fresh";
import type { ImagePoint } from "../geometry/points";
import { inLine } from "../state/changes";
import { say } from "../state/notices";

/** A merge patch of the site; its things are addressed by their ids. */
export type SitePatch = Record<string, unknown>;

const path = (projectId: string) => ({ params: { path: { project_id: projectId } } });
const NEWS_MS = 1500;

/** A project's site with all that follows from it; asked for again and again, others may work on it too. */
export const useSite = (projectId: string) =>
  useQuery({
    queryKey: ["site", projectId],
    queryFn: () =>
      readFresh(projectId, () =>
        asked<SiteOut>(client.GET("/api/v1/projects/{project_id}/site", path(projectId))),
      ),
    refetchInterval: NEWS_MS,
  });

/** Where the other photographs show what a tie shows in one of them. */
export const useWays = (site: SiteOut, projectId: string, tie: Tie | undefined, from: string | undefined) => {
  const at = tie && from ? tie.seen[from] : undefined;
  return useQuery({
    queryKey: ["way", projectId, site.revision, from, at?.[0], at?.[1], tie?.on_ground],
    queryFn: async () => {
      const query = {
        shot: from ?? "",
        x: at?.[0] ?? 0,
        y: at?.[1] ?? 0,
        on_ground: tie?.on_ground ?? false,
      };
      const params = { path: { project_id: projectId }, query };
      return (await asked<{ ways: Way[] }>(client.GET("/api/v1/projects/{project_id}/site/way", { params })))
        .ways;
    },
    enabled: at !== undefined,
  });
};

export function useSiteActions(projectId: string) {
  const queries = useQueryClient();
  const take = (site: SiteOut) => {
    noteAccepted(projectId);
    queries.setQueryData(["site", projectId], site);
    void queries.invalidateQueries({ queryKey: ["shot"] }); // their cameras have followed
  };
  // One after the other: what is pressed while a change is on its way is made to the revision after it.
  const run = (work: () => Promise<SiteOut>): Promise<boolean> =>
    inLine(async () => {
      try {
        take(await work());
        return true;
      } catch (error) {
        say((error as Error).message, "wrong");
        void queries.invalidateQueries({ queryKey: ["site", projectId] });
        return false;
      }
    });
  const revision = () => queries.getQueryData<SiteOut>(["site", projectId])?.revision ?? 0;
  return {
    change: (patch: SitePatch, label: string) =>
      run(() => {
        const body = { revision: revision(), patch, label };
        return asked(client.PATCH("/api/v1/projects/{project_id}/site", { ...path(projectId), body }));
      }),
    undo: () =>
      run(() => {
        const body = { revision: revision() };
        return asked(client.POST("/api/v1/projects/{project_id}/site/undo", { ...path(projectId), body }));
      }),
    redo: () =>
      run(() => {
        const body = { revision: revision() };
        return asked(client.POST("/api/v1/projects/{project_id}/site/redo", { ...path(projectId), body }));
      }),
    survey: (text: string) =>
      run(() => {
        const body = { revision: revision(), text };
        return asked(client.POST("/api/v1/projects/{project_id}/site/survey", { ...path(projectId), body }));
      }),
  };
}

export type SiteActions = ReturnType<typeof useSiteActions>;

/** How a tie is called in words. */
export const calledTie = (site: SiteOut, id: string): string => {
  const number = site.document.ties.findIndex((tie) => tie.id === id);
  return site.document.ties[number]?.name || `Tie ${number + 1}`;
};

/** A patch that marks a tie in a picture, or takes its mark away. */
export const seenPatch = (id: string, shot: string, at: ImagePoint | null): SitePatch => ({
  ties: { [id]: { seen: { [shot]: at ? [at[0], at[1]] : null } } },
});
