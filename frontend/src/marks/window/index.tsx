import type { LitWindow } from "../../api/client";
import { pair } from "../../geometry/points";
import type { Kind } from "../kind";
import { LitWindows } from "./Live";
import { WindowOverlay } from "./Overlay";
import { Windows } from "./Panel";

/** Windows in the photograph by which light comes in. */
export const kind: Kind = {
  name: "window",
  rank: 75,
  tool: {
    grasp: "clicks",
    prompts: [
      "click the top left corner of the bright pane",
      "now its top right corner",
      "its bottom right corner",
      "its bottom left corner",
      "and the floor plumb below that corner",
    ],
    make([a = [0, 0], b = [0, 0], c = [0, 0], d = [0, 0], foot = [0, 0]], { document, id }) {
      const made: LitWindow = {
        id,
        name: `Window ${document.windows.length + 1}`,
        corners: [pair(a), pair(b), pair(c), pair(d)],
        width_m: null,
        foot: pair(foot),
        strength: 1,
        held: false,
        hidden: false,
        sunny: document.windows.some((one) => one.sunny),
        seen: null,
      };
      return { patch: { windows: { [id]: made } }, label: "window", id };
    },
  },
  on: ["light"],
  Overlay: WindowOverlay,
  Live: LitWindows,
  section: {
    step: "light",
    title: "Windows",
    fact: ({ document }) => (document.windows.length ? `${document.windows.length} marked` : "none"),
    Panel: Windows,
  },
};
