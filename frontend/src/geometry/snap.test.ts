import { describe, expect, it } from "vitest";
import { image } from "./points";
import { ontoFound } from "./snap";

const LEVEL = [100, 100, 300, 100];
const SLOPING = [300, 104, 340, 204];

describe("a click among found edges", () => {
  it("goes onto the corner in which two meet, also a little past their ends", () => {
    const found = ontoFound([LEVEL, SLOPING], image(303, 97), 8);
    expect(found?.corner).toBe(true);
    expect(found?.at[1]).toBeCloseTo(100);
    expect(found?.at[0]).toBeCloseTo(298.4);
  });
  it("goes onto the nearest line where there is no corner, and stays where nothing is near", () => {
    expect(ontoFound([LEVEL, SLOPING], image(200, 103), 8)?.at).toEqual([200, 100]);
    expect(ontoFound([LEVEL], image(200, 120), 8)).toBeNull();
    expect(ontoFound([LEVEL], image(80, 100), 8)).toBeNull();
    // Beside an earlier click nothing is gone onto.
    expect(ontoFound([LEVEL, SLOPING], image(303, 97), 8, [image(298.4, 100)])).toBeNull();
    // Two pieces of one line make no corner.
    expect(ontoFound([LEVEL, [290, 101, 400, 102]], image(295, 103), 8)?.corner).toBe(false);
  });
});
