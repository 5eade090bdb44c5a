import { QueryClient } from "@tanstack/react-query";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Shot, ShotOut } from "../api/client";
import { readShot } from "../api/hooks";
import core from "../fixtures/core.json";
import { changesOf, endDraft, shownShot, useChanges } from "./changes";
import { useNotices } from "./notices";
import { patched } from "./patch";

const json = (text: string, status = 200) =>
  new Response(text, { status, headers: { "Content-Type": "application/json" } });

/** A server that answers when it is told to, with the revision and the document that it would have. */
class FakeServer {
  document: Record<string, unknown> = { edges: [], origin: null, camera: { kind: "solved" } };
  revision = 1;
  asked: { path: string; body: Record<string, unknown>; answer: (status?: number) => void }[] = [];

  fetch = async (request: Request): Promise<Response> => {
    const path = new URL(request.url).pathname;
    const isRead = request.method === "GET";
    const body = isRead ? {} : await request.json();
    // What is read is what stood there when it was asked for, however late it is told.
    const read = JSON.stringify(this.shot());
    return new Promise((answer) => {
      this.asked.push({
        path,
        body,
        answer: (status = 200) => answer(isRead ? json(read) : this.answered(path, body, status)),
      });
    });
  };

  private answered(path: string, body: Record<string, unknown>, status: number): Response {
    if (status !== 200) return json('{"detail": "The edge \'x\' has changed since you saw it."}', status);
    if (path.endsWith("/try")) return json(JSON.stringify({ told: body.patch }));
    this.document = patched(this.document as Shot, body.patch as object) as unknown as typeof this.document;
    this.revision += 1;
    return json(JSON.stringify(this.shot()));
  }

  shot = (): ShotOut =>
    ({
      id: "s",
      project_id: "p",
      revision: this.revision,
      document: this.document,
      derived: {},
    }) as unknown as ShotOut;

  async next(path = "") {
    await vi.waitFor(() => expect(this.asked.some((one) => one.path.endsWith(path))).toBe(true));
    const index = this.asked.findIndex((one) => one.path.endsWith(path));
    return this.asked.splice(index, 1)[0] as (typeof this.asked)[number];
  }
}

const edge = (id: string) => ({ edges: { [id]: { id, run: "a" as const, points: [] } } });
let server: FakeServer;
let queries: QueryClient;
let hand: ReturnType<typeof changesOf>;
const ids = () =>
  shownShot(
    queries.getQueryData<ShotOut>(["shot", "s"]) as ShotOut,
    useChanges.getState(),
  ).document.edges.map((one) => one.id);

beforeEach(() => {
  server = new FakeServer();
  vi.stubGlobal("fetch", (input: Request) => server.fetch(input));
  vi.stubGlobal("location", { href: "http://localhost/", origin: "http://localhost" });
  queries = new QueryClient();
  queries.setQueryData(["shot", "s"], server.shot());
  useChanges.setState({ pending: [], draft: null });
  hand = changesOf("s", queries);
});

afterEach(async () => {
  // Nothing unanswered stays behind for the next test.
  await new Promise((soon) => setTimeout(soon, 20));
  for (const one of server.asked.splice(0)) one.answer();
  await new Promise((soon) => setTimeout(soon, 20));
});

describe("changes", () => {
  it("are evaluated as the core evaluates them", () => {
    for (const { document, patch, result } of core.changes)
      expect(patched(document as unknown as Shot, patch as object)).toEqual(result);
  });

  it("a second stroke before the first is answered loses nothing", async () => {
    void hand.change(edge("a1"), "first");
    void hand.change(edge("a2"), "second");
    expect(ids()).toEqual(["a1", "a2"]);
    (await server.next()).answer();
    const second = await server.next();
    expect(second.body.revision).toBe(2);
    expect(second.body.patch).toEqual(edge("a2"));
    second.answer();
    await vi.waitFor(() => expect(useChanges.getState().pending).toEqual([]));
    expect(ids()).toEqual(["a1", "a2"]);
  });

  it("one that is refused goes from the screen, is told, and the next still goes through", async () => {
    void hand.change(edge("x"), "refused");
    void hand.change(edge("y"), "kept");
    (await server.next()).answer(409);
    (await server.next()).answer();
    await vi.waitFor(() => expect(ids()).toEqual(["y"]));
    expect(useNotices.getState().notices.at(-1)?.text).toContain("has changed");
  });
});

it("what was read before a change was accepted, and is told after it, is read again", async () => {
  const reading = readShot("s");
  const early = await server.next("/s");
  void hand.change(edge("a1"), "kept");
  (await server.next("/s")).answer();
  await vi.waitFor(() => expect(useChanges.getState().pending).toEqual([]));
  early.answer();
  (await server.next("/s")).answer();
  expect((await reading).revision).toBe(2);
});

it("a thing's field that is set to null is null, as the server's documents have it", () => {
  const length = { id: "y1", metres: null, from: [0, 0], to: [9, 0] };
  const made = patched({ lengths: [] } as unknown as Shot, { lengths: { y1: length } } as object);
  expect(made.lengths[0]).toEqual(length);
});

it("a change of an option counts from what was last seen of its shot, and the shot is asked for anew", async () => {
  const option = changesOf("s~o1", queries);
  queries.setQueryData(["shot", "s~o1"], { ...server.shot(), id: "s~o1" });
  void hand.change(edge("a1"), "of the shot");
  (await server.next("/s")).answer();
  await vi.waitFor(() => expect(useChanges.getState().pending).toEqual([]));
  expect(queries.getQueryState(["shot", "s~o1"])?.isInvalidated).toBe(true);
  void option.change({ origin: [1, 2] }, "of the option");
  const asked = await server.next("/s~o1");
  expect(asked.body.revision).toBe(2);
  asked.answer();
  await vi.waitFor(() => expect(queries.getQueryState(["shot", "s"])?.isInvalidated).toBe(true));
});

describe("drafts", () => {
  it("an accepted change never wipes a newer draft", async () => {
    void hand.change(edge("a1"), "kept");
    hand.move({ origin: [1, 2] });
    (await server.next("/s")).answer();
    await vi.waitFor(() => expect(useChanges.getState().pending).toEqual([]));
    expect(useChanges.getState().draft?.patch).toEqual({ origin: [1, 2] });
    expect(ids()).toEqual(["a1"]);
  });

  it("a late answer never shows after Escape, in a newer gesture or on another shot", async () => {
    hand.move({ origin: [1, 2] });
    const late = await server.next("/try");
    endDraft();
    changesOf("other", queries).move({ origin: [9, 9] });
    late.answer();
    const fresh = await server.next("/try");
    expect(useChanges.getState().draft).toMatchObject({ shotId: "other", derived: null });
    expect(shownShot(server.shot(), useChanges.getState()).document.origin).toBeNull();
    fresh.answer();
    await vi.waitFor(() =>
      expect(useChanges.getState().draft?.derived).toEqual({ told: { origin: [9, 9] } }),
    );
  });

  it("many moves of one drag are one change", async () => {
    for (let x = 0; x < 20; x++) hand.move({ origin: [x, 0] });
    hand.keep("origin");
    expect(useChanges.getState().draft).toBeNull();
    (await server.next("/try")).answer();
    const kept = await server.next("/s");
    expect(kept.body.patch).toEqual({ origin: [19, 0] });
    kept.answer();
    await vi.waitFor(() => expect(useChanges.getState().pending).toEqual([]));
    expect(server.revision).toBe(2);
  });
});
