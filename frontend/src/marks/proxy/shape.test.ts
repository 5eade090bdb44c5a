import { expect, test } from "vitest";
import type { ProxyAnswer, ProxyMark } from "../../api/client";
import { type Camera, onPlane, project } from "../../geometry/camera";
import type { World } from "../../geometry/points";
import { overOf, pulledAt, pulledUp, pullsOf, slid, topOf, withoutPull } from "./shape";

/** Looking along y from 1.6 m, level. */
const CAMERA: Camera = {
  focal: 1000,
  cx: 500,
  cy: 400,
  rotation: [
    [1, 0, 0],
    [0, 0, -1],
    [0, 1, 0],
  ],
  position: [0, -5, 1.6],
  k1: -0.05,
  metric: true,
};
const seen = (p: World) => {
  const pixel = project(CAMERA, p);
  if (!pixel) throw new Error("not seen");
  return [pixel[0], pixel[1]] as [number, number];
};
const FOOT: World[] = [
  [-0.5, 0, 0],
  [0.5, 0, 0],
  [0.5, 0.8, 0],
];
const drawn = (kind: ProxyMark["kind"], more: Partial<ProxyMark> = {}) =>
  ({ id: "p", kind, points: FOOT.map(seen), top: null, height_m: 0.6, ...more }) as ProxyMark;
const ANSWER = {
  id: "p",
  foot: [...FOOT, [-0.5, 0.8, 0]],
  height_m: 0.6,
} as unknown as ProxyAnswer;

test("a box's top is pulled over its first corner, a flight's over the corner behind the second", () => {
  for (const [kind, at] of [
    ["box", FOOT[0]],
    ["steps", FOOT[2]],
  ] as const) {
    const over = overOf(drawn(kind), ANSWER, CAMERA);
    over?.forEach((v, i) => {
      expect(v).toBeCloseTo(at?.[i] ?? 0, 6);
    });
    const top = topOf(drawn(kind), ANSWER, CAMERA);
    if (!top || !at) throw new Error("no top");
    const higher = seen([at[0], at[1], 0.9]);
    expect(pulledUp(drawn(kind), ANSWER, CAMERA, higher).height_m).toBeCloseTo(0.9, 6);
    expect(pulledUp(drawn(kind), ANSWER, CAMERA, seen(at)).height_m).toBeGreaterThan(0);
  }
});

test("slid over the ground it keeps its shape, and the height that was seen", () => {
  const values = slid(drawn("box", { top: [1, 1], height_m: null }), ANSWER, CAMERA, [0.4, 0.3]);
  const feet = values?.points?.map((point) => onPlane(CAMERA, point, 0));
  feet?.forEach((foot, i) => {
    expect((foot?.[0] ?? 0) - (FOOT[i]?.[0] ?? 0)).toBeCloseTo(0.4, 6);
    expect((foot?.[1] ?? 0) - (FOOT[i]?.[1] ?? 0)).toBeCloseTo(0.3, 6);
  });
  expect([values?.top, values?.height_m]).toEqual([null, 0.6]);
  expect(slid(drawn("box"), ANSWER, CAMERA, [0, -9])).toBeNull(); // behind the camera
});

test("uneven ground is pulled at one of its points, and loses one, but never its last", () => {
  const points = [seen([0, 0, 0]), seen([1, 0.5, 0])];
  const rise = drawn("rise", { points, height_m: null, heights_m: [0.2, -0.1], reach_m: 1 });
  const tops = pullsOf(rise, ANSWER, CAMERA);
  expect(tops[1]).toEqual(seen([1, 0.5, -0.1]).map((v) => expect.closeTo(v, 6)));
  const to = seen([1, 0.5, -0.35]);
  const pulled = pulledAt(rise, ANSWER, CAMERA, 1, to as unknown as Parameters<typeof pulledAt>[4]);
  expect(pulled.heights_m).toEqual([0.2, expect.closeTo(-0.35, 6)]);
  expect(withoutPull(rise, 0)).toEqual({ points: [points[1]], heights_m: [-0.1] });
  expect(withoutPull({ ...rise, ...withoutPull(rise, 0) }, 0)).toBeNull();
});
