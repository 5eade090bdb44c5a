import { asked, client, type GleamAnswer } from "../../api/client";
import { pair } from "../../geometry/points";
import { say } from "../../state/notices";
import type { Kind } from "../kind";

const SHARE = 1 / 640;

/** How strongly the ground mirrors and how blurred, by a mirror image that the photograph shows. */
export const kind: Kind = {
  name: "gleam",
  rank: 6,
  tool: {
    grasp: "clicks",
    prompts: [
      "click something bright whose mirror image is seen",
      "now what lies right beside it",
      "now its mirror image on the ground",
      "now the ground right beside that",
    ],
    async make([thing, behind, image, beside], { shotId, document }) {
      if (!thing || !behind || !image || !beside) return null;
      const radius_px = Math.max(1.5, (document.photograph?.width ?? 1000) * SHARE);
      const spots = { thing: pair(thing), behind: pair(behind), image: pair(image), beside: pair(beside) };
      try {
        const told = await asked<GleamAnswer>(
          client.POST("/api/v1/shots/{shot_id}/gleam", {
            params: { path: { shot_id: shotId } },
            body: { ...spots, radius_px },
          }),
        );
        const percent = (v: number) => `${Math.round(100 * v)} %`;
        const { roughness, roughness_sigma: sigma } = told;
        const blur =
          roughness == null
            ? "How blurred that is was not told: click across an upright edge, with room beside it."
            : `It is blurred by ${percent(roughness)} ± ${percent(2 * (sigma ?? 0))}.`;
        say(
          `The ground mirrors ${(100 * told.mirrors).toFixed(1)} % there: ${percent(told.coat)} ± ${percent(2 * told.sigma)} of what polished stone would. ${blur}`,
        );
        const ground = { coat: told.coat, ...(roughness == null ? {} : { roughness }) };
        return { patch: { ground }, label: "how the ground mirrors" };
      } catch (error) {
        say((error as Error).message, "wrong");
        return null;
      }
    },
  },
};
