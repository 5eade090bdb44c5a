import type { Run } from "../../api/client";
import { pair } from "../../geometry/points";
import { RUNS } from "../../ui/runs";
import type { Kind } from "../kind";
import { EdgeList } from "./List";
import { EdgeOverlay } from "./Overlay";

/** Straight things along which the perspective is found. */
export const kind: Kind = {
  name: "edge",
  rank: 10,
  tool: {
    grasp: "strokes",
    finds: true,
    stays: true,
    make(from, to, { tool, id, free }) {
      const run = (tool.sort ?? "a") as Run;
      return {
        patch: { edges: { [id]: { id, run, points: [pair(from), pair(to)], by_hand: free } } },
        label: `edge of ${run === "plumb" ? "plumb" : RUNS[run].name.toLowerCase().replace("run a", "run A").replace("run b", "run B")}`,
        id,
        point: 1,
      };
    },
  },
  on: ["perspective"],
  Overlay: EdgeOverlay,
  refined: ({ edges }) => edges.flatMap(({ sharp, by_hand }) => (sharp && !by_hand ? [sharp.points] : [])),
  section: {
    step: "perspective",
    title: "Edges",
    fact: ({ document, derived }) => {
      const aside = derived.camera?.lines.filter((line) => line.aside).length ?? 0;
      return `${document.edges.length}${aside ? `, ${aside} set aside` : ""}`;
    },
    Panel: EdgeList,
    when: ({ document }) => document.edges.length > 0,
  },
};
