import { Mesh, Raycaster, Vector3 } from "three";
import type { Placed } from "../api/client";
import { type Camera, ray } from "../geometry/camera";
import type { ImagePoint, World } from "../geometry/points";
import { after, apply, carrierOf, rowOf, type Stand, standOf, stood, within } from "../geometry/standing";
import { modelOf } from "./models";

/**
 * What a pixel shows of a thing: the thing, its material there, the place and the outward normal in the model as its
 * reader gives it, and both in the world.
 */
export type Hit = {
  placed: Placed;
  material: string;
  at: World;
  facing: World;
  world: World;
  normal: World;
};

const triple = ({ x, y, z }: Vector3): World => [x, y, z];

/** The nearest thing under a pixel of the photograph; null where none is. */
export function hitUnder(camera: Camera, pixel: ImagePoint, things: readonly Placed[]): Hit | null {
  const from = camera.position;
  const way = ray(camera, pixel);
  let nearest: (Hit & { away: number }) | null = null;
  for (const placed of things) {
    const model = modelOf(placed.file);
    if (placed.hidden || !model) continue;
    const carrier = carrierOf(placed, things);
    for (const one of rowOf(placed)) {
      const stand = after(carrier, standOf(one, model));
      const found = hitOf(stand, from, way, model.root.children);
      if (!found) continue;
      const world = stood(stand, found.at);
      const away = Math.hypot(world[0] - from[0], world[1] - from[1], world[2] - from[2]);
      if (nearest && nearest.away <= away) continue;
      const [fx, fy, fz] = model.foot;
      const at: World = [found.at[0] + fx, found.at[1] + fy, found.at[2] + fz];
      const normal = unit(apply(stand.turn, found.facing));
      nearest = { placed, material: found.material, at, facing: found.facing, world, normal, away };
    }
  }
  return nearest;
}

function hitOf(stand: Stand, from: World, way: World, objects: Parameters<Raycaster["intersectObjects"]>[0]) {
  const start = within(stand, from);
  const ahead = within(stand, [from[0] + way[0], from[1] + way[1], from[2] + way[2]]);
  const direction = new Vector3(ahead[0] - start[0], ahead[1] - start[1], ahead[2] - start[2]).normalize();
  const caster = new Raycaster(new Vector3(...start), direction);
  const [hit] = caster.intersectObjects(objects, true);
  if (!hit?.face || !(hit.object instanceof Mesh) || Array.isArray(hit.object.material)) return null;
  const normal = hit.face.normal.clone().transformDirection(hit.object.matrixWorld);
  if (normal.dot(direction) > 0) normal.negate();
  return { at: triple(hit.point), facing: triple(normal), material: hit.object.material.name as string };
}

function unit([x, y, z]: World): World {
  const length = Math.hypot(x, y, z) || 1;
  return [x / length, y / length, z / length];
}
