import { useQueryClient } from "@tanstack/react-query";
import { asked, client, Failure, type Lack, type RenderOut } from "../api/client";
import { useEditor } from "./editor";
import { say } from "./notices";

/** What a shot lacks to be rendered, in the screen's words. */
export const LACKS: Record<Lack, string> = {
  "no photograph": "A shot begins with a photograph.",
  "no camera": "The perspective is not solved yet: mark edges in two runs first.",
  "no scale": "Draw a yardstick first: without a known length the model has no size in the picture.",
  "no models": "Nothing stands in the photograph yet: bring a model first.",
  "no sun": "The sun is not known yet: mark a gnomon, or set the sun by hand in the Light step.",
};

export type Part = [number, number, number, number];

export function useRenderActions(shotId: string) {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["renders", shotId] });
  const tell = (error: Error) => {
    const lack = error instanceof Failure ? error.lacks[0] : undefined;
    say(lack ? LACKS[lack] : error.message, "wrong");
  };
  const run = (work: Promise<unknown>) => work.catch(tell).finally(refresh);
  const path = (render: RenderOut) => ({ params: { path: { render_id: render.id } } });
  return {
    /** A proof or master; of a proof perhaps only a part [px: x0, y0, x1, y1]. */
    ask: (quality: "proof" | "master", part: Part | null = null) =>
      run(
        asked<RenderOut>(
          client.POST("/api/v1/shots/{shot_id}/renders", {
            params: { path: { shot_id: shotId } },
            body: { quality, part },
          }),
        ).then(() => useEditor.getState().show(quality)),
      ),
    finer: (render: RenderOut) =>
      run(
        asked<RenderOut>(client.POST("/api/v1/renders/{render_id}/finer", path(render))).then(() =>
          useEditor.getState().show("master"),
        ),
      ),
    files: (master: RenderOut) =>
      run(asked<RenderOut>(client.POST("/api/v1/renders/{render_id}/files", path(master)))),
    /** A finished proof anew, as the shot stands. */
    follow: (render: RenderOut) =>
      run(asked<RenderOut>(client.POST("/api/v1/renders/{render_id}/follow", path(render)))),
    stop: (render: RenderOut) =>
      run(asked<RenderOut>(client.POST("/api/v1/renders/{render_id}/stop", path(render)))),
    restart: (render: RenderOut) =>
      run(asked<RenderOut>(client.POST("/api/v1/renders/{render_id}/restart", path(render)))),
  };
}
