import { pair } from "../../geometry/points";
import type { Kind } from "../kind";
import { OriginOverlay } from "./Overlay";
import { Origin } from "./Panel";

/** Where x and y are zero, and which way x runs. */
export const kind: Kind = {
  name: "origin",
  rank: 40,
  tool: {
    grasp: "clicks",
    prompts: ["click on the ground"],
    make: ([at = [0, 0]]) => ({ patch: { origin: pair(at) }, label: "origin" }),
  },
  on: ["ground"],
  Overlay: OriginOverlay,
  section: {
    step: "ground",
    title: "Origin",
    fact: ({ document }) => (document.origin ? "set" : "below the camera"),
    Panel: Origin,
  },
};
