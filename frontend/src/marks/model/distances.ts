import type { Derived, Placed, Shot } from "../../api/client";
import { cameraOf, onPlane } from "../../geometry/camera";
import { corners, type Flat, footprintOf, type Gap, gapBetween, othersOf } from "../../geometry/footprint";
import { modelOf } from "../../live/models";

/** How far a thing is from something, and what that is called. */
export type Distance = Gap & { name: string; id: string };

const MOST = 3;
const FARTHEST_M = 30;

/** The nearest of a thing's neighbours and of the marked edges that lie on the ground. */
export function distancesOf(placed: Placed, document: Shot, derived: Derived): Distance[] {
  const things = document.models;
  const mine = corners(footprintOf(placed, modelOf(placed.file), things));
  const others = othersOf(
    placed,
    things.map((one) => ({ placed: one, read: modelOf(one.file) })),
  );
  const found = [
    ...others.map((one, i) => ({ ...gapBetween(mine, corners(one)), name: one.name, id: `${one.id}-${i}` })),
    ...groundEdges(document, derived).map(({ line, ...named }) => ({ ...gapBetween(mine, line), ...named })),
  ];
  return found
    .filter(({ metres }) => metres < FARTHEST_M)
    .sort((a, b) => a.metres - b.metres)
    .slice(0, MOST);
}

/** Marked edges of the level runs, taken to lie on the ground where both ends do so in front of the camera. */
function groundEdges(document: Shot, derived: Derived): { line: Flat[]; name: string; id: string }[] {
  const camera = derived.camera && cameraOf(derived.camera);
  if (!camera) return [];
  const counts = { a: 0, b: 0, plumb: 0 };
  return document.edges.flatMap((edge) => {
    counts[edge.run] += 1;
    if (edge.run === "plumb") return [];
    const ends = [edge.points.at(0), edge.points.at(-1)].map((p) => p && onPlane(camera, p, 0));
    const [one, two] = ends;
    if (!one || !two) return [];
    const line: Flat[] = [
      [one[0], one[1]],
      [two[0], two[1]],
    ];
    return [
      {
        line,
        name: `edge ${edge.run.toUpperCase()}${counts[edge.run]}, if it lies on the ground`,
        id: edge.id,
      },
    ];
  });
}
