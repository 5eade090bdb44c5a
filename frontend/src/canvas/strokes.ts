import { useRef } from "react";
import type { Patch, Shot, ShotOut } from "../api/client";
import { apart, type ImagePoint, newId, pair, type ScreenPoint } from "../geometry/points";
import { useDraft } from "../state/draft";
import { useEditor } from "../state/editor";
import { say } from "../state/notices";
import type { Frame } from "./Stage";

type Stroke =
  | { kind: "pan"; from: ScreenPoint; x: number; y: number }
  | { kind: "line"; from: ImagePoint; start: ScreenPoint; id: string }
  | { kind: "click" };

const SHORTEST_STROKE = 8;

/** What the hand does on the photograph: draw along an edge or a yardstick, click a point, pan. */
export function useStrokes(shot: ShotOut, document: Shot, frame: Frame) {
  const stroke = useRef<Stroke | null>(null);
  const { move, change } = useDraft(shot.id);

  const where = (event: React.PointerEvent<HTMLDivElement>): ScreenPoint => {
    const edge = event.currentTarget.getBoundingClientRect();
    return [event.clientX - edge.left, event.clientY - edge.top];
  };

  const line = (now: Extract<Stroke, { kind: "line" }>, to: ImagePoint): Patch => {
    const { tool } = useEditor.getState();
    const points = [pair(now.from), pair(to)];
    if (tool.kind === "edge") {
      return { edges: [...shot.document.edges, { id: now.id, run: tool.run, points }] };
    }
    const metres = document.yardstick?.metres ?? 1;
    return { yardstick: { from: pair(now.from), to: pair(to), metres } };
  };

  const click = (at: ImagePoint) => {
    const { tool } = useEditor.getState();
    if (tool.kind === "origin") {
      useEditor.setState({ tool: { kind: "none" } });
      void change({ origin: pair(at) }, "origin");
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

  return {
    onPointerDown: (event: React.PointerEvent<HTMLDivElement>) => {
      const { tool } = useEditor.getState();
      const at = where(event);
      const draws = event.button === 0 && (tool.kind === "edge" || tool.kind === "yardstick");
      if (event.button === 0 && (tool.kind === "origin" || tool.kind === "gnomon"))
        stroke.current = { kind: "click" };
      else if (draws) stroke.current = { kind: "line", from: frame.toImage(at), start: at, id: newId("e") };
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
      if (now?.kind === "line" && apart(at, now.start) > SHORTEST_STROKE) move(line(now, frame.toImage(at)));
    },
    onPointerUp: (event: React.PointerEvent<HTMLDivElement>) => {
      const now = stroke.current;
      stroke.current = null;
      const at = where(event);
      useEditor.setState({ loupe: null });
      if (now?.kind === "click") click(frame.toImage(at));
      if (now?.kind !== "line") return;
      const { tool } = useEditor.getState();
      if (apart(at, now.start) <= SHORTEST_STROKE) {
        say("Press at one end and draw along to the other.");
        return useEditor.getState().endDraft();
      }
      const patch = line(now, frame.toImage(at));
      const edge = patch.edges?.at(-1);
      void change(
        patch,
        edge ? `edge of ${edge.run === "plumb" ? "plumb" : `run ${edge.run.toUpperCase()}`}` : "yardstick",
      );
      if (edge) useEditor.setState({ selection: { kind: "edge", id: edge.id, point: 1 } });
      if (tool.kind === "yardstick") useEditor.setState({ tool: { kind: "none" } });
    },
    onPointerLeave: () => useEditor.setState({ loupe: null }),
    onDoubleClick: () => useEditor.getState().tool.kind === "none" && useEditor.setState({ zoom: null }),
  };
}
