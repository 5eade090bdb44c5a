import { expect, test } from "vitest";
import core from "../fixtures/core.json";
import { shortest } from "../state/light";
import type { World } from "./points";
import { pulledTurn, wayInPanorama } from "./turning";

test("a direction in a turned panorama is the core's", () => {
  for (const { around, rays, ways } of core.turnings)
    for (const [i, ray] of rays.entries()) {
      const way = wayInPanorama(
        { ...around, off_deg: null, sun_off_deg: null, new_sun: null, lens_at_m: null, ground_m: 0 },
        ray as unknown as World,
      );
      expect(way.map((value, axis) => value - (ways[i]?.[axis] ?? Number.NaN))).toEqual(
        way.map(() => expect.closeTo(0, 9)),
      );
    }
});

test("ground that is pulled about the lens turns the panorama", () => {
  const lens: World = [2, 1, 1.5];
  expect(pulledTurn(lens, [3, 1, 0], [2, 4, 0])).toBeCloseTo(90);
  expect(shortest(pulledTurn(lens, [1, 1.1, 0], [1, 0.9, 0]))).toBeCloseTo(11.42, 2);
});
