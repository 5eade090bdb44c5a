import { cameraOf, onPlane } from "../../geometry/camera";
import { footOf, withinCarrier } from "../../geometry/standing";
import { say } from "../../state/notices";
import type { Kind } from "../kind";

/** A row along a line drawn in the picture: a thing stands at its beginning, its copies evenly up to its end. */
export const kind: Kind = {
  name: "row",
  rank: 6,
  tool: {
    grasp: "clicks",
    prompts: ["click where the row begins", "click where it ends"],
    make([from = [0, 0], to = [0, 0]], { document, derived, tool }) {
      const placed = document.models.find(({ id }) => id === tool.about?.thing);
      const camera = derived.camera && cameraOf(derived.camera);
      if (!placed || !camera) return null;
      const height = footOf(placed, document.models).foot[2];
      const [begins, ends] = [onPlane(camera, from, height), onPlane(camera, to, height)];
      if (!begins || !ends) {
        say("One of its ends lies above the horizon: no ground is there.", "wrong");
        return null;
      }
      const [a, b] = [begins, ends].map((at) => withinCarrier(placed, document.models, at));
      if (!a || !b) return null;
      const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
      const length = Math.hypot(dx, dy);
      const wished = Number(tool.about?.spacing_m) || 1;
      const count = Math.min(Math.max(Math.round(length / wished) + 1, 2), 200);
      const row = {
        count,
        spacing_m: Math.max(Math.round((length / (count - 1)) * 1000) / 1000, 0.001),
        direction_deg: Math.round((Math.atan2(dy, dx) * 180 * 100) / Math.PI) / 100,
        spread_deg: placed.row?.spread_deg ?? 0,
        seed: placed.row?.seed ?? 1,
      };
      const position_m = [a[0], a[1], placed.position_m[2]] as [number, number, number];
      return {
        patch: { models: { [placed.id]: { position_m, row } } },
        label: `row of the ${placed.name} along a line`,
      };
    },
  },
};
