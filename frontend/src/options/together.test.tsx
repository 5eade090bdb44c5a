import { describe, expect, it } from "vitest";
import type { RenderOut, ShotOut } from "../api/client";
import { batchOf, percentOf } from "./Together";

const shot = {
  id: "s~o1",
  base: "s",
  options: [{ shot: "s~o1" }, { shot: "s~o2" }],
} as unknown as ShotOut;

const render = (shot_id: string, told: Partial<RenderOut>) =>
  ({
    shot_id,
    quality: "proof",
    state: "queued",
    current: true,
    part: null,
    passes_done: 0,
    passes: 0,
    ...told,
  }) as RenderOut;

describe("renders of a shot and its options", () => {
  it("are one piece of work while some of them are to come, or were broken off", () => {
    const renders = [
      render("s", { state: "done" }),
      render("s~o1", { state: "running", passes_done: 2, passes: 4 }),
      render("s~o2", {}),
    ];
    const batch = batchOf(shot, renders);
    expect(batch?.newest.map((one) => one.shot_id)).toEqual(["s", "s~o1", "s~o2"]);
    expect(batch && percentOf(batch)).toBe(50);
    const broken = renders.map((one) => (one.state === "done" ? one : { ...one, state: "stopped" as const }));
    expect(batchOf(shot, broken)?.quality).toBe("proof");
  });

  it("are none when all are there, when one alone is made, or when they show an earlier state", () => {
    const done = ["s", "s~o1", "s~o2"].map((name) => render(name, { state: "done" }));
    expect(batchOf(shot, done)).toBeNull();
    expect(batchOf(shot, [render("s~o1", {})])).toBeNull();
    expect(batchOf(shot, [render("s", { current: false }), render("s~o1", {})])).toBeNull();
    expect(batchOf(shot, [render("s", { part: [0, 0, 9, 9] }), render("s~o1", {})])).toBeNull();
  });

  it("go by the newest of each: an older one that was stopped is nobody's work any more", () => {
    const renders = [
      render("s", { state: "done" }),
      render("s", { state: "stopped" }),
      render("s~o1", { state: "done" }),
      render("s~o2", { state: "done" }),
    ];
    expect(batchOf(shot, renders)).toBeNull();
  });
});
