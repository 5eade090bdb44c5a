import { STEPS } from "../../state/editor";
import type { Kind } from "../kind";
import { FrameOverlay } from "./Overlay";
import { FramePanel } from "./Panel";

/** The part of the photograph that is delivered. */
export const kind: Kind = {
  name: "frame",
  rank: 1,
  on: STEPS,
  Overlay: FrameOverlay,
  section: {
    step: "photo",
    title: "Frame",
    fact: ({ document: { frame } }) =>
      frame ? `${Math.round(frame.width)} × ${Math.round(frame.height)}` : "the whole photograph",
    Panel: FramePanel,
    open: true,
  },
};
