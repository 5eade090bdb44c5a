import { useRef } from "react";
import type { Length, Level, Patch, Shot, ShotOut } from "../api/client";
import { useFoundEdges } from "../api/hooks";
import { apart, type ImagePoint, image, newId, pair, type ScreenPoint } from "../geometry/points";
import { ontoSegment } from "../geometry/snap";
import { useDraft } from "../state/draft";
import { useEditor } from "../state/editor";
import { say } from "../state/notices";
import { RUN_ORDER, RUNS } from "../ui/runs";
import type { Frame } from "./Stage";

type Stroke =
  | { kind: "pan"; from: ScreenPoint; x: number; y: number }
  | { kind: "line"; from: ImagePoint; start: ScreenPoint; id: string }
  | { kind: "click" };

const SHORTEST_STROKE = 8;
/** How near a stroke must run to a found edge to click onto it [screen px]. */
const CLICK_ONTO = 3.5;
const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** What the hand does on the photograph: draw along an edge or a length, click a point, pan. */
export function useStrokes(shot: ShotOut, document: Shot, frame: Frame) {
  const stroke = useRef<Stroke | null>(null);
  const { move, change } = useDraft(shot.id);
  const tool = useEditor((state) => state.tool);
  const { data: found } = useFoundEdges(document.photograph?.file, tool.kind === "edge");

  const where = (event: React.PointerEvent<HTMLDivElement>): ScreenPoint => {
    const edge = event.currentTarget.getBoundingClientRect();
    return [event.clientX - edge.left, event.clientY - edge.top];
  };

  /** Both ends of a stroke, moved onto a found edge that it runs along; `free` prevents that. */
  const ends = (from: ImagePoint, to: ImagePoint, free: boolean): [ImagePoint, ImagePoint] => {
    const { tool } = useEditor.getState();
    const near = CLICK_ONTO / frame.zoom.scale;
    const onto = tool.kind === "edge" && !free ? ontoSegment(found?.segments ?? [], from, to, near) : null;
    useEditor.setState({ onto: onto?.segment ?? null });
    return onto ? [onto.from, onto.to] : [from, to];
  };

  const line = (id: string, from: ImagePoint, to: ImagePoint): Patch => {
    const { tool, level } = useEditor.getState();
    if (tool.kind === "edge") {
      return { edges: [...shot.document.edges, { id, run: tool.run, points: [pair(from), pair(to)] }] };
    }
    const on = tool.kind === "length" ? tool.on : "ground";
    const length: Length = {
      id,
      on,
      from: pair(from),
      to: pair(to),
      foot: footOf(on),
      // The level in force may have been struck out, or undone, since it was chosen.
      level: document.levels.some((one) => one.id === level) ? level : null,
      metres: null,
      plus_minus_m: 0,
    };
    return { lengths: [...shot.document.lengths, length] };
  };

  /** Where a wall that is measured on stands: the foot of the wall on show. */
  const footOf = (on: Length["on"]): [number, number] | null => {
    const wall = useEditor.getState().spots.wall;
    return on.startsWith("wall") && wall ? pair(wall) : null;
  };

  const keepLine = async (id: string, from: ImagePoint, to: ImagePoint) => {
    const { tool } = useEditor.getState();
    const patch = line(id, from, to);
    if (tool.kind === "edge") {
      useEditor.setState({ selection: { kind: "edge", id, point: 1 } });
      await change(patch, `edge of ${tool.run === "plumb" ? "plumb" : `run ${tool.run.toUpperCase()}`}`);
    } else if (tool.kind === "length") {
      useEditor.setState({ selection: { kind: "length", id }, tool: { kind: "none" } });
      await change(patch, "length");
    }
  };

  const click = (at: ImagePoint) => {
    const { tool } = useEditor.getState();
    if (tool.kind === "origin") {
      useEditor.setState({ tool: { kind: "none" } });
      void change({ origin: pair(at) }, "origin");
    }
    if (tool.kind === "level") {
      const [foot] = tool.marks;
      if (!foot) return useEditor.setState({ tool: { kind: "level", marks: [at] } });
      const id = newId("l");
      const name = `Level ${document.levels.length + 1}`;
      const level: Level = { id, name, height_m: null, foot: pair(foot), at: pair(at) };
      useEditor.setState({ tool: { kind: "none" }, level: id });
      void change({ levels: [...shot.document.levels, level] }, "level");
    }
    if (tool.kind === "gnomon") {
      const marks = [...tool.marks, at];
      if (marks.length < 3) return useEditor.setState({ tool: { kind: "gnomon", marks } });
      const [foot, top, tip] = marks.map(pair) as [[number, number], [number, number], [number, number]];
      useEditor.setState({ tool: { kind: "none" } });
      const gnomon = { id: newId("g"), foot, top, tip };
      void change(
        { gnomons: [...shot.document.gnomons, gnomon], sun: { ...document.sun, kind: "gnomons" } },
        "gnomon",
      );
    }
  };

  const drawsLines = (kind: string) => kind === "edge" || kind === "length";
  const clicks = (kind: string) => kind === "origin" || kind === "gnomon" || kind === "level";

  /** Marking by keyboard: arrows move a cross, Enter sets an end; the same keys as for the mouse's loupe. */
  const onKeyDown = (event: React.KeyboardEvent<HTMLDivElement>) => {
    const { tool, cross } = useEditor.getState();
    if (event.target !== event.currentTarget || tool.kind === "none") return;
    const picture = document.photograph ?? { width: 1, height: 1 };
    const at = cross?.at ?? image(picture.width / 2, picture.height / 2);
    const way = ARROWS[event.key];
    if (way) {
      event.preventDefault();
      const step = event.altKey ? 0.1 : event.shiftKey ? 50 : 5;
      const to = image(
        Math.min(Math.max(at[0] + way[0] * step, 0), picture.width),
        Math.min(Math.max(at[1] + way[1] * step, 0), picture.height),
      );
      useEditor.setState({ cross: { at: to, from: cross?.from ?? null }, loupe: to });
      if (cross?.from && drawsLines(tool.kind)) move(line("cross", cross.from, to));
    }
    if (event.key !== "Enter") return;
    event.preventDefault();
    useEditor.setState({ loupe: null });
    if (clicks(tool.kind)) return click(at);
    if (!cross?.from) return useEditor.setState({ cross: { at, from: at } });
    if (apart(cross.from, at) < 2) return say("Move the cross along the edge first, then press Enter again.");
    const [from, to] = ends(cross.from, at, event.shiftKey);
    useEditor.setState({ cross: { at, from: null } });
    void keepLine(newId("e"), from, to);
  };

  return {
    onKeyDown,
    onPointerDown: (event: React.PointerEvent<HTMLDivElement>) => {
      const { tool } = useEditor.getState();
      const at = where(event);
      useEditor.setState({ cross: null });
      if (event.button === 0 && clicks(tool.kind)) stroke.current = { kind: "click" };
      else if (event.button === 0 && drawsLines(tool.kind))
        stroke.current = { kind: "line", from: frame.toImage(at), start: at, id: newId("e") };
      else {
        stroke.current = { kind: "pan", from: at, x: frame.zoom.x, y: frame.zoom.y };
        useEditor.setState({ selection: null });
      }
      event.currentTarget.setPointerCapture(event.pointerId);
    },
    onPointerMove: (event: React.PointerEvent<HTMLDivElement>) => {
      const now = stroke.current;
      const at = where(event);
      const { tool } = useEditor.getState();
      if (tool.kind !== "none") useEditor.setState({ loupe: frame.toImage(at) });
      if (now?.kind === "pan") {
        const zoom = {
          scale: frame.zoom.scale,
          x: now.x + at[0] - now.from[0],
          y: now.y + at[1] - now.from[1],
        };
        if (apart(at, now.from) > 3) useEditor.setState({ zoom });
      }
      if (now?.kind === "line" && apart(at, now.start) > SHORTEST_STROKE)
        move(line(now.id, ...ends(now.from, frame.toImage(at), event.shiftKey)));
    },
    onPointerUp: (event: React.PointerEvent<HTMLDivElement>) => {
      const now = stroke.current;
      stroke.current = null;
      const at = where(event);
      useEditor.setState({ loupe: null });
      if (now?.kind === "click") click(frame.toImage(at));
      if (now?.kind !== "line") return;
      if (apart(at, now.start) <= SHORTEST_STROKE) {
        say("Press at one end and draw along to the other.");
        return useEditor.getState().endDraft();
      }
      void keepLine(now.id, ...ends(now.from, frame.toImage(at), event.shiftKey));
    },
    onPointerLeave: () => useEditor.setState({ loupe: null }),
    onDoubleClick: () => useEditor.getState().tool.kind === "none" && useEditor.setState({ zoom: null }),
  };
}

/** The run that a key stands for: its own letter. */
export const runOfKey = (key: string) => RUN_ORDER.find((run) => RUNS[run].letter.toLowerCase() === key);
