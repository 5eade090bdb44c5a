import { pair } from "../../geometry/points";
import type { Kind } from "../kind";
import { LampGlyphs } from "./Glyph";
import { LitLamps } from "./Live";
import { LampOverlay } from "./Overlay";
import { Lamps } from "./Panel";
import { newLamp } from "./words";

/** Lamps: those in the photograph, and those that are added to the place. */
export const kind: Kind = {
  name: "lamp",
  rank: 76,
  tool: {
    grasp: "clicks",
    prompts: {
      "": ["click the lamp’s bright middle", "now the ground plumb below it"],
      new: ["click the ground below the new lamp", "now how high it shall hang"],
    },
    make([first = [0, 0], second = [0, 0]], { document, id, tool }) {
      const photographed = tool.sort !== "new";
      const [at, foot] = photographed ? [first, second] : [second, first];
      const name = `${photographed ? "Lamp" : "New lamp"} ${document.lamps.length + 1}`;
      const made = { ...newLamp(id, name), at: pair(at), foot: pair(foot), photographed };
      return { patch: { lamps: { [id]: made } }, label: photographed ? "lamp" : "new lamp", id };
    },
  },
  on: ["light"],
  Overlay: LampOverlay,
  Live: LitLamps,
  Glyph: LampGlyphs,
  section: {
    step: "light",
    title: "Lamps",
    fact: ({ document }) => (document.lamps.length ? `${document.lamps.length}` : "none"),
    Panel: Lamps,
  },
};
