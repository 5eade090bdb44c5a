import type { Kind } from "../kind";
import { SunGlyph } from "./Glyph";
import { ShadowTip } from "./Overlay";

/** The sun by hand: the tip of a model's shadow in the picture, the long line in the plan. */
export const kind: Kind = { name: "sun", rank: 80, on: ["light"], Overlay: ShadowTip, Glyph: SunGlyph };
