import { expect, it } from "vitest";
import { uploadsOf } from "./uploads";

const found = (...paths: string[]) => paths.map((path) => ({ path, file: new File([], path) }));
const names = (...paths: string[]) =>
  uploadsOf(found(...paths)).map(({ name, files }) => [name, files.length]);

it("takes the files of one model together and the others by themselves", () => {
  expect(names("yard.jpg", "bench.glb")).toEqual([
    ["yard.jpg", 1],
    ["bench.glb", 1],
  ]);
  expect(names("chair.mtl", "oak.png", "chair.obj", "part.stl")).toEqual([
    ["chair.obj", 3],
    ["part.stl", 1],
  ]);
  expect(names("chair/a.gltf", "chair/tex/oak.png", "yard.jpg")).toEqual([
    ["chair", 2],
    ["yard.jpg", 1],
  ]);
});
