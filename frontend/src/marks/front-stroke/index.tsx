import type { FrontStroke } from "../../api/client";
import { pair } from "../../geometry/points";
import { useEditor } from "../../state/editor";
import { useOnShow } from "../../take/state";
import type { Kind } from "../kind";
import { strokesOverlay } from "../strokes";
import { WhoIsInFront } from "./Panel";

/** Strokes on single frames that say who is in front there. */
export const kind: Kind = {
  name: "front-stroke",
  rank: 83,
  tool: {
    grasp: "strokes",
    brush: true,
    stays: true,
    make(from, to, { id, path, tool }) {
      const { frame } = useOnShow.getState();
      const points = [...(path.length ? path : [from]), to].map(pair);
      const says = (tool.sort ?? "in") as FrontStroke["says"];
      const radius_px = useEditor.getState().brush_px;
      const stroke: FrontStroke = { id, frame: frame ?? 0, says, points, radius_px, reach: 4 };
      return { patch: { front_strokes: { [id]: stroke } }, label: `a stroke in frame ${stroke.frame}` };
    },
  },
  on: ["contact"],
  Overlay: strokesOverlay(({ front_strokes }) => front_strokes),
  section: {
    step: "contact",
    title: "Who passes in front",
    fact: ({ document }) =>
      document.front_strokes.length ? `${document.front_strokes.length} corrected` : "as found",
    Panel: WhoIsInFront,
    when: ({ document }) => document.take !== null,
    open: true,
  },
};
