/**
 * The solved camera, for drawing only: every number a user relies on comes from the server.
 * Conventions as in docs/methods/camera.md: x right, y down, z forward; rotation maps world to camera.
 */
import type { CameraAnswer } from "../api/client";
import type { ImagePoint, World } from "./points";

export type Camera = {
  focal: number;
  cx: number;
  cy: number;
  rotation: readonly (readonly number[])[];
  position: World;
  metric: boolean;
};

const triple = (v: readonly number[]): World => [v[0] ?? 0, v[1] ?? 0, v[2] ?? 0];

export function cameraOf(answer: CameraAnswer): Camera {
  const place = answer.camera_position ?? answer.camera_position_unit ?? [0, 0, 1];
  return {
    focal: answer.focal_px,
    cx: answer.principal_point[0],
    cy: answer.principal_point[1],
    rotation: answer.rotation,
    position: triple(place),
    metric: answer.camera_position !== null,
  };
}

const dot = (a: readonly number[], b: readonly number[]) =>
  (a[0] ?? 0) * (b[0] ?? 0) + (a[1] ?? 0) * (b[1] ?? 0) + (a[2] ?? 0) * (b[2] ?? 0);

export function toCamera(camera: Camera, p: World): World {
  const d = [p[0] - camera.position[0], p[1] - camera.position[1], p[2] - camera.position[2]];
  return triple(camera.rotation.map((row) => dot(row, d)));
}

/** The pixel of a world point; null behind the camera. */
export function project(camera: Camera, p: World): ImagePoint | null {
  const [x, y, z] = toCamera(camera, p);
  if (z < 1e-6) return null;
  return [(x / z) * camera.focal + camera.cx, (y / z) * camera.focal + camera.cy];
}

/** A segment's pixels, cut off where it would pass behind the camera. */
export function projectSegment(
  camera: Camera,
  a: World,
  b: World,
  near = 0.05,
): [ImagePoint, ImagePoint] | null {
  const one = toCamera(camera, a);
  const two = toCamera(camera, b);
  const margin = near * Math.max(camera.position[2], 0.1);
  if (one[2] < margin && two[2] < margin) return null;
  const cut = (from: World, to: World): World => {
    if (from[2] >= margin) return from;
    const t = (margin - from[2]) / (to[2] - from[2]);
    return [from[0] + t * (to[0] - from[0]), from[1] + t * (to[1] - from[1]), margin];
  };
  const pixel = ([x, y, z]: World): ImagePoint => [
    (x / z) * camera.focal + camera.cx,
    (y / z) * camera.focal + camera.cy,
  ];
  return [pixel(cut(one, two)), pixel(cut(two, one))];
}

/** The direction of the ray through a pixel, in the world, not of unit length. */
export function ray(camera: Camera, p: ImagePoint): World {
  const seen = [(p[0] - camera.cx) / camera.focal, (p[1] - camera.cy) / camera.focal, 1];
  return triple(
    [0, 1, 2].map((i) => camera.rotation.reduce((sum, row, j) => sum + (row[i] ?? 0) * (seen[j] ?? 0), 0)),
  );
}

/** Where the ray through a pixel meets the level plane at a height; null where it doesn't. */
export function onPlane(camera: Camera, p: ImagePoint, height: number): World | null {
  const d = ray(camera, p);
  const t = (height - camera.position[2]) / d[2];
  if (!Number.isFinite(t) || t <= 0) return null;
  return [camera.position[0] + t * d[0], camera.position[1] + t * d[1], height];
}

/** The height above the ground of the point plumb over `foot` that is nearest to the ray through a pixel. */
export function heightOver(camera: Camera, foot: World, p: ImagePoint): number {
  const d = ray(camera, p);
  const w = [foot[0] - camera.position[0], foot[1] - camera.position[1], foot[2] - camera.position[2]];
  const [dd, dz, wd, wz] = [dot(d, d), d[2], dot(w, d), w[2] ?? 0];
  const across = dd - dz * dz;
  return across < 1e-12 ? 0 : foot[2] + (dz * wd - dd * wz) / across;
}
