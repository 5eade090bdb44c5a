import type { HandCamera, Shot, SolvedCamera } from "../api/client";

type ShotCamera = Shot["camera"];

/** A camera as a merge patch over another one: what the new one does not have is taken out. */
export function cameraPatch(now: ShotCamera, next: ShotCamera): ShotCamera {
  const gone = Object.fromEntries(Object.keys(now).map((name) => [name, null]));
  return { ...gone, ...next } as ShotCamera;
}

/** The settings of a camera that is solved from edges, as a new shot has them. */
export function solvedCamera(document: Shot): SolvedCamera {
  const notes = document.photograph?.notes;
  const expected = notes?.focal_35mm && !notes.cropped ? notes.focal_35mm : null;
  return {
    kind: "solved",
    focal_35mm: null,
    focal_prior: expected ? { focal_35mm: expected, width: 0.03 } : null,
    principal_point: "centre",
    distortion: "none",
    robust: true,
    height: null,
    x_along: "a",
  };
}

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
