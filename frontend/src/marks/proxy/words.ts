import type { ProxyMark } from "../../api/client";

export type ProxyKind = ProxyMark["kind"];

/** The kinds of proxies as they are called on the screen, with a small drawing of each (24 × 18). */
export const PROXY_KINDS: Record<ProxyKind, { name: string; sign: string }> = {
  wall: { name: "Wall", sign: "M2 15L22 12V2L2 5Z" },
  box: { name: "Box", sign: "M3 7L12 4L21 7V14L12 17L3 14ZM3 7L12 10L21 7M12 10V17" },
  steps: { name: "Steps", sign: "M2 16V12H8V8H14V4H22V16Z" },
  ramp: { name: "Ramp", sign: "M2 16L22 4V16Z" },
  cylinder: {
    name: "Cylinder",
    sign: "M5 5V14C5 17.5 19 17.5 19 14V5M5 5C5 1.5 19 1.5 19 5C19 8.5 5 8.5 5 5",
  },
  outline: { name: "Outline", sign: "M3 12L8 7L13 9L21 5L20 14L11 16Z" },
  quad: { name: "Flat piece", sign: "M4 4L20 7L18 16L6 13Z" },
  mesh: { name: "Model", sign: "M3 14L8 3L15 6L21 12L12 17ZM8 3L12 17L15 6M3 14L15 6" },
  shade: { name: "Shade", sign: "M2 16L9 8L14 10L22 5V16ZM7 16L13 10M12 16L18 9M17 16L22 11" },
  rise: { name: "Rise or dip", sign: "M1 13C5 13 6 6 10 6C14 6 14 15 18 15C20 15 21 13 23 13M10 6V1" },
};

const FOOT = [
  "click one end of its front, at the foot",
  "now the front’s other end",
  "now its foot’s corner behind that",
];

/** Those that are drawn; a model comes to stand there from the Place step. */
export const DRAWN = (Object.keys(PROXY_KINDS) as ProxyKind[]).filter((kind) => kind !== "mesh");

/** Kinds whose height is not told by a point of their top. */
export const UNTOPPED: readonly ProxyKind[] = ["quad", "shade", "rise", "mesh"];

/** Most points that uneven ground is pulled at. */
export const MOST_PULLED = 12;

/** What is clicked, one after the other; a wall's foot may be drawn in one stroke. `pull` adds to uneven ground. */
export const PROMPTS: Record<ProxyKind | "pull", readonly string[]> = {
  wall: ["draw along the wall’s foot, or click one end", "now its other end"],
  box: [...FOOT, "and its top, plumb above the first corner"],
  steps: [...FOOT, "and the top, plumb above that corner"],
  ramp: [...FOOT, "and the top, plumb above that corner"],
  cylinder: [
    "click a point of its foot’s rim",
    "now another point of the rim",
    "and a third one",
    "and its top, plumb above the first",
  ],
  outline: [
    "click a corner of its foot",
    "now the next corner",
    "the next corner, and so on; click the first to end",
  ],
  quad: [
    "click its top left corner",
    "now its top right corner",
    "its bottom right corner",
    "and its bottom left corner",
  ],
  rise: ["click the ground where it rises or sinks most", "now where it is level again"],
  pull: ["click the ground where it rises or sinks, too"],
  mesh: [],
  shade: [
    "click a corner of a shadow that comes in from outside the picture",
    "now the next corner of its outline",
    "the next corner, along the picture’s border too; click the first to end",
  ],
};

export const nameOf = (proxy: ProxyMark) => proxy.name || PROXY_KINDS[proxy.kind].name;

/** What it does with the light and with what is behind it, in a word or two. */
export const doesOf = ({ kind, receives, hides }: Pick<ProxyMark, "kind" | "receives" | "hides">) =>
  kind === "shade" ? "from outside" : receives && hides ? "" : receives ? "only receives" : "only hides";

/** Kinds with a level top, on which things can stand. */
const TOPPED: readonly ProxyKind[] = ["box", "steps", "cylinder", "outline"];

/** Proxies on whose top things can stand. */
export const toppedIn = (proxies: readonly ProxyMark[]) =>
  proxies.filter(({ kind, hidden }) => TOPPED.includes(kind) && !hidden);
