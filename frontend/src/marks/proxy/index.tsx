import type { ProxyMark } from "../../api/client";
import { pair } from "../../geometry/points";
import type { Kind } from "../kind";
import { ProxyGlyphs } from "./Glyph";
import { StoodProxies } from "./Live";
import { ProxyOverlay } from "./Overlay";
import { Proxies } from "./Panel";
import { PROMPTS, PROXY_KINDS, type ProxyKind } from "./words";

/** A wall is drawn by its foot alone; its height is pulled afterwards. */
const USUAL_HEIGHT_M: Partial<Record<ProxyKind, number>> = { wall: 2.5, outline: 1 };

/** Proxies: simple geometry for things in the photograph, which receive and hide. */
export const kind: Kind = {
  name: "proxy",
  rank: 80,
  tool: {
    grasp: "clicks",
    prompts: PROMPTS,
    goesOn: ["outline"],
    make(marks, { document, tool, id }) {
      const sort = (tool.sort ?? "box") as ProxyKind;
      const height_m = USUAL_HEIGHT_M[sort] ?? null;
      const topped = sort !== "quad" && height_m === null;
      const last = marks[marks.length - 1];
      const alike = document.proxies.filter((one) => one.kind === sort).length;
      const made: ProxyMark = {
        id,
        name: `${PROXY_KINDS[sort].name} ${alike + 1}`,
        kind: sort,
        points: (topped ? marks.slice(0, -1) : marks).map(pair),
        top: topped && last ? pair(last) : null,
        height_m,
        depth_m: null,
        width_m: null,
        foot: null,
        past_m: [0, 0],
        count: 3,
        level: null,
        receives: true,
        hides: true,
        material: sort === "wall" ? "plaster" : document.ground.material,
        coat: null,
        roughness: null,
        hidden: false,
        seen: [],
      };
      return { patch: { proxies: { [id]: made } }, label: PROXY_KINDS[sort].name.toLowerCase(), id };
    },
  },
  on: ["contact"],
  Overlay: ProxyOverlay,
  Glyph: ProxyGlyphs,
  Live: StoodProxies,
  section: {
    step: "contact",
    title: "What stands there",
    fact: ({ document }) =>
      document.proxies.length ? `${document.proxies.length} drawn` : "nothing but the ground",
    Panel: Proxies,
    open: true,
    when: ({ derived }) => derived.metric,
  },
};
