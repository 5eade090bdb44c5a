import type { Pane } from "../../api/client";
import { pair } from "../../geometry/points";
import { useEditor } from "../../state/editor";
import type { Kind } from "../kind";
import { HungPanes } from "./Live";
import { PaneOverlay } from "./Overlay";
import { Panes } from "./Panel";

/** Panes: flat pictures or films hung on four corners of the photograph. */
export const kind: Kind = {
  name: "pane",
  rank: 65,
  tool: {
    grasp: "clicks",
    prompts: [
      "click where its top left corner shall be",
      "now its top right corner",
      "its bottom right corner",
      "and its bottom left corner",
    ],
    make([a = [0, 0], b = [0, 0], c = [0, 0], d = [0, 0]], { document, tool, id }) {
      const { file, name } = tool.about ?? {};
      const pane: Pane = {
        id,
        name: name || `Pane ${document.panes.length + 1}`,
        file: file || null,
        time_s: 0,
        plays: null,
        corners: [pair(a), pair(b), pair(c), pair(d)],
        width_m: null,
        foot: null,
        lit: "by the place",
        brightness: 1,
        brightness_in: "white",
        gloss: 0.2,
        glass: false,
        frame_mm: 0,
        frame_colour: [0.03, 0.03, 0.03],
        thickness_mm: 0,
        free: false,
        hidden: false,
      };
      // The live view shows what was hung.
      if (useEditor.getState().view === "photo") useEditor.getState().show("live");
      return { patch: { panes: { [id]: pane } }, label: "hang a pane", id };
    },
  },
  on: ["place"],
  Overlay: PaneOverlay,
  Live: HungPanes,
  section: {
    step: "place",
    title: "Panes",
    fact: ({ document }) => (document.panes.length ? `${document.panes.length}` : "none"),
    Panel: Panes,
  },
};
