/** Footprints of things on the plan, and how far they are apart. */
import type { Placed } from "../api/client";
import type { World } from "./points";
import { footOf, type Read, rowOf, sizeOf } from "./standing";

export type Flat = readonly [number, number];

/** A rectangle on the plan: its middle, half its width and depth, and how far it is turned [rad]. */
export type Footprint = { id: string; name: string; at: Flat; half: Flat; turn: number };

type Things = readonly { placed: Placed; read: Read | null }[];

/** The footprint of a thing as it stands in the world. */
export function footprintOf(placed: Placed, read: Read | null, things: readonly Placed[]): Footprint {
  const { foot, turn_deg } = footOf(placed, things);
  const [w, d] = read ? sizeOf(placed, read) : [0.5, 0.5];
  return {
    id: placed.id,
    name: placed.name,
    at: [foot[0], foot[1]],
    half: [w / 2, d / 2],
    turn: (turn_deg * Math.PI) / 180,
  };
}

/** All footprints but one thing's own and those of what it carries. */
export function othersOf(placed: Placed, all: Things): Footprint[] {
  const things = all.map((one) => one.placed);
  return all
    .filter(
      ({ placed: one }) =>
        one.id !== placed.id && one.on !== placed.id && one.id !== placed.on && !one.hidden,
    )
    .flatMap(({ placed: one, read }) => rowOf(one).map((copy) => footprintOf(copy, read, things)));
}

export function corners({ at, half, turn }: Footprint): Flat[] {
  const [c, s] = [Math.cos(turn), Math.sin(turn)];
  return (
    [
      [-1, -1],
      [1, -1],
      [1, 1],
      [-1, 1],
    ] as const
  ).map(([u, v]) => {
    const [x, y] = [u * half[0], v * half[1]];
    return [at[0] + c * x - s * y, at[1] + s * x + c * y] as const;
  });
}

/** The shortest way between two outlines: from a point of the first to a point of the second. */
export type Gap = { from: Flat; to: Flat; metres: number };

export function gapBetween(one: readonly Flat[], two: readonly Flat[]): Gap {
  if (overlap(one, two)) {
    const at = one[0] ?? [0, 0];
    return { from: at, to: at, metres: 0 };
  }
  let best: Gap = { from: [0, 0], to: [0, 0], metres: Number.POSITIVE_INFINITY };
  const consider = (from: Flat, to: Flat) => {
    const metres = Math.hypot(to[0] - from[0], to[1] - from[1]);
    if (metres < best.metres) best = { from, to, metres };
  };
  for (const p of one) for (const [a, b] of sides(two)) consider(p, nearest(p, a, b));
  for (const p of two) for (const [a, b] of sides(one)) consider(nearest(p, a, b), p);
  return best;
}

const sides = (outline: readonly Flat[]): [Flat, Flat][] =>
  outline.map((p, i) => [p, outline[(i + 1) % outline.length] ?? p]);

function nearest(p: Flat, a: Flat, b: Flat): Flat {
  const [x, y] = [b[0] - a[0], b[1] - a[1]];
  const square = x * x + y * y;
  const t = square ? Math.min(Math.max(((p[0] - a[0]) * x + (p[1] - a[1]) * y) / square, 0), 1) : 0;
  return [a[0] + t * x, a[1] + t * y];
}

/** Whether two convex outlines overlap: no side of either parts them. */
function overlap(one: readonly Flat[], two: readonly Flat[]): boolean {
  if (one.length < 3 || two.length < 3) return false;
  return ![...sides(one), ...sides(two)].some(([a, b]) => {
    const normal: Flat = [b[1] - a[1], a[0] - b[0]];
    const along = (points: readonly Flat[]) => points.map((p) => p[0] * normal[0] + p[1] * normal[1]);
    const [mine, theirs] = [along(one), along(two)];
    return Math.max(...mine) < Math.min(...theirs) || Math.max(...theirs) < Math.min(...mine);
  });
}

const SQUARE = Math.PI / 2;
const ALIKE = 0.02;

/** How far a turn is from the next square one. */
const offSquare = (turn: number) => turn - Math.round(turn / SQUARE) * SQUARE;

/**
 * A place near to where a footprint is dragged: its sides against, flush with or in the middle of another's, where the
 * two stand square; else on a grid.
 */
export function snappedPlace(
  mine: Footprint,
  others: readonly Footprint[],
  near: number,
  grid: number | null,
): Flat {
  let [x, y] = mine.at;
  if (grid) [x, y] = [Math.round(x / grid) * grid, Math.round(y / grid) * grid];
  for (const other of others) {
    const relative = mine.turn - other.turn;
    if (Math.abs(offSquare(relative)) > ALIKE) continue;
    const crossed = Math.abs(Math.round(relative / SQUARE)) % 2 === 1;
    const half: Flat = crossed ? [mine.half[1], mine.half[0]] : mine.half;
    const [c, s] = [Math.cos(other.turn), Math.sin(other.turn)];
    const [dx, dy] = [x - other.at[0], y - other.at[1]];
    const local = [c * dx + s * dy, -s * dx + c * dy] as const;
    // Only what is near in one way is snapped in the other.
    if (Math.abs(local[0]) > other.half[0] + half[0] + 2 || Math.abs(local[1]) > other.half[1] + half[1] + 2)
      continue;
    const [u, v] = [0, 1].map((axis) => {
      const [at, theirs, own] = [local[axis] ?? 0, other.half[axis] ?? 0, half[axis] ?? 0];
      const stops = [0, theirs - own, own - theirs, theirs + own, -theirs - own];
      const stop = stops.reduce((a, b) => (Math.abs(b - at) < Math.abs(a - at) ? b : a));
      return Math.abs(stop - at) < near ? stop : at;
    }) as [number, number];
    [x, y] = [other.at[0] + c * u - s * v, other.at[1] + s * u + c * v];
  }
  return [x, y];
}

/** A turn near to a run's direction or to another thing's, on it [°]. */
export function snappedTurn(turn_deg: number, others: readonly Footprint[], near_deg: number): number {
  const found = [0, ...others.map((one) => (one.turn * 180) / Math.PI)].map((base) => {
    const away = turn_deg - base;
    return base + Math.round(away / 90) * 90;
  });
  const best = found.reduce((a, b) => (Math.abs(b - turn_deg) < Math.abs(a - turn_deg) ? b : a));
  return Math.abs(best - turn_deg) < near_deg ? best : turn_deg;
}

export const flat = (p: World): Flat => [p[0], p[1]];
