/** Mattes as shapes on the photograph, for drawing: what is rendered is shaped by the server. */
import type { Matte } from "../../api/client";

type Point = readonly [number, number];

const STEPS = 12;

/** A closed curve through points (Catmull and Rom). */
export function curveThrough(points: readonly Point[]): Point[] {
  const at = (i: number) => points[(i + points.length) % points.length] ?? [0, 0];
  return points.flatMap((_, i) => {
    const [a, b, c, d] = [at(i - 1), at(i), at(i + 1), at(i + 2)];
    return Array.from({ length: STEPS }, (_, step) => {
      const t = step / STEPS;
      const along = (k: 0 | 1) =>
        0.5 *
        (2 * b[k] +
          (c[k] - a[k]) * t +
          (2 * a[k] - 5 * b[k] + 4 * c[k] - d[k]) * t ** 2 +
          (3 * b[k] - a[k] - 3 * c[k] + d[k]) * t ** 3);
      return [along(0), along(1)] as const;
    });
  });
}

/** A matte's rings in the photograph's pixels; none of a brushed one. */
export function ringsOf(matte: Matte): readonly (readonly Point[])[] {
  if (matte.kind === "smart") return matte.found;
  if (matte.kind === "brush") return [];
  return [matte.curved ? curveThrough(matte.points) : matte.points];
}

/** Points as a path, through a frame of the screen. */
export const pathOf = (points: readonly Point[], to: (p: Point) => readonly number[], closed = true) =>
  points
    .map(
      (p, i) =>
        `${i ? "L" : "M"}${to(p)
          .map((v) => v.toFixed(1))
          .join(" ")}`,
    )
    .join("") + (closed ? "Z" : "");
