import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { asked, client, type RenderOut, type ShotOut, type TakeOut } from "../api/client";
import { isBusy } from "../api/hooks";
import { say } from "../state/notices";

export type Work = "plate" | "front" | "walk" | "film";

/** A shot's take with the work on it; asked again and again while some is under way. */
export function useTake(shot: ShotOut): TakeOut | undefined {
  const queries = useQueryClient();
  const { data } = useQuery({
    queryKey: ["take", shot.id, shot.revision],
    queryFn: () =>
      asked<TakeOut>(client.GET("/api/v1/shots/{shot_id}/take", { params: { path: { shot_id: shot.id } } })),
    enabled: shot.document.take !== null,
    placeholderData: keepPreviousData,
    refetchInterval: ({ state }) => (Object.values(state.data?.work ?? {}).some(isBusy) ? 700 : 5000),
  });
  // A clean plate becomes the shot's photograph on the server: the shot is asked for anew when one is done.
  const done = data?.work.plate?.state === "done" ? data.work.plate.id : null;
  const seen = useRef(done);
  useEffect(() => {
    if (done && done !== seen.current) queries.invalidateQueries({ queryKey: ["shot", shot.id] });
    seen.current = done;
  }, [done, queries, shot.id]);
  return data;
}

/** Have something done with a take. */
export function useTakeWork(shot: ShotOut) {
  const queries = useQueryClient();
  return async (work: Work) => {
    try {
      await asked<RenderOut>(
        client.POST("/api/v1/shots/{shot_id}/take/{work}", { params: { path: { shot_id: shot.id, work } } }),
      );
      await queries.invalidateQueries({ queryKey: ["take", shot.id] });
      await queries.invalidateQueries({ queryKey: ["renders", shot.id] });
    } catch (error) {
      say((error as Error).message, "wrong");
    }
  };
}

/** A frame of the take itself. */
export const takeFrameUrl = (shotId: string, frame: number) => `/api/v1/shots/${shotId}/take/frames/${frame}`;
/** A frame that was made: who is in front in it, or the finished one. */
export const madeFrameUrl = (render: RenderOut, frame: number) =>
  `/api/v1/renders/${render.id}/frames/${frame}`;
