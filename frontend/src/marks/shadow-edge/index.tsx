import { pair } from "../../geometry/points";
import { hasSun } from "../../geometry/sun";
import type { Kind } from "../kind";
import { ShadowEdgeOverlay } from "./Overlay";
import { ShadowEdges } from "./Panel";

const SHADOW = ["now one end of that edge’s shadow", "now the other end of the shadow"];

/** A straight edge and the straight edge of its shadow: no ends need to match. */
export const kind: Kind = {
  name: "shadow-edge",
  rank: 72,
  tool: {
    grasp: "clicks",
    prompts: {
      plumb: ["click one end of the plumb edge", "now its other end", ...SHADOW],
      level: [
        "click one end of the level edge",
        "now its other end",
        ...SHADOW,
        "now the ground plumb below some point of the edge",
      ],
    },
    make([a = [0, 0], b = [0, 0], c = [0, 0], d = [0, 0], foot], { id, free }) {
      const drawn = { id, by_hand: free, edge: [pair(a), pair(b)], shadow: [pair(c), pair(d)] };
      const made = {
        ...drawn,
        runs: foot ? ("level" as const) : ("plumb" as const),
        foot: foot ? pair(foot) : null,
        height_m: null,
        level: null,
      };
      return {
        patch: { shadow_edges: { [id]: made }, sun: { kind: "gnomons" } },
        label: "shadow’s edge",
        id,
      };
    },
  },
  on: ["light"],
  Overlay: ShadowEdgeOverlay,
  refined: ({ shadow_edges }) =>
    shadow_edges
      .filter(({ by_hand }) => !by_hand)
      .flatMap(({ sharp_edge, sharp_shadow }) => [sharp_edge, sharp_shadow])
      .flatMap((line) => (line ? [line.points] : [])),
  section: {
    step: "light",
    title: "Shadows’ edges",
    fact: ({ document }) =>
      document.shadow_edges.length ? `${document.shadow_edges.length} marked` : "none yet",
    Panel: ShadowEdges,
    when: ({ document, derived }) => derived.camera !== null && hasSun(document),
  },
};
