import { asked, client, type HazeAnswer } from "../../api/client";
import { pair } from "../../geometry/points";
import { say } from "../../state/notices";
import type { Kind } from "../kind";

const SHARE = 1 / 400;

/** How hazy the air is, by one material near and far, and the haze itself. */
export const kind: Kind = {
  name: "hazy",
  rank: 6,
  tool: {
    grasp: "clicks",
    prompts: [
      "click some ground nearby",
      "now the same material far away",
      "now the haze itself, low over the horizon",
    ],
    async make([near, far, haze], { shotId, document }) {
      if (!near || !far || !haze) return null;
      const radius_px = Math.max(2, (document.photograph?.width ?? 1000) * SHARE);
      try {
        const told = await asked<HazeAnswer>(
          client.POST("/api/v1/shots/{shot_id}/haze", {
            params: { path: { shot_id: shotId } },
            body: { near: pair(near), far: pair(far), haze: pair(haze), radius_px },
          }),
        );
        say(`Half of the contrast is gone at ${told.half_m.toFixed(0)} m.`);
        return { patch: { blend: { haze: told } }, label: "haze" };
      } catch (error) {
        say((error as Error).message, "wrong");
        return null;
      }
    },
  },
};
