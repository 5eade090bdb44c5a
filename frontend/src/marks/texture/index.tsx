import type { Kind } from "../kind";
import { TextureOverlay } from "./Overlay";

/** A texture's repeat, pulled in the picture. */
export const kind: Kind = { name: "texture", rank: 72, on: ["place"], Overlay: TextureOverlay };
