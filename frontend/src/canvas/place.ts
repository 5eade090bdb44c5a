import type { Derived } from "../api/client";
import { type Camera, onPlane } from "../geometry/camera";
import type { ImagePoint, World } from "../geometry/points";
import { type Spot, useEditor } from "../state/editor";
import type { MarkProps } from "./Marks";

/** Where checks stand while nobody has moved them, as shares of the picture; the first that shows ground is taken. */
const FIRST_SPOTS: Record<Spot, [number, number]> = {
  grid: [0.5, 0.74],
  wall: [0.3, 0.7],
  plumb: [0.62, 0.66],
  staff: [0.42, 0.78],
  box: [0.56, 0.8],
};
const LOWER = [0, 0.08, 0.16, 0.24];

/** Height of the level in force [m]. */
export function levelHeight(derived: Derived, level: string | null): number {
  return derived.levels.find((one) => one.id === level)?.height_m ?? 0;
}

type Where = Pick<MarkProps, "document" | "derived">;
type Place = { pixel: ImagePoint; foot: World };

/** A check's place: its pixel, and the point of the level under it; null where the picture shows no ground. */
export function spotOf(name: Spot, { document, derived }: Where, camera: Camera): Place | null {
  const { spots, level } = useEditor.getState();
  const { width, height } = document.photograph ?? { width: 1, height: 1 };
  const chosen = spots[name];
  const [x, y] = FIRST_SPOTS[name];
  const tried: ImagePoint[] = chosen
    ? [chosen]
    : LOWER.map((lower) => [x * width, Math.min(y + lower, 0.97) * height]);
  for (const pixel of tried) {
    const foot = onPlane(camera, pixel, levelHeight(derived, level));
    const away = foot && Math.hypot(foot[0] - camera.position[0], foot[1] - camera.position[1]);
    if (foot && away !== null && (chosen || away < 40 * unitOf(camera))) return { pixel, foot };
  }
  return null;
}

/** The same, drawn again when the check or the level in force is moved. */
export function useSpot(name: Spot, where: Where, camera: Camera): Place | null {
  useEditor((state) => state.spots);
  useEditor((state) => state.level);
  return spotOf(name, where, camera);
}

export const putSpot = (name: Spot, pixel: ImagePoint) =>
  useEditor.setState(({ spots }) => ({ spots: { ...spots, [name]: pixel } }));

const ROUND = [0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50];

/** A round length that suits the camera's height: a metre for somebody standing, less over a table. */
export function unitOf(camera: Camera, above = camera.position[2]): number {
  if (!camera.metric) return 0.5 * camera.position[2];
  return Math.max(...ROUND.filter((length) => length <= 0.75 * Math.max(above, 0.07)));
}
