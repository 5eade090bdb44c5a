import { pair } from "../../geometry/points";
import type { Kind } from "../kind";
import { PenumbraOverlay } from "./Overlay";
import { Penumbras, softnessFact } from "./Panel";

/** A stroke across a shadow's soft edge, which tells how large the sun appears. */
export const kind: Kind = {
  name: "penumbra",
  rank: 73,
  tool: {
    grasp: "clicks",
    prompts: [
      "click in the full light beside a shadow’s edge",
      "now opposite, in the full shade",
      "now the point of the thing that throws this edge",
    ],
    make([light = [0, 0], shade = [0, 0], top = [0, 0]], { id }) {
      const made = { id, across: [pair(light), pair(shade)], top: pair(top), height_m: null };
      return {
        patch: { penumbras: { [id]: made }, sun: { softness_deg: null } },
        label: "soft edge",
        id,
      };
    },
  },
  on: ["light"],
  Overlay: PenumbraOverlay,
  section: {
    step: "light",
    title: "Softness",
    fact: softnessFact,
    Panel: Penumbras,
    when: ({ derived, document }) =>
      derived.sun_shown !== null && (document.lit_by === "day" || document.panorama?.disc === true),
  },
};
