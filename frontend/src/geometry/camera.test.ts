import { describe, expect, it } from "vitest";
import type { Placed } from "../api/client";
import core from "../fixtures/core.json";
import { type Camera, onPlane, project, ray } from "./camera";
import { zoomedAbout } from "./frame";
import { parseMetres, parseMillimetres } from "./measure";
import type { ImagePoint, World } from "./points";
import { footOf, rowOf, standOf, stood } from "./standing";
import { sunThrough } from "./sun";

const close = (a: readonly number[], b: readonly number[], digits = 4) => {
  for (const [i, value] of a.entries()) expect(value).toBeCloseTo(b[i] ?? Number.NaN, digits);
};

describe("the camera as the core has it", () => {
  for (const [number, told] of core.cameras.entries()) {
    const camera = told.camera as unknown as Camera;
    it(`projects points, also those behind it and beyond the lens's fold (${number})`, () => {
      for (const [i, point] of told.points.entries()) {
        const seen = told.seen[i];
        const mine = project(camera, point as unknown as World);
        if (seen) close(mine ?? [], seen);
        else expect(mine).toBeNull();
      }
    });
    it(`sends rays through pixels and meets planes (${number})`, () => {
      for (const [i, pixel] of told.pixels.entries()) {
        const way = ray(camera, pixel as unknown as ImagePoint);
        const long = Math.hypot(...way);
        close(
          way.map((v) => v / long),
          told.rays[i] ?? [],
        );
        const met = onPlane(camera, pixel as unknown as ImagePoint, told.plane_m);
        const expected = told.on_plane[i];
        if (expected) close(met ?? [], expected, 3);
        else expect(met).toBeNull();
      }
    });
  }
});

it("the sun through a shadow's tip is the core's", () => {
  for (const { top, tip, azimuth_deg, elevation_deg } of core.suns) {
    const sun = sunThrough(top as unknown as World, tip as unknown as World);
    expect(sun.azimuth_deg).toBeCloseTo(azimuth_deg, 4);
    expect(sun.elevation_deg).toBeCloseTo(elevation_deg, 4);
  }
});

it("a model stands as the core stands it, whatever its unit and upright axis", () => {
  const read = { size: [2, 1, 0.5] as World, unit_m: 0.01, up: "y" as const };
  for (const told of core.standings) {
    const placed = { id: "m", file: "x", ...told } as unknown as Placed;
    for (const [i, corner] of told.corners.entries())
      close(stood(standOf(placed, read), corner as unknown as World), told.stood[i] ?? []);
  }
});

it("zooming keeps what is under the pointer", () => {
  const zoom = zoomedAbout({ scale: 0.5, x: 30, y: 40 }, [130, 90], 2);
  expect([(130 - zoom.x) / zoom.scale, (90 - zoom.y) / zoom.scale]).toEqual([200, 100]);
  expect(zoomedAbout(zoom, [0, 0], 1e9).scale).toBe(24);
});

it("typed lengths are understood with their units", () => {
  const cases: [string, number | null][] = [
    ["1.2", 1.2],
    ["1,2 m", 1.2],
    ["120cm", 1.2],
    ["3'11\"", 1.1938],
    ["-40 mm", -0.04],
    ["twenty", null],
    ["1 2", null],
  ];
  for (const [text, metres] of cases) {
    const read = parseMetres(text);
    if (metres === null) expect(read).toBeNull();
    else expect(read).toBeCloseTo(metres, 9);
  }
  expect(parseMillimetres("20")).toBeCloseTo(0.02, 9);
  expect(parseMillimetres("2 cm")).toBeCloseTo(0.02, 9);
});

it("what is carried goes along, and a row stands in line, as the core has it", () => {
  const things = core.carried.things as unknown as Placed[];
  const row = rowOf(things[2] as Placed);
  for (const [i, copy] of row.entries()) close(footOf(copy, things).foot, core.carried.feet[i] ?? []);
});
