import { expect, it } from "vitest";
import type { Placed } from "../api/client";
import {
  corners,
  type Footprint,
  footprintOf,
  gapBetween,
  othersOf,
  snappedPlace,
  snappedTurn,
} from "./footprint";

const square = (id: string, x: number, y: number, turn_deg = 0): Footprint => ({
  id,
  name: id,
  at: [x, y],
  half: [0.5, 0.25],
  turn: (turn_deg * Math.PI) / 180,
});
const close = (got: readonly number[], wanted: readonly number[]) => {
  for (const [i, value] of wanted.entries()) expect(got[i]).toBeCloseTo(value, 9);
};

it("a gap is the shortest way between two outlines, whichever way they are turned", () => {
  const one = corners(square("a", 0, 0));
  const beside = gapBetween(one, corners(square("b", 3, 0)));
  expect(beside.metres).toBeCloseTo(2, 12);
  expect(beside.from[0]).toBeCloseTo(0.5, 12);
  expect(beside.to[0]).toBeCloseTo(2.5, 12);
  // Turned by an eighth, the nearest corner of the other is (half width + half depth) / √2 from its middle.
  const reach = (0.5 + 0.25) / Math.SQRT2;
  expect(gapBetween(one, corners(square("b", 3, 0, 45))).metres).toBeCloseTo(2.5 - reach, 9);
  expect(gapBetween(one, corners(square("b", 0.9, 0.4))).metres).toBe(0);
  expect(
    gapBetween(one, [
      [0, 2],
      [1, 2],
    ]).metres,
  ).toBeCloseTo(1.75, 12);
});

it("a dragged thing clicks against, flush with and in the middle of another that stands square to it", () => {
  const other = square("b", 3, 1, 90);
  const near = 0.05;
  // The other is turned: along x it is 0.25 to each side, along y 0.5.
  close(snappedPlace(square("a", 2.22, 1.03), [other], near, null), [2.25, 1]);
  close(snappedPlace(square("a", 2.0, 1.22), [other], near, null), [2, 1.25]);
  close(snappedPlace(square("a", 2.0, 1.12), [other], near, null), [2, 1.12]);
  close(snappedPlace(square("a", 2.22, 1.03, 20), [other], near, null), [2.22, 1.03]);
  close(snappedPlace(square("a", 9.22, 1.03), [other], near, null), [9.22, 1.03]);
  close(snappedPlace(square("a", 7.47, -3.21), [], near, 0.25), [7.5, -3.25]);
});

it("a turn clicks onto the runs and onto other things", () => {
  const other = square("b", 0, 0, 37);
  expect(snappedTurn(88.4, [], 2.5)).toBe(90);
  expect(snappedTurn(86, [], 2.5)).toBe(86);
  expect(snappedTurn(-52.2, [other], 2.5)).toBeCloseTo(-53, 9);
  expect(snappedTurn(125.5, [other], 2.5)).toBeCloseTo(127, 9);
});

it("a thing's own copies, what it carries, what carries it and what is hidden are no neighbours", () => {
  const thing = (id: string, more: Partial<Placed> = {}) =>
    ({
      id,
      name: id,
      file: "f",
      position_m: [0, 0, 0],
      turn_deg: 0,
      on: null,
      row: null,
      hidden: false,
      ...more,
    }) as Placed;
  const row = { count: 3, spacing_m: 1, direction_deg: 0, spread_deg: 0, seed: 1 };
  const things = [
    thing("bench"),
    thing("cup", { on: "bench" }),
    thing("posts", { row, position_m: [5, 0, 0] }),
    thing("gone", { hidden: true }),
  ];
  const all = things.map((placed) => ({ placed, read: null }));
  expect(othersOf(things[0] as Placed, all).map((one) => one.at[0])).toEqual([5, 6, 7]);
  expect(othersOf(things[1] as Placed, all).map((one) => one.id)).toEqual(["posts", "posts", "posts"]);
  // Carried, it is told where it stands in the world.
  const turned = things.map((one) =>
    one.id === "bench" ? { ...one, position_m: [1, 2, 0] as [number, number, number], turn_deg: 90 } : one,
  );
  const cup = footprintOf({ ...(turned[1] as Placed), position_m: [0.3, 0, 0.5] }, null, turned);
  close(cup.at, [1, 2.3]);
  expect(cup.turn).toBeCloseTo(Math.PI / 2, 12);
});
