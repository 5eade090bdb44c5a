import type { Pane } from "../../api/client";
import { Quad } from "../../stage/Quad";
import { useChange } from "../../state/changes";
import { useEditor, usePicked } from "../../state/editor";
import type { MarkProps } from "../props";

/** Each pane's outline; of the chosen one the corners and its foot on the ground, to be pulled. */
export function PaneOverlay({ shot, document, derived, frame }: MarkProps) {
  const { move, keep, change } = useChange(shot.id);
  const inHand = useEditor((state) => state.tool !== null);
  const { selection, select } = usePicked("selection", "select");
  if (inHand) return null;
  return document.panes
    .filter((pane) => !pane.hidden)
    .map((pane) => (
      <Quad
        key={pane.id}
        frame={frame}
        thing={pane}
        answer={derived.panes.find(({ id }) => id === pane.id)}
        chosen={selection?.kind === "pane" && selection.id === pane.id}
        tone="var(--color-verdigris)"
        onChoose={() => select({ kind: "pane", id: pane.id })}
        onMove={(values) => move({ panes: { [pane.id]: values as Partial<Pane> } })}
        onKeep={keep}
        onRemove={() => void change({ panes: { [pane.id]: null } }, "take a pane down")}
      />
    ));
}
