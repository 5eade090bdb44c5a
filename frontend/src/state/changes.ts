/**
 * Changes on their way: shown at once, sent one after the other, accepted or refused by the server. A draft is a
 * change under way in the hand; it belongs to one gesture on one shot, and no answer to another ever shows in it.
 */
import type { QueryClient } from "@tanstack/react-query";
import { useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { create } from "zustand";
import {
  asked,
  client,
  type Derived,
  Failure,
  type Gesture,
  type HandOut,
  type Shot,
  type ShotOut,
} from "../api/client";
import { noteAccepted } from "../api/fresh";
import { keyedPatch, shownAt } from "../take/keys";
import { useOnShow } from "../take/state";
import { baseOf } from "./address";
import { say } from "./notices";
import { type Patch, patched } from "./patch";

/** A change that was let go of and is not accepted yet. */
type Pending = { owner: number; shotId: string; patch: Patch; derived: Derived | null };
type Draft = { owner: number; shotId: string; patch: Patch; derived: Derived | null };

export const useChanges = create<{ pending: Pending[]; draft: Draft | null }>(() => ({
  pending: [],
  draft: null,
}));

let owners = 0;

/**
 * What is shown of a shot: what is accepted, with what is on its way and in the hand on top; of a take as it is at the
 * frame on show.
 */
export function shownShot(
  shot: ShotOut,
  { pending, draft }: { pending: Pending[]; draft: Draft | null },
  frame: number | null = null,
): { document: Shot; derived: Derived } {
  const mine = [...pending, ...(draft ? [draft] : [])].filter((one) => one.shotId === shot.id);
  return {
    document: shownAt(
      mine.reduce((document, one) => patched(document, one.patch), shot.document),
      frame,
    ),
    derived: mine.reduce((derived, one) => one.derived ?? derived, shot.derived),
  };
}

/** Let go of the change in the hand without keeping it. */
export const endDraft = () => useChanges.setState({ draft: null });

function draftOf(shotId: string, patch: Patch): Draft {
  const { draft } = useChanges.getState();
  return draft?.shotId === shotId ? { ...draft, patch } : { owner: ++owners, shotId, patch, derived: null };
}

/** An answer to a question that a draft asked: shown while that draft, or its change on the way, still stands. */
function answer(owner: number, told: Partial<Draft>) {
  useChanges.setState(({ draft, pending }) => ({
    draft: draft?.owner === owner ? { ...draft, ...told } : draft,
    pending: pending.map((one) => (one.owner === owner ? { ...one, ...told } : one)),
  }));
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
  if (typeof requestAnimationFrame === "undefined") return;
  requestAnimationFrame(() =>
    setTimeout(() => performance.measure("redrawn", { start: started, end: performance.now() })),
  );
}

type Asked = { shotId: string; owner: number; started: number };
const path = (shotId: string) => ({ params: { path: { shot_id: shotId } } });

const trial = latestWins<Asked & { patch: Patch }>(async ({ shotId, owner, patch, started }) => {
  const body = { patch: patch as Record<string, unknown> };
  const derived = await asked<Derived>(client.POST("/api/v1/shots/{shot_id}/try", { ...path(shotId), body }));
  answer(owner, { derived });
  noteRedraw(started);
});

const handDrag = latestWins<Asked & { gesture: Gesture }>(async ({ shotId, owner, gesture, started }) => {
  const { camera, origin, derived } = await asked<HandOut>(
    client.POST("/api/v1/shots/{shot_id}/hand", { ...path(shotId), body: { patch: {}, gesture } }),
  );
  answer(owner, { patch: { camera, origin }, derived });
  noteRedraw(started);
});

const SOLVED_FROM = ["edges", "lengths", "levels", "origin", "gnomons", "camera", "sun", "panes"];

/** Accepted changes go one after the other, each made to the revision before it. */
let line: Promise<unknown> = Promise.resolve();
export const inLine = <T>(work: () => Promise<T>): Promise<T> => {
  const next = line.then(work, work);
  line = next.catch(() => undefined);
  return next;
};

const isSibling = ([kind, name]: readonly unknown[], shotId: string) =>
  kind === "shot" && name !== shotId && typeof name === "string" && baseOf(name) === baseOf(shotId);

/** The revision that was told last, of the shot or of any of its options. */
function newestSeen(queries: QueryClient, shotId: string): number {
  const known = queries
    .getQueryCache()
    .findAll({ predicate: ({ queryKey }) => queryKey[1] === shotId || isSibling(queryKey, shotId) })
    .filter(({ queryKey, state }) => queryKey[0] === "shot" && state.data);
  const latest = known.sort((a, b) => b.state.dataUpdatedAt - a.state.dataUpdatedAt)[0];
  return (latest?.state.data as ShotOut | undefined)?.revision ?? 0;
}

/** What can be done to a shot. */
export function changesOf(shotId: string, queries: QueryClient) {
  const accept = (shot: ShotOut) => {
    noteAccepted(baseOf(shotId));
    queries.setQueryData(["shot", shotId], shot);
    queries.setQueryData(["revision", shotId], { revision: shot.revision });
    // A shot and its options have one history: what is known of the others is of an earlier revision.
    queries.invalidateQueries({ predicate: ({ queryKey }) => isSibling(queryKey, shotId) });
    queries.invalidateQueries({ queryKey: ["project", shot.project_id] });
  };
  const refuse = (error: Error) => {
    say(error.message, "wrong");
    if (error instanceof Failure && error.status === 409)
      queries.invalidateQueries({ queryKey: ["shot", shotId] });
  };
  const seen = () => newestSeen(queries, shotId);
  /** What has keys is set by one at the frame on show. */
  const keyed = (patch: Patch) => {
    const known = queries.getQueryData<ShotOut>(["shot", shotId]);
    return known ? keyedPatch(known.document, patch, useOnShow.getState().frame) : patch;
  };

  /** Have a change accepted as one revision; it shows from now on, until it is refused. */
  const change = (asked_: Patch, label: string, owner = ++owners, derived: Derived | null = null) => {
    const patch = keyed(asked_);
    useChanges.setState(({ pending }) => ({ pending: [...pending, { owner, shotId, patch, derived }] }));
    return inLine(async () => {
      // Read when its turn comes: what a camera set by hand became may have been told meanwhile.
      const mine = useChanges.getState().pending.find((one) => one.owner === owner);
      try {
        const body = {
          revision: seen(),
          patch: (mine?.patch ?? patch) as Record<string, unknown>,
          label: label.slice(0, 200),
        };
        accept(await asked<ShotOut>(client.PATCH("/api/v1/shots/{shot_id}", { ...path(shotId), body })));
      } catch (error) {
        refuse(error as Error);
      } finally {
        useChanges.setState(({ pending }) => ({ pending: pending.filter((one) => one.owner !== owner) }));
      }
    });
  };

  /** Show a change under way in the hand. */
  const move = (wanted: Patch) => {
    const patch = keyed(wanted);
    const draft = draftOf(shotId, patch);
    useChanges.setState({ draft });
    if (SOLVED_FROM.some((field) => field in patch))
      trial.ask({ shotId, owner: draft.owner, patch, started: performance.now() });
  };

  /** Have the change in the hand accepted. */
  const keep = (label: string) => {
    const { draft } = useChanges.getState();
    if (draft?.shotId !== shotId) return;
    useChanges.setState({ draft: null });
    void change(draft.patch, label, draft.owner, draft.derived);
  };

  /** Drag the camera that is set by hand: the server tells what the figures become. */
  const drag = (gesture: Gesture) => {
    const { draft } = useChanges.getState();
    const mine = draftOf(shotId, draft?.shotId === shotId ? draft.patch : {});
    useChanges.setState({ draft: mine });
    handDrag.ask({ shotId, owner: mine.owner, gesture, started: performance.now() });
  };
  const keepDrag = async (label: string) => {
    const { draft } = useChanges.getState();
    await handDrag.settled();
    if (draft && useChanges.getState().draft?.owner === draft.owner) keep(label);
  };

  const step = (way: "undo" | "redo") => () =>
    inLine(async () => {
      const body = { revision: seen() };
      accept(await asked<ShotOut>(client.POST(`/api/v1/shots/{shot_id}/${way}`, { ...path(shotId), body })));
    }).catch(refuse);
  return { change, move, keep, drag, keepDrag, undo: step("undo"), redo: step("redo") };
}

export function useChange(shotId: string) {
  const queries = useQueryClient();
  return useMemo(() => changesOf(shotId, queries), [shotId, queries]);
}
