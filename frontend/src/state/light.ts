import type { Shot } from "../api/client";
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
