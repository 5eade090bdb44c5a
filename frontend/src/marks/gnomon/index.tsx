import { pair } from "../../geometry/points";
import type { Kind } from "../kind";
import { GnomonOverlay } from "./Overlay";
import { Gnomons } from "./Panel";

/** A thing and its shadow, which tell the sun. */
export const kind: Kind = {
  name: "gnomon",
  rank: 70,
  tool: {
    grasp: "clicks",
    prompts: ["click the thing’s foot", "now its top", "now the tip of its shadow"],
    make([foot = [0, 0], top = [0, 0], tip = [0, 0]], { id }) {
      const made = { id, foot: pair(foot), top: pair(top), tip: pair(tip) };
      return { patch: { gnomons: { [id]: made }, sun: { kind: "gnomons" } }, label: "gnomon" };
    },
  },
  on: ["light"],
  Overlay: GnomonOverlay,
  section: {
    step: "light",
    title: "Gnomons",
    fact: ({ document }) => (document.gnomons.length ? `${document.gnomons.length} marked` : "none yet"),
    Panel: Gnomons,
    open: true,
    when: ({ derived }) => derived.camera !== null,
  },
};
