/** How pulling at a proxy changes what is drawn of it. */
import type { ProxyAnswer, ProxyMark } from "../../api/client";
import { type Camera, heightOver, onPlane, project } from "../../geometry/camera";
import { type ImagePoint, pair, type World } from "../../geometry/points";
import { UNTOPPED } from "./words";

/** The foot over which its height is told: its first point's, of steps and a ramp the corner behind the second. */
export function overOf(proxy: ProxyMark, answer: ProxyAnswer, camera: Camera): World | null {
  if (UNTOPPED.includes(proxy.kind) || !answer.foot.length) return null;
  const base = answer.foot[0]?.[2] ?? 0;
  const of = (index: number) => {
    const point = proxy.points[index];
    return point ? onPlane(camera, point, base) : null;
  };
  if (proxy.kind !== "steps" && proxy.kind !== "ramp") return of(0);
  const second = of(1);
  if (!second) return null;
  const away = (p: readonly number[]) => Math.hypot((p[0] ?? 0) - second[0], (p[1] ?? 0) - second[1]);
  const behind = answer.foot.slice(2).sort((a, b) => away(a) - away(b))[0];
  return behind ? [behind[0], behind[1], base] : null;
}

/** Where its top can be pulled: plumb above, if the camera sees that. */
export function topOf(proxy: ProxyMark, answer: ProxyAnswer, camera: Camera): ImagePoint | null {
  const over = overOf(proxy, answer, camera);
  return over && answer.height_m !== null
    ? project(camera, [over[0], over[1], over[2] + (answer.height_m ?? 0)])
    : null;
}

/** Where uneven ground's points can be pulled: plumb over each, null where the camera does not see that. */
export function pullsOf(proxy: ProxyMark, answer: ProxyAnswer, camera: Camera): (ImagePoint | null)[] {
  const base = answer.foot[0]?.[2] ?? 0;
  return proxy.points.map((point, i) => {
    const at = proxy.kind === "rise" ? onPlane(camera, point, base) : null;
    return at && project(camera, [at[0], at[1], base + (proxy.heights_m[i] ?? 0)]);
  });
}

/** Uneven ground after one of its points was pulled to a pixel. */
export function pulledAt(
  proxy: ProxyMark,
  answer: ProxyAnswer,
  camera: Camera,
  index: number,
  to: ImagePoint,
): Partial<ProxyMark> {
  const base = answer.foot[0]?.[2] ?? 0;
  const at = proxy.points[index] && onPlane(camera, proxy.points[index], base);
  if (!at) return {};
  const height = Math.min(Math.max(heightOver(camera, at, to) - base, -100), 100);
  return { heights_m: proxy.heights_m.map((was, i) => (i === index ? height : was)) };
}

/** Uneven ground without one of its points; null where none would be left. */
export function withoutPull(proxy: ProxyMark, index: number): Partial<ProxyMark> | null {
  const others = <T>(list: readonly T[]) => list.filter((_, i) => i !== index);
  return proxy.kind === "rise" && proxy.points.length > 1
    ? { points: others(proxy.points), heights_m: others(proxy.heights_m) }
    : null;
}

/** Its height after its top was pulled to a pixel. */
export function pulledUp(
  proxy: ProxyMark,
  answer: ProxyAnswer,
  camera: Camera,
  to: ImagePoint,
): Partial<ProxyMark> {
  const over = overOf(proxy, answer, camera);
  if (!over) return {};
  const height = heightOver(camera, over, to) - over[2];
  return { height_m: Math.min(Math.max(height, 0.005), 1000), top: null };
}

/** All its points after it was slid over the plane that it stands on [m]; null where the camera can't see it there. */
export function slid(
  proxy: ProxyMark,
  answer: ProxyAnswer,
  camera: Camera,
  by: readonly [number, number],
): Partial<ProxyMark> | null {
  if (proxy.kind === "quad") return null;
  if (proxy.kind === "mesh") {
    const move = ([x = 0, y = 0, z = 0]: readonly number[]) => [x + by[0], y + by[1], z] as const;
    return { sides: proxy.sides.map((side) => side.map(move)) as unknown as ProxyMark["sides"] };
  }
  const base = answer.foot[0]?.[2] ?? 0;
  // Its top is told plumb over the foot: slid, it keeps the height that was seen.
  const height = proxy.top ? { top: null, height_m: answer.height_m } : {};
  const points = proxy.points.map((point) => {
    const at = onPlane(camera, point, base);
    const to = at && project(camera, [at[0] + by[0], at[1] + by[1], base]);
    return to && pair(to);
  });
  return points.every((point) => point !== null)
    ? { points: points as ProxyMark["points"], ...height }
    : null;
}
