import type { Kind } from "../kind";
import { HandOverlay } from "./Overlay";

/** The camera set by hand. */
export const kind: Kind = { name: "hand", rank: 20, on: ["perspective"], Overlay: HandOverlay };
