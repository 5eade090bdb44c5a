import { cameraOf, ray } from "../../geometry/camera";
import { pair } from "../../geometry/points";
import { wayInPanorama } from "../../geometry/turning";
import type { Kind } from "../kind";
import { PointingOverlay } from "./Overlay";

/** The same thing twice: pulled from where the panorama shows it to where the photograph does. */
export const kind: Kind = {
  name: "pointing",
  rank: 60,
  tool: {
    grasp: "strokes",
    stays: true,
    make(from, to, { accepted: { camera, around }, id }) {
      const label = "pointing at the panorama";
      if (!camera || !around) return { patch: {}, label };
      const [x, y, z] = wayInPanorama(around, ray(cameraOf(camera), from));
      return { patch: { pointings: { [id]: { id, way: [x, y, z], at: pair(to) } } }, label };
    },
  },
  on: ["light"],
  Overlay: PointingOverlay,
};
