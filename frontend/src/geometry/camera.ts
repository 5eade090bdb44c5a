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
  /** Radial distortion: x_d = x_u (1 + k1 r²), r in focal lengths. */
  k1: number;
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
    k1: answer.distortion_k1,
    metric: answer.camera_position !== null,
  };
}

const dot = (a: readonly number[], b: readonly number[]) =>
  (a[0] ?? 0) * (b[0] ?? 0) + (a[1] ?? 0) * (b[1] ?? 0) + (a[2] ?? 0) * (b[2] ?? 0);

function toCamera(camera: Camera, p: World): World {
  const d = [p[0] - camera.position[0], p[1] - camera.position[1], p[2] - camera.position[2]];
  return triple(camera.rotation.map((row) => dot(row, d)));
}

/** The pixel of a point in camera axes, bent as the lens bends it; null beyond where it would fold back. */
function pixel(camera: Camera, [x, y, z]: World): ImagePoint | null {
  const [u, v] = [x / z, y / z];
  const square = u * u + v * v;
  if (-3 * camera.k1 * square > 1) return null;
  const bend = (1 + camera.k1 * square) * camera.focal;
  return [u * bend + camera.cx, v * bend + camera.cy];
}

/** Where the photograph shows what a straight lens would show at a pixel; null where it shows it nowhere. */
export const bent = (camera: Camera, p: ImagePoint) =>
  pixel(camera, [(p[0] - camera.cx) / camera.focal, (p[1] - camera.cy) / camera.focal, 1]);

/** The pixel of a world point; null behind the camera or outside what the lens shows. */
export function project(camera: Camera, p: World): ImagePoint | null {
  const seen = toCamera(camera, p);
  return seen[2] < 1e-6 ? null : pixel(camera, seen);
}

/** A segment's pixels as a path, cut off where it would pass behind the camera; bent lenses need points between. */
export function projectSegment(camera: Camera, a: World, b: World, near = 0.05): ImagePoint[] | null {
  const one = toCamera(camera, a);
  const two = toCamera(camera, b);
  const margin = near * Math.max(camera.position[2], 0.1);
  if (one[2] < margin && two[2] < margin) return null;
  const cut = (from: World, to: World): World => {
    if (from[2] >= margin) return from;
    const t = (margin - from[2]) / (to[2] - from[2]);
    return [from[0] + t * (to[0] - from[0]), from[1] + t * (to[1] - from[1]), margin];
  };
  const [start, end] = [cut(one, two), cut(two, one)];
  const steps = camera.k1 === 0 ? 1 : 8;
  const pixels = Array.from({ length: steps + 1 }, (_, i) => {
    // Even steps along the picture, not along the world: depths are parted harmonically.
    const s = i / steps;
    const t = (s * start[2]) / (s * start[2] + (1 - s) * end[2]);
    const along = [0, 1, 2].map((k) => (start[k] ?? 0) + t * ((end[k] ?? 0) - (start[k] ?? 0)));
    return pixel(camera, triple(along));
  }).filter((p) => p !== null);
  return pixels.length > 1 ? pixels : null;
}

/** Undistorted position of a distorted one, both in focal lengths, by Newton's method. */
function straightened(k1: number, u: number, v: number): [number, number] {
  const reach = Math.hypot(u, v);
  if (k1 === 0 || reach < 1e-12) return [u, v];
  let radius = reach;
  for (let i = 0; i < 12; i++) {
    const square = k1 * radius * radius;
    radius -= (radius * (1 + square) - reach) / Math.max(1 + 3 * square, 1e-3);
  }
  return [(u * radius) / reach, (v * radius) / reach];
}

/** The direction of the ray through a pixel, in the world, not of unit length. */
export function ray(camera: Camera, p: ImagePoint): World {
  const [u, v] = straightened(
    camera.k1,
    (p[0] - camera.cx) / camera.focal,
    (p[1] - camera.cy) / camera.focal,
  );
  const seen = [u, v, 1];
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
