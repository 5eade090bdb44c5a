import type { Length, Surface } from "../../api/client";
import { pair } from "../../geometry/points";
import { useEditor } from "../../state/editor";
import type { Kind } from "../kind";
import { LengthOverlay } from "./Overlay";
import { Lengths } from "./Panel";

/** Where a wall that is measured on stands: the foot of the wall on show. */
const footOf = (on: Surface): [number, number] | null => {
  const wall = useEditor.getState().spots.wall;
  return on.startsWith("wall") && wall ? pair(wall) : null;
};

/** Lengths in the picture: known ones (yardsticks) set the scale, others are measured. */
export const kind: Kind = {
  name: "length",
  rank: 30,
  tool: {
    grasp: "strokes",
    make(from, to, { document, tool, id }) {
      const on = (tool.sort ?? "ground") as Surface;
      const { level } = useEditor.getState();
      const made: Length = {
        id,
        on,
        from: pair(from),
        to: pair(to),
        foot: footOf(on),
        // The level in force may have been struck out, or undone, since it was chosen.
        level: document.levels.some((one) => one.id === level) ? level : null,
        metres: null,
        plus_minus_m: 0,
      };
      return { patch: { lengths: { [id]: made } }, label: "length", id };
    },
  },
  on: ["ground"],
  Overlay: LengthOverlay,
  section: {
    step: "ground",
    title: "Lengths",
    fact: ({ document }) => {
      const known = document.lengths.filter((one) => one.metres !== null).length;
      return document.lengths.length ? `${document.lengths.length}, ${known} known` : "none yet";
    },
    Panel: Lengths,
    open: true,
  },
};
