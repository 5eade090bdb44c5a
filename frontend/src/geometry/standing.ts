import type { Placed } from "../api/client";
import type { World } from "./points";

/** A read model: its size in metres as the reader took it, the metres of its file's unit, and the axis taken for up. */
export type Read = { size: World; unit_m: number; up: "y" | "z" };

/** How a model stands (`placement` in `core/render/scene.py`; both hold the same fixtures). */
export type Standing = {
  /** Along its own x, across it, and up, in metres. */
  size: World;
  scale: number;
  /** Quarter turns about x that put it upright, and the shift that puts its foot's middle back to the origin. */
  quarter: -1 | 0 | 1;
  refoot: World;
};

const METRES = { mm: 0.001, cm: 0.01, m: 1, inch: 0.0254, foot: 0.3048 };

export function standing(placed: Placed, read: Read): Standing {
  const scale = placed.size * (placed.unit ? METRES[placed.unit] / read.unit_m : 1);
  const quarter = !placed.up || placed.up === read.up ? 0 : placed.up === "y" ? 1 : -1;
  const [w, d, h] = read.size;
  const upright: World = quarter ? [w, h, d] : [w, d, h];
  return {
    size: [upright[0] * scale, upright[1] * scale, upright[2] * scale],
    scale,
    quarter,
    refoot: quarter ? [0, (quarter * h) / 2, d / 2] : [0, 0, 0],
  };
}

/** Where a point of the model, told from the middle of its foot, comes to stand in the world. */
export function stood(placed: Placed, read: Read, point: World): World {
  const { scale, quarter, refoot } = standing(placed, read);
  const [x, y, z] = point;
  const upright: World = quarter === 0 ? point : quarter === 1 ? [x, -z, y] : [x, z, -y];
  const [a, b, c] = [upright[0] + refoot[0], upright[1] + refoot[1], upright[2] + refoot[2]];
  const angle = (placed.turn_deg * Math.PI) / 180;
  const [cos, sin] = [Math.cos(angle) * scale, Math.sin(angle) * scale];
  const [px, py, pz] = placed.position_m;
  return [px + cos * a - sin * b, py + sin * a + cos * b, pz + scale * c];
}
