import { asked, client, type FocusAnswer } from "../../api/client";
import { pair } from "../../geometry/points";
import { say } from "../../state/notices";
import type { Kind } from "../kind";

/** Where the photograph is sharp and how open its lens was, by two spots of the ground. */
export const kind: Kind = {
  name: "focus",
  rank: 6,
  tool: {
    grasp: "clicks",
    prompts: ["click where the ground is sharpest", "now where it is out of focus, among edges"],
    async make([sharp, soft], { shotId }) {
      if (!sharp || !soft) return null;
      try {
        const { focus_m, aperture_mm, softness_px, soft_m, disc_px } = await asked<FocusAnswer>(
          client.POST("/api/v1/shots/{shot_id}/focus", {
            params: { path: { shot_id: shotId } },
            body: { sharp: pair(sharp), soft: pair(soft) },
          }),
        );
        say(
          `Sharp at ${focus_m.toFixed(2)} m; at ${soft_m.toFixed(2)} m a point is spread over ${(2 * disc_px).toFixed(1)} px.`,
        );
        return { patch: { blend: { lens: { focus_m, aperture_mm, softness_px } } }, label: "depth of field" };
      } catch (error) {
        say((error as Error).message, "wrong");
        return null;
      }
    },
  },
};
