import type { Placed } from "../api/client";
import type { World } from "./points";

/**
 * A read model: its size in metres as the reader took it, the metres of its file's unit, and the axis taken for up.
 * `points` are its vertices, told from the middle of its foot, x y z in turn; where they are not given, its box's.
 */
export type Read = { size: World; unit_m: number; up: "y" | "z"; points?: ArrayLike<number> };

/** Rows of three and a shift: from a model's metres, told from the middle of its foot, to where it stands. */
export type Stand = { turn: Turn; at: World };
/** A turn, perhaps with a size, by rows. */
export type Turn = readonly [World, World, World];

const METRES = { mm: 0.001, cm: 0.01, m: 1, inch: 0.0254, foot: 0.3048 };
const rad = (deg: number) => (deg * Math.PI) / 180;

export const STRAIGHT: Turn = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
];

/** What a length in the read model is multiplied by as it stands. */
export const scaleOf = (placed: Placed, read: Read) =>
  placed.size * (placed.unit ? METRES[placed.unit] / read.unit_m : 1);

/**
 * Where a model stands, in the metres in which its place counts (`placement` in `core/standing/placement.py`; both
 * hold the same fixtures).
 */
export function standOf(placed: Placed, read: Read): Stand {
  const lying = posed(placed, read);
  const { low, high } = box(read, lying);
  const foot: World = [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]];
  const whole = scaled(
    times(aboutZ(placed.turn_deg), leant(placed.lean_deg, placed.lean_toward_deg)),
    scaleOf(placed, read),
  );
  const turn = times(whole, lying);
  const shift = apply(whole, foot);
  const [x, y, z] = placed.position_m;
  const at: [number, number, number] = [x - shift[0], y - shift[1], z - shift[2]];
  if (placed.lean_deg) {
    let lowest = Number.POSITIVE_INFINITY;
    eachPoint(read, (p) => {
      lowest = Math.min(lowest, apply(turn, p)[2] + at[2]);
    });
    at[2] += z - lowest;
  }
  return { turn, at };
}

/** How wide, deep and tall it is as it lies, unleant [m]. */
export function sizeOf(placed: Placed, read: Read): World {
  const { low, high } = box(read, posed(placed, read));
  const scale = scaleOf(placed, read);
  return [(high[0] - low[0]) * scale, (high[1] - low[1]) * scale, (high[2] - low[2]) * scale];
}

/** A thing and its copies (`rows_of` in the core). */
export function rowOf(placed: Placed): Placed[] {
  const { row } = placed;
  if (!row) return [placed];
  const [x, y, z] = placed.position_m;
  const [dx, dy] = [Math.cos(rad(row.direction_deg)), Math.sin(rad(row.direction_deg))];
  const copies = Array.from({ length: row.count - 1 }, (_, i): Placed => {
    const far = (i + 1) * row.spacing_m;
    const turn_deg = placed.turn_deg + row.spread_deg * spreadOf(row.seed, i + 1);
    return { ...placed, position_m: [x + far * dx, y + far * dy, z], turn_deg };
  });
  return [placed, ...copies];
}

/** A copy's share of the spread, -1..1 (`_spread_of` in the core). */
function spreadOf(seed: number, number: number): number {
  const value = seed * 0.7548776662466927 + number * 0.6180339887498949;
  return 2 * (value - Math.floor(value)) - 1;
}

/** From the metres in which a thing's place counts to the world's: along with all that carries it. */
export function carrierOf(placed: Placed, things: readonly Placed[]): Stand {
  let frame: Stand = { turn: STRAIGHT, at: [0, 0, 0] };
  let carrier = things.find(({ id }) => id === placed.on);
  for (let depth = 0; carrier && depth < 50; depth++) {
    frame = after({ turn: aboutZ(carrier.turn_deg), at: carrier.position_m }, frame);
    const next = carrier.on;
    carrier = next ? things.find(({ id }) => id === next) : undefined;
  }
  return frame;
}

/** What carries a thing in the end: itself where nothing does. */
export function rootOf(placed: Placed, things: readonly Placed[]): Placed {
  const carrier = placed.on ? things.find(({ id }) => id === placed.on) : undefined;
  return carrier ? rootOf(carrier, things) : placed;
}

/** A thing's foot in the world, and how far it is turned there [°]. */
export function footOf(placed: Placed, things: readonly Placed[]): { foot: World; turn_deg: number } {
  const frame = carrierOf(placed, things);
  const turn_deg = (Math.atan2(frame.turn[1][0], frame.turn[0][0]) * 180) / Math.PI;
  return { foot: stood(frame, placed.position_m), turn_deg: turn_deg + placed.turn_deg };
}

/** A place of the world in the metres in which a thing's place counts. */
export function withinCarrier(placed: Placed, things: readonly Placed[], at: World): World {
  const { turn, at: from } = carrierOf(placed, things);
  const away: World = [at[0] - from[0], at[1] - from[1], at[2] - from[2]];
  return apply(transposed(turn), away);
}

export const after = (outer: Stand, inner: Stand): Stand => ({
  turn: times(outer.turn, inner.turn),
  at: stood(outer, inner.at),
});

/** Where a point comes to stand. */
export function stood({ turn, at }: Stand, point: World): World {
  const [x, y, z] = apply(turn, point);
  return [x + at[0], y + at[1], z + at[2]];
}

/** Where a point of the world was in the model, told from the middle of its foot. */
export function within({ turn, at }: Stand, point: World): World {
  const away: World = [point[0] - at[0], point[1] - at[1], point[2] - at[2]];
  const size = Math.hypot(...turn[0]) ** 2;
  const [x, y, z] = apply(transposed(turn), away);
  return [x / size, y / size, z / size];
}

function posed(placed: Placed, read: Read): Turn {
  const upright = uprightOf(placed, read);
  return placed.pose ? times(ofQuaternion(placed.pose), upright) : upright;
}

/** The quarter turn that puts up what the shot says is up, where the reader took another axis. */
export function uprightOf(placed: Placed, read: Read): Turn {
  if (!placed.up || placed.up === read.up) return STRAIGHT;
  const way = placed.up === "y" ? 1 : -1;
  return [
    [1, 0, 0],
    [0, 0, -way],
    [0, way, 0],
  ];
}

function ofQuaternion([w, x, y, z]: readonly [number, number, number, number]): Turn {
  return [
    [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
    [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
    [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
  ];
}

export function aboutZ(turn_deg: number): Turn {
  const [c, s] = [Math.cos(rad(turn_deg)), Math.sin(rad(turn_deg))];
  return [
    [c, -s, 0],
    [s, c, 0],
    [0, 0, 1],
  ];
}

/** The turn about a level axis that brings the plumb line towards a direction. */
function leant(lean_deg: number, toward_deg: number): Turn {
  if (!lean_deg) return STRAIGHT;
  const tipped: Turn = [
    [Math.cos(rad(lean_deg)), 0, Math.sin(rad(lean_deg))],
    [0, 1, 0],
    [-Math.sin(rad(lean_deg)), 0, Math.cos(rad(lean_deg))],
  ];
  return times(aboutZ(toward_deg), times(tipped, aboutZ(-toward_deg)));
}

function box(read: Read, lying: Turn): { low: World; high: World } {
  const low: [number, number, number] = [
    Number.POSITIVE_INFINITY,
    Number.POSITIVE_INFINITY,
    Number.POSITIVE_INFINITY,
  ];
  const high: [number, number, number] = [-low[0], -low[1], -low[2]];
  const add = (p: World) => {
    const q = apply(lying, p);
    for (const axis of [0, 1, 2] as const) {
      low[axis] = Math.min(low[axis], q[axis]);
      high[axis] = Math.max(high[axis], q[axis]);
    }
  };
  // A quarter turn keeps boxes boxes; any other needs the points themselves.
  const straight = lying.every((row) => row.filter((v) => Math.abs(v) > 1e-9).length === 1);
  if (straight) eachCorner(read, add);
  else eachPoint(read, add);
  return { low, high };
}

function eachCorner({ size: [w, d, h] }: Read, visit: (p: World) => void) {
  for (const x of [-w / 2, w / 2]) for (const y of [-d / 2, d / 2]) for (const z of [0, h]) visit([x, y, z]);
}

function eachPoint(read: Read, visit: (p: World) => void) {
  const { points } = read;
  if (!points?.length) return eachCorner(read, visit);
  for (let i = 0; i + 2 < points.length; i += 3)
    visit([points[i] ?? 0, points[i + 1] ?? 0, points[i + 2] ?? 0]);
}

const row = (v: World, m: Turn, column: 0 | 1 | 2) =>
  v[0] * m[0][column] + v[1] * m[1][column] + v[2] * m[2][column];
const times = (a: Turn, b: Turn): Turn =>
  a.map((v) => [row(v, b, 0), row(v, b, 1), row(v, b, 2)] as const) as unknown as Turn;
const scaled = (a: Turn, by: number): Turn =>
  a.map(([x, y, z]) => [x * by, y * by, z * by] as const) as unknown as Turn;
export const transposed = (m: Turn): Turn => [
  [m[0][0], m[1][0], m[2][0]],
  [m[0][1], m[1][1], m[2][1]],
  [m[0][2], m[1][2], m[2][2]],
];
export const apply = (m: Turn, p: World): World => [
  m[0][0] * p[0] + m[0][1] * p[1] + m[0][2] * p[2],
  m[1][0] * p[0] + m[1][1] * p[1] + m[1][2] * p[2],
  m[2][0] * p[0] + m[2][1] * p[1] + m[2][2] * p[2],
];
