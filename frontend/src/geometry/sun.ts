import type { Shot } from "../api/client";
import type { World } from "./points";

const DEGREES = 180 / Math.PI;

/** The sun that throws the shadow of a point onto another one; plain geometry, held by the core's fixtures. */
export function sunThrough(top: World, tip: World): { azimuth_deg: number; elevation_deg: number } {
  const [dx, dy, rise] = [top[0] - tip[0], top[1] - tip[1], top[2] - tip[2]];
  const elevation = Math.atan2(rise, Math.hypot(dx, dy)) * DEGREES;
  return { azimuth_deg: Math.atan2(dy, dx) * DEGREES, elevation_deg: Math.min(Math.max(elevation, 1), 89.9) };
}

/** Whether sun comes into the place: always by day, in a room by the windows of which that is said. */
export const hasSun = ({ lit_by, windows }: Shot): boolean =>
  lit_by !== "room" || windows.some(({ sunny, hidden }) => sunny && !hidden);

/**
 * Windows as the sun sees them, on a plane square to its direction: two axes and the corners by these, for each
 * window.
 */
export function seenBySun(sun: World, windows: readonly (readonly World[])[]) {
  const flat = Math.hypot(sun[0], sun[1]) || 1;
  const right: World = [-sun[1] / flat, sun[0] / flat, 0];
  const up: World = [-sun[2] * right[1], sun[2] * right[0], sun[0] * right[1] - sun[1] * right[0]];
  const along = (axis: World, at: World) => axis[0] * at[0] + axis[1] * at[1] + axis[2] * at[2];
  const outlines = windows.map((corners) => corners.map((at) => [along(right, at), along(up, at)] as const));
  return { right, up, outlines };
}
