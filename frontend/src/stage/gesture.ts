/**
 * What the hand does on the photograph, as a small state machine without DOM or React: idle, pointing, dragging,
 * clicking, panning. Every exit leads home; Escape and a cancelled pointer leave nothing behind.
 */
import type { Zoom } from "../geometry/frame";
import { apart, type ImagePoint, type ScreenPoint } from "../geometry/points";

export type Where = { image: ImagePoint; screen: ScreenPoint };

export type Gesture =
  | { at: "idle" }
  | { at: "pointing"; start: Where }
  | { at: "dragging"; start: Where }
  | { at: "clicking"; start: Where }
  | { at: "panning"; from: ScreenPoint; zoom: Zoom; moved: boolean };

export type HandEvent =
  | ({ kind: "down"; button: number; zoom: Zoom } & Where)
  | ({ kind: "move" } & Where)
  | ({ kind: "up" } & Where)
  | { kind: "cancel" };

/** What follows from an event; the stage does it. */
export type Effect =
  | { do: "draft" | "keep"; from: ImagePoint; to: ImagePoint }
  | { do: "click"; at: ImagePoint }
  | { do: "zoom"; zoom: Zoom }
  | { do: "unselect" }
  | { do: "discard" }
  | { do: "too short" };

/** How a tool takes the hand: by strokes, by clicks, or not at all. */
export type Grasp = "strokes" | "clicks" | null;

export const SHORTEST_STROKE = 8;
const SHORTEST_PAN = 3;
export const IDLE: Gesture = { at: "idle" };

export function next(gesture: Gesture, event: HandEvent, grasp: Grasp): [Gesture, Effect[]] {
  if (event.kind === "cancel")
    return [IDLE, gesture.at === "dragging" || gesture.at === "pointing" ? [{ do: "discard" }] : []];
  if (event.kind === "down") return begun(event, grasp);
  switch (gesture.at) {
    case "pointing":
    case "dragging":
      return stroked(gesture, event);
    case "clicking":
      return event.kind === "up" ? [IDLE, clicked(gesture.start, event)] : [gesture, []];
    case "panning":
      return panned(gesture, event);
    default:
      return [gesture, []];
  }
}

function begun(event: HandEvent & { kind: "down" }, grasp: Grasp): [Gesture, Effect[]] {
  const start = { image: event.image, screen: event.screen };
  if (event.button === 0 && grasp === "strokes") return [{ at: "pointing", start }, []];
  if (event.button === 0 && grasp === "clicks") return [{ at: "clicking", start }, []];
  return [
    { at: "panning", from: event.screen, zoom: event.zoom, moved: false },
    grasp ? [] : [{ do: "unselect" }],
  ];
}

/** A click; drawn out, it is one at either end: a wall's foot is one stroke. */
const clicked = (start: Where, end: Where): Effect[] =>
  apart(start.screen, end.screen) > SHORTEST_STROKE
    ? [
        { do: "click", at: start.image },
        { do: "click", at: end.image },
      ]
    : [{ do: "click", at: end.image }];

function stroked(
  gesture: Gesture & { at: "pointing" | "dragging" },
  event: HandEvent & Where,
): [Gesture, Effect[]] {
  const { start } = gesture;
  const long = apart(event.screen, start.screen) > SHORTEST_STROKE;
  const ends = { from: start.image, to: event.image };
  if (event.kind === "up")
    return [IDLE, long ? [{ do: "keep", ...ends }] : [{ do: "discard" }, { do: "too short" }]];
  if (gesture.at === "pointing" && !long) return [gesture, []];
  return [{ at: "dragging", start }, [{ do: "draft", ...ends }]];
}

function panned(gesture: Gesture & { at: "panning" }, event: HandEvent & Where): [Gesture, Effect[]] {
  if (event.kind === "up") return [IDLE, []];
  const [dx, dy] = [event.screen[0] - gesture.from[0], event.screen[1] - gesture.from[1]];
  const moved = gesture.moved || Math.hypot(dx, dy) > SHORTEST_PAN;
  const zoom = { ...gesture.zoom, x: gesture.zoom.x + dx, y: gesture.zoom.y + dy };
  return [{ ...gesture, moved }, moved ? [{ do: "zoom", zoom }] : []];
}
