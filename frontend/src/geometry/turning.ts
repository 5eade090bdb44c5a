import type { Around } from "../api/client";
import type { World } from "./points";

/** A world direction in a turned panorama's own frame; the core's `rotation_of` the other way, held by its fixtures. */
export function wayInPanorama({ turn_deg, pitch_deg, roll_deg }: Around, [x, y, z]: World): World {
  const [t, p, r] = [turn_deg, pitch_deg, roll_deg].map((v) => (v * Math.PI) / 180) as [
    number,
    number,
    number,
  ];
  const [x1, y1] = [Math.cos(t) * x + Math.sin(t) * y, Math.cos(t) * y - Math.sin(t) * x];
  const [x2, z2] = [Math.cos(p) * x1 - Math.sin(p) * z, Math.sin(p) * x1 + Math.cos(p) * z];
  return [x2, Math.cos(r) * y1 + Math.sin(r) * z2, Math.cos(r) * z2 - Math.sin(r) * y1];
}

/** By how much ground that is pulled from one point to another turns about a lens's foot [deg], counter-clockwise. */
export function pulledTurn([x, y]: World, from: World, to: World): number {
  const angle = (p: World) => Math.atan2(p[1] - y, p[0] - x);
  return ((angle(to) - angle(from)) * 180) / Math.PI;
}
