import type { Level } from "../../api/client";
import { pair } from "../../geometry/points";
import { useEditor } from "../../state/editor";
import type { Kind } from "../kind";
import { LevelOverlay } from "./Overlay";
import { Levels } from "./Panel";

/** Level planes above or below the ground: a table, a step, a quay. */
export const kind: Kind = {
  name: "level",
  rank: 50,
  tool: {
    grasp: "clicks",
    prompts: ["click a point of the ground below it", "now the level’s edge, plumb above"],
    make([foot = [0, 0], at = [0, 0]], { document, id }) {
      const name = `Level ${document.levels.length + 1}`;
      const made: Level = { id, name, height_m: null, foot: pair(foot), at: pair(at) };
      useEditor.setState({ level: id });
      return { patch: { levels: { [id]: made } }, label: "level", id };
    },
  },
  on: ["ground"],
  Overlay: LevelOverlay,
  section: {
    step: "ground",
    title: "Levels",
    fact: ({ document }) => (document.levels.length ? `${document.levels.length}` : "none"),
    Panel: Levels,
  },
};
