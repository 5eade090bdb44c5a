import { describe, expect, it } from "vitest";
import { image } from "../../geometry/points";
import { cornersOf, pulled, reachesBeyond, wholeFrame } from "./shape";

const PHOTO = { width: 1920, height: 1280 };

describe("the frame", () => {
  it("is the largest of its shape in the photograph's middle", () => {
    expect(wholeFrame(PHOTO, [1, 1])).toMatchObject({ x: 320, y: 0, width: 1280, height: 1280 });
    expect(wholeFrame(PHOTO, [16, 9])).toMatchObject({ x: 0, y: 100, width: 1920, height: 1080 });
  });

  it("keeps the opposite corner and its held shape when one is pulled, turned or not", () => {
    for (const turn_deg of [0, 12]) {
      const crop = { ...wholeFrame(PHOTO, [3, 2]), turn_deg };
      const before = cornersOf(crop);
      const after = pulled(crop, 2, image(1400, 900));
      expect(after.width / after.height).toBeCloseTo(1.5, 2);
      const [was, is] = [before[0] ?? [0, 0], cornersOf(after)[0] ?? [9, 9]];
      expect(Math.hypot(was[0] - is[0], was[1] - is[1])).toBeLessThan(1.5);
    }
  });

  it("says when it reaches beyond the photograph", () => {
    expect(reachesBeyond(wholeFrame(PHOTO), PHOTO)).toBe(false);
    expect(reachesBeyond({ ...wholeFrame(PHOTO), turn_deg: 3 }, PHOTO)).toBe(true);
    expect(reachesBeyond({ ...wholeFrame(PHOTO), x: -40 }, PHOTO)).toBe(true);
  });
});
