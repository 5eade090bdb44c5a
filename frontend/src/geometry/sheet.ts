/** A flat sheet in the world, to be pulled about in the picture: textures and prints on a surface. */
import { type Camera, ray } from "./camera";
import type { ImagePoint, World } from "./points";

/** A point, and three unit vectors: to the right and up on the sheet, and out of it. */
export type Sheet = { at: World; right: World; up: World; out: World };

const dot = (a: World, b: World) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cross = (a: World, b: World): World => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
const less = (a: World, b: World): World => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const unit = (a: World): World => {
  const length = Math.hypot(...a) || 1;
  return [a[0] / length, a[1] / length, a[2] / length];
};

/** A sheet on a surface, upright as far as it can be (as `_frame` in `core/materials/unfold.py`). */
export function sheetOn(at: World, out: World, up: World): Sheet {
  let level = cross(up, out);
  if (Math.hypot(...level) < 0.05) level = cross(Math.abs(out[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0], out);
  const right = unit(level);
  return { at, right, up: cross(out, right), out };
}

/** The side of a box that a surface faces: its own right and up (as `_SIDES` in `core/materials/laying.py`). */
export function boxSheet(at: World, out: World): Sheet {
  const axis = ([0, 1, 2] as const).reduce((a, b) => (Math.abs(out[b]) > Math.abs(out[a]) ? b : a));
  const sign = out[axis] < 0 ? -1 : 1;
  const sides: Record<0 | 1 | 2, [World, World]> = {
    0: [
      [0, sign, 0],
      [0, 0, 1],
    ],
    1: [
      [-sign, 0, 0],
      [0, 0, 1],
    ],
    2: [
      [1, 0, 0],
      [0, sign, 0],
    ],
  };
  const [right, up] = sides[axis];
  return { at, right, up, out };
}

/** A sheet's vectors turned; its size is not. */
export function turnedSheet({ at, ...vectors }: Sheet, turn: (v: World) => World, to: World = at): Sheet {
  return {
    at: to,
    right: unit(turn(vectors.right)),
    up: unit(turn(vectors.up)),
    out: unit(turn(vectors.out)),
  };
}

/** A point of the sheet in the world, so far to the right and up [m]. */
export const onSheet = ({ at, right, up }: Sheet, x: number, y: number): World => [
  at[0] + x * right[0] + y * up[0],
  at[1] + x * right[1] + y * up[1],
  at[2] + x * right[2] + y * up[2],
];

/** Where a pixel's ray meets the sheet, to the right and up of its point [m]; null where it doesn't. */
export function pulledTo(sheet: Sheet, camera: Camera, pixel: ImagePoint): [number, number] | null {
  const way = ray(camera, pixel);
  const steep = dot(way, sheet.out);
  if (Math.abs(steep) < 1e-9) return null;
  const t = dot(less(sheet.at, camera.position), sheet.out) / steep;
  if (t <= 0) return null;
  const [px, py, pz] = camera.position;
  const away = less([px + t * way[0], py + t * way[1], pz + t * way[2]], sheet.at);
  return [dot(away, sheet.right), dot(away, sheet.up)];
}
