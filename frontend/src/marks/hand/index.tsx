import type { Kind } from "../kind";
import { HandOverlay } from "./Overlay";

/** The camera set by hand. */
export const hand: Kind = { name: "hand", on: ["perspective"], Overlay: HandOverlay };
