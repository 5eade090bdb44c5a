import { expect, it } from "vitest";
import core from "../fixtures/core.json";
import { type Camera, project } from "./camera";
import type { World } from "./points";
import { boxSheet, onSheet, pulledTo, type Sheet, sheetOn, turnedSheet } from "./sheet";
import { aboutZ, apply } from "./standing";

const dot = (a: World, b: World) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cameras = core.cameras.map((one) => one.camera as unknown as Camera);

function rightHanded({ right, up, out }: Sheet) {
  for (const [a, b] of [
    [right, up],
    [up, out],
    [out, right],
  ] as const)
    expect(dot(a, b)).toBeCloseTo(0, 12);
  const [x, y, z] = right;
  const across: World = [y * up[2] - z * up[1], z * up[0] - x * up[2], x * up[1] - y * up[0]];
  for (const k of [0, 1, 2] as const) expect(across[k]).toBeCloseTo(out[k], 12);
}

it("a sheet on a wall is upright, on a floor it lies as it can", () => {
  const wall = sheetOn([0, 0, 0], [0, -1, 0], [0, 0, 1]);
  // Seen from in front, its right is +x and its up is up.
  expect(wall.right[0]).toBeCloseTo(1, 12);
  expect(wall.up[2]).toBeCloseTo(1, 12);
  for (const out of [
    [0, 0, 1],
    [0, 0, -1],
    [0.6, 0, 0.8],
    [0, 1, 0],
  ] as World[])
    rightHanded(sheetOn([1, 2, 3], out, [0, 0, 1]));
});

it("the six sides of a box each have their own right and up, seen from outside", () => {
  for (const axis of [0, 1, 2])
    for (const sign of [-1, 1]) {
      const out = [0, 1, 2].map((k) => (k === axis ? sign : 0)) as unknown as World;
      const sheet = boxSheet([0, 0, 0], out);
      rightHanded(sheet);
      if (axis !== 2) expect(sheet.up).toEqual([0, 0, 1]);
    }
});

it("what is pulled to a pixel is the point of the sheet that is seen there, through any lens", () => {
  for (const camera of cameras) {
    const sheet = turnedSheet(sheetOn([1, 4, 0.8], [0, -1, 0], [0, 0, 1]), (v) => apply(aboutZ(25), v));
    for (const [x, y] of [
      [0, 0],
      [0.4, 0.1],
      [-0.3, 0.5],
    ] as const) {
      const seen = project(camera, onSheet(sheet, x, y));
      const pulled = seen && pulledTo(sheet, camera, seen);
      expect(pulled?.[0]).toBeCloseTo(x, 6);
      expect(pulled?.[1]).toBeCloseTo(y, 6);
    }
  }
});
