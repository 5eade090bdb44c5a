import type { Derived, Shot } from "../api/client";
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

/** The corners of those windows by which it comes into a room. */
export function letting({ windows }: Shot, derived: Derived): World[][] {
  const sunny = new Set(windows.filter((one) => one.sunny && !one.hidden).map(({ id }) => id));
  return derived.windows.flatMap(({ id, corners_m }) => (sunny.has(id) && corners_m ? [corners_m] : []));
}

/** Two unit axes square to the way to the sun and to one another, the first of them level. */
export function axesAcross(sun: World): readonly [World, World] {
  const flat = Math.hypot(sun[0], sun[1]) || 1;
  const right: World = [-sun[1] / flat, sun[0] / flat, 0];
  return [right, [-sun[2] * right[1], sun[2] * right[0], sun[0] * right[1] - sun[1] * right[0]]];
}
