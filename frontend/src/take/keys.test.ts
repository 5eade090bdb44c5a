import { expect, it } from "vitest";
import type { Shot } from "../api/client";
import core from "../fixtures/core.json";
import { type Key, keyedPatch, shownAt, valueAt } from "./keys";

it("sets at each frame what the core sets", () => {
  for (const { keys, at, values } of core.keys)
    at.forEach((frame, k) => {
      const [found, wanted] = [valueAt(keys as Key[], frame), values[k]].map((one) => [one].flat());
      found?.forEach((one, i) => {
        expect(one).toBeCloseTo(wanted?.[i] as number, 5);
      });
    });
});

const turns: Key[] = [
  { id: "k1", frame: 0, path: "models/m1/turn_deg", value: 0, easing: "even" },
  { id: "k2", frame: 10, path: "models/m1/turn_deg", value: 90, easing: "even" },
];
const document = {
  models: [{ id: "m1", turn_deg: 5, position_m: [0, 0, 0] }],
  sun: { kind: "hand", elevation_deg: 30 },
  keys: turns,
} as unknown as Shot;

it("shows a thing as it is at the frame on show, and as it is by itself without one", () => {
  expect(shownAt(document, 4).models[0]?.turn_deg).toBeCloseTo(36, 9);
  expect(shownAt(document, null).models[0]?.turn_deg).toBe(5);
});

it("what has keys is set by one at the frame on show, and only that", () => {
  const patch = { models: { m1: { turn_deg: 45, position_m: [1, 0, 0] as [number, number, number] } } };
  const made = keyedPatch(document, patch, 10) as { models: unknown; keys: Record<string, Key> };
  expect(made.models).toEqual({ m1: { position_m: [1, 0, 0] } });
  expect(made.keys).toEqual({ k2: { ...turns[1], value: 45 } });
  const fresh = keyedPatch(document, patch, 7) as { keys: Record<string, Key> };
  expect(Object.values(fresh.keys).map(({ frame, value }) => [frame, value])).toEqual([[7, 45]]);
  expect(keyedPatch(document, patch, null)).toBe(patch);
});
