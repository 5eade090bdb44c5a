import { describe, expect, it } from "vitest";
import { type Effect, type Grasp, type HandEvent, IDLE, next } from "./gesture";

const zoom = { scale: 1, x: 0, y: 0 };
const down = (x: number, y: number, button = 0): HandEvent => ({
  kind: "down",
  button,
  zoom,
  image: [x, y],
  screen: [x, y],
});
const at = (kind: "move" | "up", x: number, y: number): HandEvent => ({
  kind,
  image: [x, y],
  screen: [x, y],
});

/** Plays events; tells the states passed and what followed. */
function played(grasp: Grasp, ...events: HandEvent[]) {
  let gesture = IDLE;
  const states: string[] = [];
  const effects: Effect[] = [];
  for (const event of events) {
    const [after, told] = next(gesture, event, grasp);
    gesture = after;
    states.push(after.at);
    effects.push(...told);
  }
  return { states, effects, done: effects.map((effect) => effect.do) };
}

describe("strokes", () => {
  it("point, drag and keep", () => {
    const { states, effects } = played(
      "strokes",
      down(10, 10),
      at("move", 12, 10),
      at("move", 90, 20),
      at("up", 100, 20),
    );
    expect(states).toEqual(["pointing", "pointing", "dragging", "idle"]);
    expect(effects.at(-1)).toEqual({ do: "keep", from: [10, 10], to: [100, 20] });
    expect(effects.map((effect) => effect.do)).toEqual(["draft", "keep"]);
  });
  it("that are too short leave nothing but a word", () => {
    expect(played("strokes", down(10, 10), at("up", 13, 10)).done).toEqual(["discard", "too short"]);
    // Dragged out and back again.
    expect(played("strokes", down(10, 10), at("move", 60, 10), at("up", 11, 10)).done).toEqual([
      "draft",
      "discard",
      "too short",
    ]);
  });
  it("end at home when the pointer is cancelled, and a late up keeps nothing", () => {
    const { states, done } = played(
      "strokes",
      down(10, 10),
      at("move", 60, 10),
      { kind: "cancel" },
      at("move", 80, 10),
      at("up", 99, 10),
    );
    expect(states).toEqual(["pointing", "dragging", "idle", "idle", "idle"]);
    expect(done).toEqual(["draft", "discard"]);
  });
});

describe("clicks and pans", () => {
  it("a click is told where it is let go", () => {
    expect(played("clicks", down(5, 5), at("up", 7, 8)).effects).toEqual([{ do: "click", at: [7, 8] }]);
    expect(played("clicks", down(5, 5), { kind: "cancel" }, at("up", 7, 8)).done).toEqual([]);
  });
  it("without a tool the picture is panned and the choice let go", () => {
    const { states, effects } = played(
      null,
      down(5, 5),
      at("move", 6, 5),
      at("move", 25, 15),
      at("up", 25, 15),
    );
    expect(states).toEqual(["panning", "panning", "panning", "idle"]);
    expect(effects).toEqual([{ do: "unselect" }, { do: "zoom", zoom: { scale: 1, x: 20, y: 10 } }]);
  });
  it("another button pans with a tool in hand, too", () => {
    expect(played("strokes", down(5, 5, 1), at("move", 25, 5)).states).toEqual(["panning", "panning"]);
  });
});
