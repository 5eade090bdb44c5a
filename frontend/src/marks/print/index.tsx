import type { Print } from "../../api/client";
import { cameraOf } from "../../geometry/camera";
import { hitUnder } from "../../live/hit";
import { say } from "../../state/notices";
import type { Kind } from "../kind";
import { PrintOverlay } from "./Overlay";

/** Prints: graphics laid on a thing where one clicks on it. */
export const kind: Kind = {
  name: "print",
  rank: 70,
  tool: {
    grasp: "clicks",
    prompts: ["click on the thing where the print shall lie"],
    make([at = [0, 0]], { document, derived, tool, id }) {
      const camera = derived.camera && cameraOf(derived.camera);
      const hit = camera && hitUnder(camera, at, document.models);
      if (!hit) {
        say("No thing is there: click on one that shows in the live view.");
        return null;
      }
      const { file = "", name = "" } = tool.about ?? {};
      const highest = Math.max(-1, ...Object.values(hit.placed.prints).map((one) => one.above));
      const print: Print = {
        ...NEW_PRINT,
        file,
        name,
        at: [...hit.at],
        facing: [...hit.facing],
        above: highest + 1,
      };
      return {
        patch: { models: { [hit.placed.id]: { prints: { [id]: print } } } },
        label: `print on the ${hit.placed.name}`,
        id: `${hit.placed.id}/${id}`,
      };
    },
  },
  on: ["place"],
  Overlay: PrintOverlay,
};

export const NEW_PRINT: Omit<Print, "file"> = {
  name: "",
  lay: "patch",
  material: null,
  at: [0, 0, 0],
  facing: [0, 0, 1],
  width_mm: 200,
  turn_deg: 0,
  shift_mm: [0, 0],
  mirrored: false,
  above: 0,
  gloss: 0.4,
  metal: 0,
  relief_mm: 0,
  glow: 0,
  time_s: 0,
  plays: null,
};
