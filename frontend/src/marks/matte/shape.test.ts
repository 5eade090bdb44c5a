import { expect, test } from "vitest";
import { newMatte } from "./index";
import { curveThrough, ringsOf } from "./shape";

const RING = Array.from({ length: 8 }, (_, i) => {
  const angle = (i * Math.PI) / 4;
  return [100 + 50 * Math.cos(angle), 80 + 50 * Math.sin(angle)] as const;
});

test("a curve goes through its points and bulges as a circle does between them", () => {
  const curve = curveThrough(RING);
  for (const [x, y] of RING) expect(curve.some(([u, v]) => Math.hypot(u - x, v - y) < 1e-9)).toBe(true);
  for (const [x, y] of curve) expect(Math.abs(Math.hypot(x - 100, y - 80) - 50)).toBeLessThan(0.6);
});

test("a matte's rings are as drawn, as cut, or none", () => {
  const points = RING.map(([x, y]) => [x, y] as [number, number]);
  expect(ringsOf({ ...newMatte("o", "outline", 1), points })).toEqual([points]);
  expect(ringsOf({ ...newMatte("o", "outline", 1), points, curved: true })[0]?.length).toBe(96);
  expect(ringsOf({ ...newMatte("o", "smart", 1), found: [points, points] })).toHaveLength(2);
  expect(ringsOf(newMatte("o", "brush", 1))).toEqual([]);
});
