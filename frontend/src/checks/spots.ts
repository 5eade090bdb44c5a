import type { Derived } from "../api/client";
import { type Camera, onPlane } from "../geometry/camera";
import type { ImagePoint, World } from "../geometry/points";
import type { MarkProps } from "../marks/props";
import { type Spot, useEditor } from "../state/editor";

/** A plumb line goes through any point; the other checks stand on the ground. */
type Standing = Exclude<Spot, "plumb">;

/** Where checks stand while nobody has moved them, as shares of the picture; the first that shows ground is taken. */
const FIRST_SPOTS: Record<Standing, [number, number]> = {
  grid: [0.5, 0.74],
  wall: [0.3, 0.7],
  staff: [0.42, 0.78],
  box: [0.56, 0.8],
};
const LOWER = [0, 0.08, 0.16, 0.24];

/** Height of a level, or of a proxy's top; of the ground by null [m]. */
export function levelHeight({ levels, proxies }: Derived, level: string | null): number {
  const proxy = proxies.find((one) => one.id === level);
  if (proxy) return (proxy.foot[0]?.[2] ?? 0) + (proxy.height_m ?? 0);
  return levels.find((one) => one.id === level)?.height_m ?? 0;
}

type Where = Pick<MarkProps, "document" | "derived">;
type Place = { pixel: ImagePoint; foot: World };

/** The point of the level in force under a pixel; null where the picture shows none of it. */
const footUnder = (pixel: ImagePoint, derived: Derived, camera: Camera) =>
  onPlane(camera, pixel, levelHeight(derived, useEditor.getState().level));

/** A check's place: where it was put, else the first of its usual ones that shows ground; null if none does. */
export function spotOf(name: Standing, { document, derived }: Where, camera: Camera): Place | null {
  const chosen = useEditor.getState().spots[name];
  const chosenFoot = chosen && footUnder(chosen, derived, camera);
  if (chosen && chosenFoot) return { pixel: chosen, foot: chosenFoot };
  const { width, height } = document.photograph ?? { width: 1, height: 1 };
  const [x, y] = FIRST_SPOTS[name];
  for (const lower of LOWER) {
    const pixel: ImagePoint = [x * width, Math.min(y + lower, 0.97) * height];
    const foot = footUnder(pixel, derived, camera);
    const [cx, cy] = camera.position;
    if (foot && Math.hypot(foot[0] - cx, foot[1] - cy) < 40 * unitOf(camera)) return { pixel, foot };
  }
  return null;
}

/** The same, drawn again when it is moved; it can only be moved to where the picture shows ground. */
export function useSpot(name: Standing, where: Where, camera: Camera) {
  useEditor((state) => state.spots);
  useEditor((state) => state.level);
  const place = spotOf(name, where, camera);
  const put = (pixel: ImagePoint) => footUnder(pixel, where.derived, camera) && putSpot(name, pixel);
  return place && { ...place, put };
}

export const putSpot = (name: Spot, pixel: ImagePoint) =>
  useEditor.setState(({ spots }) => ({ spots: { ...spots, [name]: pixel } }));

const ROUND = [0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50];

/** A round length that suits the camera's height: a metre for somebody standing, less over a table. */
export function unitOf(camera: Camera, above = camera.position[2]): number {
  if (!camera.metric) return 0.5 * camera.position[2];
  return Math.max(...ROUND.filter((length) => length <= 0.75 * Math.max(above, 0.07)));
}
