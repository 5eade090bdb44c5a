import type { Matte } from "../../api/client";
import { pair } from "../../geometry/points";
import type { Kind } from "../kind";
import { MatteFronts } from "./Front";
import { MatteOverlay } from "./Overlay";
import { Mattes } from "./Panel";

export const newMatte = (id: string, kind: Matte["kind"], number: number): Matte => ({
  id,
  name: `In front ${number}`,
  kind,
  points: [],
  curved: false,
  strokes: [],
  found: [],
  softness_px: kind === "brush" ? 2 : 1,
  choke_px: 0,
  fringe_px: 0,
  distance_m: null,
  foot: null,
  hidden: false,
});

/** Mattes: what of the photograph stands in front of the models. */
export const kind: Kind = {
  name: "matte",
  rank: 84,
  tool: {
    grasp: "clicks",
    prompts: {
      outline: [
        "click along its outline",
        "the next point",
        "the next point, and so on; click the first to close it",
      ],
      foot: ["click the ground right below it"],
    },
    goesOn: ["outline"],
    make(marks, { document, tool, id }) {
      const about = tool.about?.matte;
      const [at] = marks;
      if (tool.sort === "foot")
        return about && at
          ? {
              patch: { mattes: { [about]: { foot: pair(at), distance_m: null } } },
              label: "where it stands",
              id: about,
            }
          : null;
      const made = { ...newMatte(id, "outline", document.mattes.length + 1), points: marks.map(pair) };
      return { patch: { mattes: { [id]: made } }, label: "outline of what stands in front", id };
    },
  },
  on: ["contact"],
  Overlay: MatteOverlay,
  Front: MatteFronts,
  section: {
    step: "contact",
    title: "What stands in front",
    fact: ({ document }) => (document.mattes.length ? `${document.mattes.length} drawn` : "nothing"),
    Panel: Mattes,
  },
};
