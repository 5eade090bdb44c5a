import { expect, it } from "vitest";
import core from "../fixtures/core.json";
import { type Point, slopesOf, withEnds } from "./curve";

it("goes where the core's curve goes", () => {
  for (const { points, at, becomes } of core.curves) {
    const all = withEnds(points as Point[]);
    const slopes = slopesOf(all);
    at.forEach((x, k) => {
      const n = Math.max(
        all.findIndex((one) => one[0] >= x),
        1,
      );
      const [from, to] = [all[n - 1] as Point, all[n] as Point];
      const h = to[0] - from[0];
      const t = (x - from[0]) / h;
      const y =
        (1 + 2 * t) * (1 - t) ** 2 * from[1] +
        t * (1 - t) ** 2 * h * (slopes[n - 1] ?? 0) +
        t * t * (3 - 2 * t) * to[1] +
        t * t * (t - 1) * h * (slopes[n] ?? 0);
      expect(y).toBeCloseTo(becomes[k] ?? Number.NaN, 9);
    });
  }
});
