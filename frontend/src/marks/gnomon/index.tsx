import { pair } from "../../geometry/points";
import { hasSun } from "../../geometry/sun";
import type { Kind } from "../kind";
import { GnomonOverlay } from "./Overlay";
import { Gnomons } from "./Panel";

const TICK_PX = 3;

/** A thing and its shadow, or only a point and its shadow, which tell the sun. */
export const kind: Kind = {
  name: "gnomon",
  rank: 70,
  tool: {
    grasp: "clicks",
    prompts: {
      "": ["click the thing’s foot", "now its top", "now the tip of its shadow"],
      point: ["click a point that throws a shadow", "now that point’s shadow"],
    },
    make(points, { id, tool, free }) {
      const names = tool.sort === "point" ? (["top", "tip"] as const) : (["foot", "top", "tip"] as const);
      const made = Object.fromEntries(names.map((name, number) => [name, pair(points[number] ?? [0, 0])]));
      return {
        patch: { gnomons: { [id]: { id, by_hand: free, ...made } }, sun: { kind: "gnomons" } },
        label: "gnomon",
        id,
      };
    },
  },
  on: ["light"],
  Overlay: GnomonOverlay,
  refined: ({ gnomons }) =>
    gnomons.flatMap(({ shadow, sharp_top, by_hand }) => {
      if (by_hand) return [];
      const [x, y] = sharp_top?.at ?? [0, 0];
      const top: [number, number][][] = sharp_top
        ? [
            [
              [x - TICK_PX, y],
              [x + TICK_PX, y],
            ],
          ]
        : [];
      return [...(shadow ? [shadow.points] : []), ...top];
    }),
  section: {
    step: "light",
    title: "Gnomons",
    fact: ({ document }) => (document.gnomons.length ? `${document.gnomons.length} marked` : "none yet"),
    Panel: Gnomons,
    open: true,
    when: ({ document, derived }) => derived.camera !== null && hasSun(document),
  },
};
