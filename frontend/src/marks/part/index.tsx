import { useEffect } from "react";
import { useEditor, usePicked } from "../../state/editor";
import { say } from "../../state/notices";
import { useRenderActions } from "../../state/renders";
import { Button } from "../../ui/controls";
import type { Kind } from "../kind";
import type { MarkProps, StepProps } from "../props";

/** Shorter than this no box was meant [px of the photograph]. */
const LEAST = 12;

/** A part of the proof that is to be seen finely: a box, drawn. */
export const kind: Kind = {
  name: "part",
  rank: 88,
  on: ["contact"],
  tool: {
    grasp: "strokes",
    acts([x, y], [toX, toY]) {
      const part = [Math.min(x, toX), Math.min(y, toY), Math.max(x, toX), Math.max(y, toY)].map(Math.round);
      const [x0 = 0, y0 = 0, x1 = 0, y1 = 0] = part;
      if (x1 - x0 < LEAST || y1 - y0 < LEAST) return say("Drag a box over what is to be refined.");
      useEditor.setState({ part: [x0, y0, x1, y1] });
    },
  },
  Overlay: Box,
  section: {
    step: "contact",
    title: "The proof",
    fact: () => "",
    Panel,
  },
};

/** The box under way; once it is drawn, that part is asked for. */
function Box({ shot, frame }: MarkProps) {
  const { part, path, tool } = usePicked("part", "path", "tool");
  const { ask } = useRenderActions(shot.id);
  useEffect(() => {
    if (!part) return;
    useEditor.setState({ part: null });
    void ask("proof", part);
  }, [part, ask]);
  const [from, to] = path;
  if (tool?.kind !== "part" || !from || !to) return null;
  const [a, b] = [frame.toScreen(from), frame.toScreen(to)];
  const box = {
    x: Math.min(a[0], b[0]),
    y: Math.min(a[1], b[1]),
    width: Math.abs(b[0] - a[0]),
    height: Math.abs(b[1] - a[1]),
  };
  return (
    <>
      <rect {...box} fill="none" stroke="#22262b" strokeWidth={3.5} strokeOpacity={0.6} />
      <rect {...box} fill="none" stroke="#fff" strokeWidth={1.5} strokeDasharray="7 5" />
    </>
  );
}

function Panel(_: StepProps) {
  const active = useEditor((state) => state.tool?.kind === "part");
  return (
    <>
      <Button
        active={active}
        onClick={() => {
          useEditor.getState().show("proof");
          useEditor.getState().take(active ? null : { kind: "part", marks: [] });
        }}
      >
        Refine a part
      </Button>
      <p className="pt-1 text-xs leading-[1.5] text-ink-500">
        Drag a box over the proof: only there it is traced again, with eight times the samples.
      </p>
    </>
  );
}
