import type { Lamp } from "../../api/client";
import { type Camera, heightOver, onPlane, project } from "../../geometry/camera";
import { type ImagePoint, pair, type World } from "../../geometry/points";

/** Where a lamp and the ground below it are seen; null where the camera doesn't. */
export function seenAt(lamp: Lamp, position: World, camera: Camera) {
  if (!lamp.position_m && lamp.at && lamp.foot) return { at: lamp.at, foot: lamp.foot };
  const [at, foot] = [project(camera, position), project(camera, [position[0], position[1], 0])];
  return at && foot ? { at, foot } : null;
}

/** What pulling a lamp up or down, or the ground below it, changes. */
export function pulled(
  lamp: Lamp,
  position: World,
  camera: Camera,
  end: "at" | "foot",
  to: ImagePoint,
): Partial<Lamp> {
  if (!lamp.position_m) return { [end]: pair(to) };
  if (end === "at") {
    const height = heightOver(camera, [position[0], position[1], 0], to);
    return { position_m: [position[0], position[1], height] };
  }
  const ground = onPlane(camera, to, 0);
  return ground ? { position_m: [ground[0], ground[1], position[2]] } : {};
}
