import type { Around } from "../../api/client";
import { type Camera, cameraOf, onPlane, ray } from "../../geometry/camera";
import { type ImagePoint, pair, type World } from "../../geometry/points";
import { pulledTurn, wayInPanorama } from "../../geometry/turning";
import { shortest } from "../../state/light";
import type { Kind } from "../kind";
import { PointingOverlay } from "./Overlay";

/** How far the ground that a panorama was taken over is turned by a pull; null where it is not ground that is pulled. */
function groundTurn(around: Around, camera: Camera, from: ImagePoint, to: ImagePoint): number | null {
  if (!around.lens_at_m) return null;
  const [one, two] = [from, to].map((p) => onPlane(camera, p, around.ground_m));
  return one && two ? pulledTurn(around.lens_at_m as World, one, two) : null;
}

/** The same thing twice: pulled from where the panorama shows it to where the photograph does. */
export const kind: Kind = {
  name: "pointing",
  rank: 60,
  tool: {
    grasp: "strokes",
    stays: true,
    make(from, to, { accepted: { camera, around }, document, id }) {
      const label = "pointing at the panorama";
      if (!camera || !around) return { patch: {}, label };
      const pulled = groundTurn(around, cameraOf(camera), from, to);
      if (pulled !== null) {
        const { turn_deg, pitch_deg, roll_deg } = around;
        const panorama = { turn_deg: shortest(turn_deg + pulled), pitch_deg, roll_deg };
        return {
          patch: { panorama, ...(document.pointings.length && { pointings: [] }) },
          label: "turn of the panorama",
        };
      }
      const [x, y, z] = wayInPanorama(around, ray(cameraOf(camera), from));
      return { patch: { pointings: { [id]: { id, way: [x, y, z], at: pair(to) } } }, label };
    },
  },
  on: ["light"],
  Overlay: PointingOverlay,
};
