import type { World } from "./points";

const DEGREES = 180 / Math.PI;

/** The sun that throws the shadow of a point onto another one; plain geometry, held by the core's fixtures. */
export function sunThrough(top: World, tip: World): { azimuth_deg: number; elevation_deg: number } {
  const [dx, dy, rise] = [top[0] - tip[0], top[1] - tip[1], top[2] - tip[2]];
  const elevation = Math.atan2(rise, Math.hypot(dx, dy)) * DEGREES;
  return { azimuth_deg: Math.atan2(dy, dx) * DEGREES, elevation_deg: Math.min(Math.max(elevation, 1), 89.9) };
}
