import { pair } from "../../geometry/points";
import { useEditor } from "../../state/editor";
import type { Kind } from "../kind";
import { newMatte } from "../matte";

/** The brush by which a matte is painted, or told from what is beside it. */
export const kind: Kind = {
  name: "matte-stroke",
  rank: 85,
  tool: {
    grasp: "strokes",
    brush: true,
    stays: true,
    make(from, to, { document, tool, id, path }) {
      const { matte: about, kind: sort } = tool.about ?? {};
      const known = document.mattes.find((one) => one.id === about);
      const radius_px = useEditor.getState().brush_px;
      const points = [...(path.length ? path : [from]), to].map(pair);
      const stroke = { points, radius_px, adds: tool.sort !== "outside" };
      const fresh = newMatte(about ?? id, sort === "brush" ? "brush" : "smart", document.mattes.length + 1);
      const matte = known ?? fresh;
      const patch = known ? { strokes: [...known.strokes, stroke] } : { ...matte, strokes: [stroke] };
      return { patch: { mattes: { [matte.id]: patch } }, label: `stroke of ${matte.name}` };
    },
  },
};
