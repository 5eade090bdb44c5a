import { pair } from "../../geometry/points";
import type { Kind } from "../kind";
import { PatchOverlay } from "./Overlay";
import { Patches } from "./Panel";
import { radiusOf } from "./words";

/** Patches of one material in light and in shade, which tell how strong the lights are. */
export const kind: Kind = {
  name: "patch",
  rank: 77,
  tool: {
    grasp: "clicks",
    prompts: ["click on an even spot: of the ground, lit or in shade"],
    make([at = [0, 0]], { document, id }) {
      const made = { id, at: pair(at), radius_px: radiusOf(document.photograph?.width) };
      return { patch: { patches: { [id]: made } }, label: "patch of light", id };
    },
  },
  on: ["light"],
  Overlay: PatchOverlay,
  section: {
    step: "light",
    title: "Patches",
    fact: ({ document }) => (document.patches.length ? `${document.patches.length} marked` : "none yet"),
    Panel: Patches,
    open: true,
    when: ({ document, derived }) =>
      derived.sun_shown !== null || document.lit_by === "room" || document.sky.cover === 1,
  },
};
