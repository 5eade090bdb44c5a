import type { LitWindow } from "../../api/client";
import { Quad } from "../../stage/Quad";
import { useChange } from "../../state/changes";
import { useEditor, usePicked } from "../../state/editor";
import type { MarkProps } from "../props";

/** Each window's outline; of the chosen one the corners and the floor below it, to be pulled. */
export function WindowOverlay({ shot, document, derived, frame }: MarkProps) {
  const { move, keep, change } = useChange(shot.id);
  const inHand = useEditor((state) => state.tool !== null);
  const { selection, select } = usePicked("selection", "select");
  if (inHand) return null;
  return document.windows
    .filter((window) => !window.hidden)
    .map((window) => (
      <Quad
        key={window.id}
        frame={frame}
        thing={window}
        answer={derived.windows.find(({ id }) => id === window.id)}
        chosen={selection?.kind === "window" && selection.id === window.id}
        tone="var(--color-sun)"
        onChoose={() => select({ kind: "window", id: window.id })}
        onMove={(values) => move({ windows: { [window.id]: values as Partial<LitWindow> } })}
        onKeep={keep}
        onRemove={() => void change({ windows: { [window.id]: null } }, "remove a window")}
      />
    ));
}
