import type { HandCamera, Shot } from "../api/client";

/** A camera to begin with by hand: as it is solved so far, or level at eye height. */
export function handCamera(document: Shot, solved: Partial<HandCamera> | null): HandCamera {
  const now = document.camera.kind === "solved" ? document.camera : null;
  return {
    kind: "hand",
    focal_35mm: now?.focal_35mm ?? now?.focal_prior?.focal_35mm ?? 28,
    height_m: now?.height?.metres ?? 1.6,
    tilt_deg: 0,
    roll_deg: 0,
    heading_deg: 60,
    held: document.edges.length && !solved ? ["edges"] : [],
    ...solved,
  };
}
