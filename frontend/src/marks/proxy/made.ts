import type { ProxyMark, Shot } from "../../api/client";
import { type Camera, onPlane } from "../../geometry/camera";
import { image, pair } from "../../geometry/points";
import { PROXY_KINDS, type ProxyKind, UNTOPPED } from "./words";

/** A wall is drawn by its foot alone; its height is pulled afterwards. */
const USUAL_HEIGHT_M: Partial<Record<ProxyKind, number>> = { wall: 2.5, outline: 1 };
/** One that ends at the picture's border goes on outside; how near it is to it, of the picture, and how far it goes on. */
const AT_BORDER = 0.03;
const RUNS_ON_M = 5;

/** How far a wall runs on past an end. */
function runsOn(end: readonly [number, number] | undefined, { photograph }: Shot): number {
  if (!photograph || !end) return 0;
  const [x, y] = [end[0] / photograph.width, end[1] / photograph.height];
  return Math.min(x, 1 - x, 1 - y) < AT_BORDER ? RUNS_ON_M : 0;
}

/** Three usual steps, until they are pulled: their front along an edge, rising away from the camera. */
const FLIGHT = { height_m: 0.48, depth_m: 0.9 };

/** What stands over a marked edge of the ground. */
export function alongEdge(
  id: string,
  sort: "wall" | "steps",
  ends: readonly (readonly [number, number])[],
  document: Shot,
): ProxyMark {
  const made = newProxy(id, sort, ends, document);
  return sort === "wall" ? made : { ...made, points: ends.map(pair), top: null, ...FLIGHT };
}

/** A model's sides as what stands in the photograph. */
export function meshProxy(id: string, name: string, sides: ProxyMark["sides"], document: Shot): ProxyMark {
  return { ...newProxy(id, "mesh", [], document), name, sides };
}

/** How high new uneven ground is, of its reach, until it is pulled. */
const FIRST_PULL = 0.12;

/** Uneven ground about the first of two places, level again at the second; null where either is not on the ground. */
export function newRise(
  id: string,
  marks: readonly (readonly [number, number])[],
  document: Shot,
  camera: Camera,
): ProxyMark | null {
  const [middle, border] = marks.map((mark) => onPlane(camera, image(...mark), 0));
  if (!middle || !border) return null;
  const reach = Math.min(Math.max(Math.hypot(border[0] - middle[0], border[1] - middle[1]), 0.05), 1000);
  const made = newProxy(id, "rise", marks.slice(0, 1), document);
  return { ...made, reach_m: reach, heights_m: [FIRST_PULL * reach] };
}

/** Uneven ground pulled at one more place, as high as the first. */
export function pulledToo(rise: ProxyMark, at: readonly [number, number]): Partial<ProxyMark> {
  return { points: [...rise.points, pair(at)], heights_m: [...rise.heights_m, rise.heights_m[0] ?? 0] };
}

/** A proxy as it is drawn by clicks; the last of them is its top, where it has one. */
export function newProxy(
  id: string,
  sort: ProxyKind,
  marks: readonly (readonly [number, number])[],
  document: Shot,
): ProxyMark {
  const height_m = USUAL_HEIGHT_M[sort] ?? null;
  const topped = !UNTOPPED.includes(sort) && height_m === null;
  const last = marks[marks.length - 1];
  const alike = document.proxies.filter((one) => one.kind === sort).length;
  return {
    id,
    name: `${PROXY_KINDS[sort].name} ${alike + 1}`,
    kind: sort,
    points: (topped ? marks.slice(0, -1) : marks).map(pair),
    top: topped && last ? pair(last) : null,
    height_m,
    depth_m: null,
    width_m: null,
    foot: null,
    heights_m: [],
    reach_m: null,
    sides: [],
    past_m: sort === "wall" ? [runsOn(marks[0], document), runsOn(last, document)] : [0, 0],
    count: 3,
    level: null,
    receives: true,
    hides: true,
    material: sort === "wall" || sort === "shade" ? "plaster" : document.ground.material,
    coat: null,
    roughness: null,
    hidden: false,
    shadow: [],
    seen: [],
    clipped: [],
  };
}
