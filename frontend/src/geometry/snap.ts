import { apart, type ImagePoint, image } from "./points";

/** A found segment: x and y of both its ends. */
export type Segment = readonly number[];

/**
 * The found segment that a stroke runs along, and the stroke moved onto its line; null if there is none.
 * Both ends must lie within `near` pixels of the line, and at least half the stroke beside the segment.
 */
export function ontoSegment(
  segments: readonly Segment[],
  from: ImagePoint,
  to: ImagePoint,
  near: number,
): { segment: Segment; from: ImagePoint; to: ImagePoint } | null {
  const stroke = apart(from, to);
  let best: { segment: Segment; from: ImagePoint; to: ImagePoint } | null = null;
  let least = near;
  for (const segment of segments) {
    const [x1 = 0, y1 = 0, x2 = 0, y2 = 0] = segment;
    const length = Math.hypot(x2 - x1, y2 - y1);
    if (length < 1e-6) continue;
    const [ux, uy] = [(x2 - x1) / length, (y2 - y1) / length];
    const along = (p: ImagePoint) => (p[0] - x1) * ux + (p[1] - y1) * uy;
    const off = (p: ImagePoint) => Math.abs((p[1] - y1) * ux - (p[0] - x1) * uy);
    const far = Math.max(off(from), off(to));
    if (far >= least) continue;
    const [a, b] = [along(from), along(to)];
    const shared = Math.min(Math.max(a, b), length) - Math.max(Math.min(a, b), 0);
    if (shared < 0.5 * Math.min(stroke, length) || shared < 0.3 * stroke) continue;
    least = far;
    best = { segment, from: image(x1 + a * ux, y1 + a * uy), to: image(x1 + b * ux, y1 + b * uy) };
  }
  return best;
}
