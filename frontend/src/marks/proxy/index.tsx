import type { Kind } from "../kind";
import { ProxyGlyphs } from "./Glyph";
import { StoodProxies } from "./Live";
import { newProxy } from "./made";
import { ProxyOverlay } from "./Overlay";
import { Proxies } from "./Panel";
import { PROMPTS, PROXY_KINDS, type ProxyKind } from "./words";

/** Proxies: simple geometry for things in the photograph, which receive and hide. */
export const kind: Kind = {
  name: "proxy",
  rank: 80,
  tool: {
    grasp: "clicks",
    prompts: PROMPTS,
    goesOn: ["outline", "shade"],
    finds: true,
    make(marks, { document, tool, id }) {
      const sort = (tool.sort ?? "box") as ProxyKind;
      const made = newProxy(id, sort, marks, document);
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
