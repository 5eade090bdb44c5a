import { asked, client, type PickedReflectance, type Placed } from "../../api/client";
import { pair } from "../../geometry/points";
import { say } from "../../state/notices";
import type { Kind } from "../kind";

type Spot = [number, number];
type Question = {
  at: Spot;
  radius_px: number;
  facing: "level";
  in_sun: boolean | null;
  beside: Spot | null;
  like: Spot | null;
};

const SHARE = 1 / 300;
const WHAT = "click in the photograph on what it shall be painted like";

/** A surface's colour, taken from a patch of the photograph. */
export const kind: Kind = {
  name: "colour",
  rank: 5,
  tool: {
    grasp: "clicks",
    prompts: {
      judged: [WHAT],
      sun: [WHAT],
      shade: [WHAT],
      beside: [WHAT, "now the ground in the same light, of the same stone as elsewhere"],
      like: [
        WHAT,
        "now other stuff right beside it, that stands as it does in the same light",
        "and the same stuff where the sun or the open sky lights it",
      ],
    },
    async make([at = [0, 0], beside, like], { shotId, document, tool }) {
      const { thing = "", name = "", facing = "level", light = "judged" } = tool.about ?? {};
      const body: Question = {
        at: pair(at),
        radius_px: Math.max(3, (document.photograph?.width ?? 1000) * SHARE),
        facing: facing as "level",
        in_sun: light === "sun" || light === "shade" ? light === "sun" : null,
        beside: beside ? pair(beside) : null,
        like: like ? pair(like) : null,
      };
      try {
        const told = await asked<PickedReflectance>(
          client.POST("/api/v1/shots/{shot_id}/reflectance", { params: { path: { shot_id: shotId } }, body }),
        );
        const percent = told.colour.map((v) => Math.round(v * 100)).join(", ");
        say(
          `It throws back ${percent} % of red, green and blue, ± ${Math.round(told.sigma * 100)} % of that; taken ${like ? "by what is beside it and elsewhere" : beside ? "as the ground beside it" : told.in_sun ? "in the sun" : "in shade"}. ${told.notes.join(" ")}`,
        );
        const surfaces = { [name]: { colour: told.colour } } as unknown as Placed["surfaces"];
        return {
          patch: { models: { [thing]: { surfaces } } },
          label: `colour of ${name} from the photograph`,
        };
      } catch (error) {
        say((error as Error).message, "wrong");
        return null;
      }
    },
  },
};
