import { expect, test } from "vitest";
import core from "../fixtures/core.json";
import type { World } from "./points";
import { wayInPanorama } from "./turning";

test("a direction in a turned panorama is the core's", () => {
  for (const { around, rays, ways } of core.turnings)
    for (const [i, ray] of rays.entries()) {
      const way = wayInPanorama({ ...around, off_deg: null }, ray as unknown as World);
      expect(way.map((value, axis) => value - (ways[i]?.[axis] ?? Number.NaN))).toEqual(
        way.map(() => expect.closeTo(0, 9)),
      );
    }
});
