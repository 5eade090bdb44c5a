import { useCallback } from "react";
import { asked, client, type Derived, type Patch, type Shot, type ShotOut } from "../api/client";
import { useShotChange } from "../api/hooks";
import { useEditor } from "./editor";

/** The document as it is shown: what is accepted, with the change under way on top. */
export function shown(shot: ShotOut, draft: Patch | null): Shot {
  return draft ? ({ ...shot.document, ...draft } as Shot) : shot.document;
}

let asking = false;
let waiting: { shotId: string; patch: Patch } | null = null;

/** Ask what would follow from a change; one question at a time, the latest wins. */
async function tryOut(shotId: string, patch: Patch) {
  waiting = { shotId, patch };
  if (asking) return;
  asking = true;
  while (waiting) {
    const question: { shotId: string; patch: Patch } = waiting;
    waiting = null;
    const started = performance.now();
    try {
      const derived: Derived = await asked<Derived>(
        client.POST("/api/v1/shots/{shot_id}/try", {
          params: { path: { shot_id: question.shotId } },
          body: { patch: question.patch as Record<string, unknown> },
        }),
      );
      if (useEditor.getState().draft) useEditor.setState({ draftDerived: derived });
      performance.measure("try", { start: started, end: performance.now() });
    } catch {
      // The accepted change will tell what is wrong; a passing state of a drag need not.
    }
  }
  asking = false;
}

const SOLVED_FROM: (keyof Shot)[] = ["edges", "yardstick", "origin", "gnomons", "camera", "sun"];

/** Moves show a change while it is under way; `keep` has it accepted as one revision. */
export function useDraft(shotId: string) {
  const { change } = useShotChange(shotId);
  const move = useCallback(
    (patch: Patch) => {
      useEditor.setState({ draft: patch });
      if (SOLVED_FROM.some((field) => field in patch)) void tryOut(shotId, patch);
    },
    [shotId],
  );
  const keep = useCallback(
    (label: string) => {
      const { draft } = useEditor.getState();
      if (draft) void change(draft, label);
    },
    [change],
  );
  return { move, keep, change };
}
