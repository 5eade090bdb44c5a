import { cameraOf } from "../../geometry/camera";
import { say } from "../../state/notices";
import type { Kind } from "../kind";
import { ProxyGlyphs } from "./Glyph";
import { StoodProxies } from "./Live";
import { newProxy, newRise, pulledToo } from "./made";
import { ProxyOverlay } from "./Overlay";
import { Proxies } from "./Panel";
import { nameOf, PROMPTS, PROXY_KINDS, type ProxyKind } from "./words";

/** Proxies: simple geometry for things in the photograph, which receive and hide. */
export const kind: Kind = {
  name: "proxy",
  rank: 80,
  tool: {
    grasp: "clicks",
    prompts: PROMPTS,
    goesOn: ["outline", "shade"],
    finds: true,
    make(marks, { document, derived, tool, id }) {
      const [at] = marks;
      const rise = document.proxies.find((one) => one.id === tool.about?.proxy);
      if (tool.sort === "pull")
        return rise && at
          ? {
              patch: { proxies: { [rise.id]: pulledToo(rise, at) } },
              label: `pull at ${nameOf(rise)}`,
              id: rise.id,
            }
          : null;
      const sort = (tool.sort ?? "box") as ProxyKind;
      const made =
        sort === "rise"
          ? derived.camera && newRise(id, marks, document, cameraOf(derived.camera))
          : newProxy(id, sort, marks, document);
      if (!made) {
        say("Both must lie on the ground, below the horizon.", "wrong");
        return null;
      }
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
