import { useCallback } from "react";
import {
  asked,
  client,
  type Derived,
  type Gesture,
  type HandOut,
  type Patch,
  type Shot,
  type ShotOut,
} from "../api/client";
import { useShotChange } from "../api/hooks";
import { useEditor } from "./editor";

/** The document as it is shown: what is accepted, with the change under way on top. */
export function shown(shot: ShotOut, draft: Patch | null): Shot {
  return draft ? ({ ...shot.document, ...draft } as Shot) : shot.document;
}

/** Ask one question at a time; of those that came meanwhile, the latest. Done when none is left. */
function latestWins<Question>(ask: (question: Question) => Promise<void>) {
  let waiting: { question: Question } | null = null;
  let busy: Promise<void> | null = null;
  const work = async () => {
    while (waiting) {
      const { question } = waiting;
      waiting = null;
      try {
        await ask(question);
      } catch {
        // The accepted change will tell what is wrong; a passing state of a drag need not.
      }
    }
    busy = null;
  };
  return {
    ask(question: Question) {
      waiting = { question };
      busy ??= work();
    },
    settled: () => busy ?? Promise.resolve(),
  };
}

/** Notes how long after the hand's move the screen shows what follows from it (`make bench` reads it). */
function noteRedraw(started: number) {
  requestAnimationFrame(() =>
    setTimeout(() => performance.measure("redrawn", { start: started, end: performance.now() })),
  );
}

const trial = latestWins<{ shotId: string; patch: Patch; started: number }>(async (question) => {
  const derived = await asked<Derived>(
    client.POST("/api/v1/shots/{shot_id}/try", {
      params: { path: { shot_id: question.shotId } },
      body: { patch: question.patch as Record<string, unknown> },
    }),
  );
  if (useEditor.getState().draft) useEditor.setState({ draftDerived: derived });
  noteRedraw(question.started);
});

const handDrag = latestWins<{ shotId: string; gesture: Gesture; started: number }>(async (question) => {
  const { camera, origin, derived } = await asked<HandOut>(
    client.POST("/api/v1/shots/{shot_id}/hand", {
      params: { path: { shot_id: question.shotId } },
      body: { patch: {}, gesture: question.gesture },
    }),
  );
  useEditor.setState({ draft: { camera, origin }, draftDerived: derived });
  noteRedraw(question.started);
});

const SOLVED_FROM: (keyof Shot)[] = ["edges", "lengths", "levels", "origin", "gnomons", "camera", "sun"];

/** Moves show a change while it is under way; `keep` has it accepted as one revision. */
export function useDraft(shotId: string) {
  const { change } = useShotChange(shotId);
  const move = useCallback(
    (patch: Patch) => {
      useEditor.setState({ draft: patch });
      if (SOLVED_FROM.some((field) => field in patch))
        trial.ask({ shotId, patch, started: performance.now() });
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
  /** Drag the camera that is set by hand: the server tells what the figures become. */
  const drag = useCallback(
    (gesture: Gesture) => handDrag.ask({ shotId, gesture, started: performance.now() }),
    [shotId],
  );
  const keepDrag = useCallback(
    async (label: string) => {
      await handDrag.settled();
      keep(label);
    },
    [keep],
  );
  return { move, keep, change, drag, keepDrag };
}
