import type { Kind } from "../kind";
import { ModelGlyphs } from "./Glyph";
import { StoodModels } from "./Live";
import { ModelOverlay } from "./Overlay";

/** Models: puck, ring and stem in the picture, footprints in the plan, themselves in the live view. */
export const kind: Kind = {
  name: "model",
  rank: 60,
  on: ["place"],
  Overlay: ModelOverlay,
  Glyph: ModelGlyphs,
  Live: StoodModels,
};
