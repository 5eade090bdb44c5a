import type { PlateStroke } from "../../api/client";
import { pair } from "../../geometry/points";
import { useEditor } from "../../state/editor";
import { useOnShow } from "../../take/state";
import type { Kind } from "../kind";
import { strokesOverlay } from "../strokes";
import { CleanPlate } from "./Panel";

/** Strokes by which a region of the clean plate comes from one frame. */
export const kind: Kind = {
  name: "plate-stroke",
  rank: 2,
  tool: {
    grasp: "strokes",
    brush: true,
    stays: true,
    make(from, to, { id, path }) {
      const { frame } = useOnShow.getState();
      const points = [...(path.length ? path : [from]), to].map(pair);
      const stroke: PlateStroke = { id, frame: frame ?? 0, points, radius_px: useEditor.getState().brush_px };
      return { patch: { plate_strokes: { [id]: stroke } }, label: `the plate from frame ${stroke.frame}` };
    },
  },
  on: ["photo"],
  Overlay: strokesOverlay(({ plate_strokes }) => plate_strokes.map((one) => ({ ...one, says: "in" }))),
  section: {
    step: "photo",
    title: "Clean plate",
    fact: ({ document }) => (document.take?.plate ? "made" : "not made yet"),
    Panel: CleanPlate,
    when: ({ document }) => document.take !== null,
    open: true,
  },
};
