import { expect, it } from "vitest";
import type { FileOut, Materials, Placed, Shot } from "../api/client";
import { footOf } from "../geometry/standing";
import { patched } from "./patch";
import { repeatOf } from "./textures";
import { carriersFor, loosened, newThing, putDown, reordered, without } from "./things";

const file = { sha256: "0".repeat(64), name: "sill-planter.glb" } as FileOut;
const bench = { ...newThing(file, [2, 1, 0], []), id: "bench", name: "Bench", turn_deg: 90 };
const cup = { ...newThing(file, [0.4, 0, 0.5], [bench]), id: "cup", name: "Cup", on: "bench", turn_deg: 10 };
const spoon = { ...newThing(file, [0.1, 0, 0.1], []), id: "spoon", name: "Spoon", on: "cup" };
const document = { models: [bench, cup, spoon] } as unknown as Shot;

it("a thing is named after its file, and told from others of that name", () => {
  expect(newThing(file, [0, 0, 0], []).name).toBe("Sill planter");
  const first = newThing(file, [0, 0, 0], []);
  expect(newThing(file, [0, 0, 0], [first]).name).toBe("Sill planter 2");
});

it("what a thing carried stays where it is when that is taken away", () => {
  const before = footOf(cup, document.models);
  const after = patched(document, without(document, "bench"));
  expect(after.models.map((one) => one.id)).toEqual(["cup", "spoon"]);
  const left = after.models[0] as Placed;
  expect(left.on).toBeNull();
  for (const k of [0, 1, 2] as const) expect(left.position_m[k]).toBeCloseTo(before.foot[k], 12);
  expect(left.turn_deg).toBeCloseTo(100, 12);
  // And what stood on it is still carried along.
  expect(footOf(after.models[1] as Placed, after.models).foot[0]).toBeCloseTo(
    footOf(spoon, document.models).foot[0],
    12,
  );
});

it("a thing put down on a level keeps its place in the world", () => {
  expect(putDown(cup, document.models, "l1")).toMatchObject({ on: null, level: "l1", turn_deg: 100 });
});

it("nothing can stand on itself, nor on what it carries", () => {
  expect(carriersFor(bench, document.models)).toEqual([]);
  expect(carriersFor(cup, document.models).map((one) => one.id)).toEqual(["bench"]);
  expect(carriersFor(spoon, document.models).map((one) => one.id)).toEqual(["bench", "cup"]);
});

it("a row's copies become things of their own where they stand, with all that they had", () => {
  const row = { count: 3, spacing_m: 0.5, direction_deg: 90, spread_deg: 20, seed: 3 };
  const surfaces = {
    zinc: { kind: "paint", colour: [0.1, 0.2, 0.3], parameters: {}, texture: null },
  } as Placed["surfaces"];
  const rowed = { ...bench, row, surfaces };
  const after = patched({ models: [rowed] } as unknown as Shot, loosened(rowed)).models;
  expect(after.map((one) => one.row)).toEqual([null, null, null]);
  expect(after.map((one) => one.position_m[1])).toEqual([1, 1.5, 2]);
  expect(new Set(after.map((one) => one.id)).size).toBe(3);
  expect(new Set(after.map((one) => one.turn_deg)).size).toBe(3);
  expect(after[2]?.surfaces.zinc).toMatchObject({ kind: "paint", colour: [0.1, 0.2, 0.3] });
});

it("things are put in another order, and stop at the ends", () => {
  const order = (id: string, by: -1 | 1) =>
    patched(document, reordered(document.models, id, by)).models.map((one) => one.id);
  expect(order("cup", -1)).toEqual(["cup", "bench", "spoon"]);
  expect(order("spoon", 1)).toEqual(["bench", "cup", "spoon"]);
});

it("a repeat is as long as it is told, else as a weave's threads or the texture itself say", () => {
  const data = {
    textures: {
      linen: { title: "Linen", kinds: ["cloth"], repeat_mm: 48, threads: 32 },
      oak: { repeat_mm: 420, threads: 0 },
    },
    surfaces: { cloth: { parameters: { weave_mm: { default: 2 } } }, wood: { parameters: {} } },
  } as unknown as Materials;
  const laid = (texture: string, repeat_mm: number | null) =>
    ({ file: `shipped:${texture}`, repeat_mm, turn_deg: 0, shift_mm: [0, 0], lay: "box" }) as const;
  const surface = (kind: string, parameters = {}) => ({ kind, parameters }) as Placed["surfaces"][string];
  expect(repeatOf(surface("wood"), laid("oak", null) as never, data)).toBe(420);
  expect(repeatOf(surface("wood"), laid("oak", 90) as never, data)).toBe(90);
  expect(repeatOf(surface("cloth"), laid("linen", null) as never, data)).toBe(64);
  expect(repeatOf(surface("cloth", { weave_mm: 0.5 }), laid("linen", null) as never, data)).toBe(16);
  expect(repeatOf(surface("cloth"), { ...laid("linen", null), file: "sha256:0" } as never, data)).toBe(300);
});
