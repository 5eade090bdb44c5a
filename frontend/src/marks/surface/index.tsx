import { cameraOf } from "../../geometry/camera";
import { hitUnder } from "../../live/hit";
import { useEditor } from "../../state/editor";
import { say } from "../../state/notices";
import type { Kind } from "../kind";

/** Points at a surface in the picture: its row unfolds in the list. */
export const kind: Kind = {
  name: "surface",
  rank: 4,
  tool: {
    grasp: "clicks",
    prompts: ["click on the surface that you mean"],
    make([at = [0, 0]], { document, derived }) {
      const camera = derived.camera && cameraOf(derived.camera);
      const hit = camera && hitUnder(camera, at, document.models);
      if (!hit) {
        say("No thing is there.");
        return null;
      }
      const { id } = hit.placed;
      useEditor.setState(({ folded }) => ({
        tool: null,
        folded: { ...folded, [`surfaces-${id}`]: false },
        selection: { kind: "texture", id: `${id}/${hit.material}` },
      }));
      return null;
    },
  },
};
