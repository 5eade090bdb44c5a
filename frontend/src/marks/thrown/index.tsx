import { pair } from "../../geometry/points";
import type { Kind } from "../kind";
import { ThrownOverlay } from "./Overlay";
import { Thrown } from "./Panel";
import { shadesOf } from "./words";

/** The shadow of something drawn in Contact: points along its outline on the ground tell the sun. */
export const kind: Kind = {
  name: "thrown",
  rank: 72.5,
  tool: {
    grasp: "clicks",
    prompts: {
      along: [
        "click along the edge of its shadow on the ground",
        "more along it; Enter, or the last again, ends it",
      ],
    },
    goesOn: ["along"],
    make(marks, { tool, document }) {
      const proxy = document.proxies.find(({ id }) => id === tool.about?.proxy);
      if (!proxy) return null;
      return {
        patch: { proxies: { [proxy.id]: { shadow: marks.map(pair) } }, sun: { kind: "gnomons" } },
        label: `shadow of ${proxy.name}`,
      };
    },
  },
  on: ["light"],
  Overlay: ThrownOverlay,
  section: {
    step: "light",
    title: "Shadows of drawn things",
    fact: ({ derived }) => (derived.thrown.length ? `${derived.thrown.length} marked` : "none yet"),
    Panel: Thrown,
    when: ({ document, derived }) =>
      derived.metric && document.lit_by !== "room" && document.proxies.some(shadesOf),
  },
};
