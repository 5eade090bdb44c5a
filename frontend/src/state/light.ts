import type { FileOut, Shot } from "../api/client";
import type { Patch } from "./patch";

/** An angle between -180° and 180°. */
export const shortest = (degrees: number) => ((((degrees + 180) % 360) + 360) % 360) - 180;

/** The sun pulled somewhere by hand; a panorama turns with it, as it holds its own. */
export function sunPulled(
  { lit_by, panorama }: Shot,
  to: { azimuth_deg: number; elevation_deg: number },
): Patch {
  return lit_by === "panorama" && panorama?.dome
    ? { panorama: { turn_deg: shortest(to.azimuth_deg - panorama.dome.azimuth_deg) }, pointings: [] }
    : { sun: { kind: "hand", ...to } };
}

/** Lit by a panorama; how another one before it was turned and graded is nothing to it. */
export function litBy({ panorama }: Shot, { sha256 }: FileOut): Patch {
  const file = `sha256:${sha256}`;
  if (panorama?.file === file) return { lit_by: "panorama" };
  const straight = { turn_deg: 0, pitch_deg: 0, roll_deg: 0, disc: false, here: false };
  const ungraded = { strength: 1, saturation: 1, warmth: 0 };
  return { panorama: { file, ...straight, ...ungraded }, pointings: [], lit_by: "panorama" };
}
