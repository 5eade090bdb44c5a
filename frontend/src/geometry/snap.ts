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

/** Where a point lies along a segment's line, and how far off it, to the left. */
function beside([x1 = 0, y1 = 0, x2 = 0, y2 = 0]: Segment, p: ImagePoint) {
  const length = Math.hypot(x2 - x1, y2 - y1);
  const [ux, uy] = [(x2 - x1) / length, (y2 - y1) / length];
  const along = (p[0] - x1) * ux + (p[1] - y1) * uy;
  return { along, off: (p[1] - y1) * ux - (p[0] - x1) * uy, length, ux, uy };
}

/** Segments that meet at less than this [degrees] make no corner. */
const CORNER_DEG = 12;

/**
 * The point moved onto what was found there: the corner in which two found segments meet, else the nearest one's line.
 * A corner must come within `near` pixels of the point, a line within half of that; null if nothing does. Close
 * to points `taken` by earlier clicks the hand works more finely than this, and is left alone.
 */
export function ontoFound(
  segments: readonly Segment[],
  at: ImagePoint,
  near: number,
  taken: readonly ImagePoint[] = [],
): { at: ImagePoint; segment: Segment; corner: boolean } | null {
  if (taken.some((mark) => apart(mark, at) < 2 * near)) return null;
  const close = segments
    .map((segment) => ({ segment, ...beside(segment, at) }))
    .filter(
      ({ length, along, off }) =>
        length > 1e-6 && Math.abs(off) < near && along > -near && along < length + near,
    )
    .sort((one, other) => Math.abs(one.off) - Math.abs(other.off));
  for (const [index, one] of close.entries())
    for (const other of close.slice(index + 1)) {
      const turn = one.ux * other.uy - one.uy * other.ux;
      if (Math.abs(turn) < Math.sin((CORNER_DEG * Math.PI) / 180)) continue;
      const [x1 = 0, y1 = 0] = one.segment;
      const [x2 = 0, y2 = 0] = other.segment;
      const t = ((x2 - x1) * other.uy - (y2 - y1) * other.ux) / turn;
      const corner = image(x1 + t * one.ux, y1 + t * one.uy);
      if (apart(corner, at) < near) return { at: corner, segment: one.segment, corner: true };
    }
  const best = close[0];
  if (!best || Math.abs(best.off) > near / 2) return null;
  const [x1 = 0, y1 = 0] = best.segment;
  const on = image(x1 + best.along * best.ux, y1 + best.along * best.uy);
  return { at: on, segment: best.segment, corner: false };
}
