import { useMemo, useRef } from "react";
import type { Derived, Shot, ShotOut } from "../api/client";
import { useFoundEdges } from "../api/hooks";
import { type Frame, zoomedAbout } from "../geometry/frame";
import { apart, type ImagePoint, image, middle, newId, type ScreenPoint } from "../geometry/points";
import { ontoFound, ontoSegment } from "../geometry/snap";
import type { Made } from "../marks/kind";
import { promptsOf, toolOf } from "../marks/registry";
import { endDraft, useChange } from "../state/changes";
import { type Tool, useEditor } from "../state/editor";
import { say } from "../state/notices";
import { type Effect, type HandEvent, IDLE, next, type Where } from "./gesture";

/** How near a stroke must run to a found edge to click onto it [screen px]. */
const CLICK_ONTO = 3.5;
/** How near to a point a click must be to mean that point [screen px]. */
const SAME_POINT = 9;
/** How near to a found corner a click must be to go onto it; to an edge without one, by half of that [screen px]. */
const CORNER = 4;
const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

type Shown = { shot: ShotOut; document: Shot; derived: Derived };

/** The hand on the photograph: the gesture's machine, fed by the pointer or the keyboard, and what follows from it. */
export function useStrokes({ shot, document, derived }: Shown, frame: Frame) {
  const { move, change } = useChange(shot.id);
  const kind = useEditor((state) => state.tool?.kind);
  const spec = toolOf(kind);
  const finds = spec?.finds === true;
  const { data: found } = useFoundEdges(document.photograph?.file, finds);
  const now = useRef({ document, derived, accepted: shot.derived, frame, found, finds });
  now.current = { document, derived, accepted: shot.derived, frame, found, finds };
  const gesture = useRef(IDLE);
  const id = useRef("");
  const escapes = useRef(0);
  const fingers = useRef(new Map<number, ScreenPoint>());

  return useMemo(() => {
    const where = (event: React.PointerEvent<HTMLDivElement>): Where => {
      const edge = event.currentTarget.getBoundingClientRect();
      const screen: ScreenPoint = [event.clientX - edge.left, event.clientY - edge.top];
      return { screen, image: now.current.frame.toImage(screen) };
    };

    /** Both ends of a stroke, moved onto a found edge that it runs along; `free` prevents that. */
    const ends = (from: ImagePoint, to: ImagePoint, free: boolean): [ImagePoint, ImagePoint] => {
      const { finds, found, frame } = now.current;
      const near = CLICK_ONTO / frame.zoom.scale;
      const onto = finds && !free ? ontoSegment(found?.segments ?? [], from, to, near) : null;
      useEditor.setState({ onto: onto?.segment ?? null });
      return onto ? [onto.from, onto.to] : [from, to];
    };

    /** The corner or edge, found or marked, that a click would go onto. */
    const under = (at: ImagePoint, taken: readonly ImagePoint[]) => {
      const { found, frame, document } = now.current;
      const marked = document.edges.map((edge) => (edge.sharp?.points ?? edge.points).flat());
      return ontoFound([...(found?.segments ?? []), ...marked], at, CORNER / frame.zoom.scale, taken);
    };

    /** A hand that clicks goes about: what it would go onto is shown. */
    const hover = (at: ImagePoint, free: boolean) => {
      const { tool: inHand } = useEditor.getState();
      const tool = toolOf(inHand?.kind);
      if (tool?.grasp !== "clicks" || !tool.finds || !inHand) return;
      useEditor.setState({ onto: free ? null : (under(at, inHand.marks)?.segment ?? null) });
    };

    const making = (free: boolean) => {
      const { tool, path } = useEditor.getState();
      const { document, derived, accepted } = now.current;
      return tool && { shotId: shot.id, document, derived, accepted, tool, id: id.current, free, path };
    };

    const keep = (made: Made, stays: boolean) => {
      const { tool } = useEditor.getState();
      endDraft();
      useEditor.setState({
        tool: stays ? tool : null,
        onto: null,
        path: [],
        ...(made.id && tool && { selection: { kind: tool.kind, id: made.id, point: made.point } }),
      });
      void change(made.patch, made.label);
    };

    const stroke = (from: ImagePoint, to: ImagePoint, free: boolean, done: boolean) => {
      const tool = toolOf(useEditor.getState().tool?.kind);
      const about = making(free);
      if (tool?.grasp !== "strokes" || !about) return;
      if (tool.brush && !done) {
        const path = about.path.length ? about.path : [from];
        return useEditor.setState({ path: [...path, to] });
      }
      if (tool.acts) {
        if (!done) return useEditor.setState({ path: [from, to] });
        useEditor.setState({ tool: null, path: [] });
        return tool.acts(from, to);
      }
      const made = tool.make?.(...ends(from, to, free), about);
      if (!made) return;
      if (done) keep(made, tool.stays ?? false);
      else move(made.patch);
    };

    const click = (clicked: ImagePoint, free: boolean) => {
      const { tool: inHand } = useEditor.getState();
      const tool = toolOf(inHand?.kind);
      if (tool?.grasp !== "clicks" || !inHand) return;
      const at = tool.finds && !free ? (under(clicked, inHand.marks)?.at ?? clicked) : clicked;
      const goesOn = tool.goesOn?.includes(inHand.sort ?? "") ?? false;
      const { scale } = now.current.frame.zoom;
      // The first or the last point clicked again ends what goes on.
      const ends = [inHand.marks[0], inHand.marks.at(-1)];
      const ended = goesOn && ends.some((mark) => mark && apart(mark, at) * scale < SAME_POINT);
      const marks = ended ? inHand.marks : [...inHand.marks, at];
      const enough = marks.length >= promptsOf(tool, inHand.sort).length;
      if (!enough || (goesOn && !ended)) return useEditor.setState({ tool: { ...inHand, marks } });
      id.current = newId(inHand.kind.charAt(0));
      const about = making(free);
      if (!about) return;
      const made = tool.make(marks, about);
      if (!(made instanceof Promise)) return made ? keep(made, false) : again(inHand);
      useEditor.setState({ tool: { ...inHand, marks } });
      void made.then((told) => (told ? keep(told, false) : again(inHand)));
    };

    /** Nothing came of it: the tool begins anew, unless another was taken meanwhile. */
    const again = (tool: Tool) => {
      if (useEditor.getState().tool?.kind === tool.kind) useEditor.setState({ tool: { ...tool, marks: [] } });
    };

    const follow = (effects: Effect[], free: boolean) => {
      for (const effect of effects) {
        if (effect.do === "draft" || effect.do === "keep")
          stroke(effect.from, effect.to, free, effect.do === "keep");
        if (effect.do === "click") click(effect.at, free);
        if (effect.do === "zoom") useEditor.setState({ zoom: effect.zoom });
        if (effect.do === "unselect") useEditor.setState({ selection: null });
        if (effect.do === "discard") {
          endDraft();
          useEditor.setState({ onto: null, path: [] });
        }
        if (effect.do === "too short") say("Press at one end and draw along to the other.");
      }
    };

    const feed = (event: HandEvent, free = false) => {
      const { tool, escapes: pressed } = useEditor.getState();
      // Escape since the gesture began: it is over, whatever the pointer still does.
      if (event.kind !== "down" && pressed !== escapes.current && gesture.current.at !== "panning")
        gesture.current = IDLE;
      const [after, effects] = next(gesture.current, event, toolOf(tool?.kind)?.grasp ?? null);
      gesture.current = after;
      follow(effects, free);
    };

    /** Two fingers: the picture is pinched about their middle. */
    const pinched = (event: React.PointerEvent, at: ScreenPoint): boolean => {
      const known = fingers.current;
      if (!known.has(event.pointerId) || known.size !== 2) return false;
      const before = [...known.values()] as [ScreenPoint, ScreenPoint];
      known.set(event.pointerId, at);
      const after = [...known.values()] as [ScreenPoint, ScreenPoint];
      const grown = zoomedAbout(
        now.current.frame.zoom,
        middle(...before),
        apart(...after) / Math.max(apart(...before), 1),
      );
      const [old, fresh] = [middle(...before), middle(...after)];
      const zoom = { ...grown, x: grown.x + fresh[0] - old[0], y: grown.y + fresh[1] - old[1] };
      useEditor.setState({ zoom });
      return true;
    };

    /** Marking by keyboard: arrows move a cross, Enter sets an end. */
    const onKeyDown = (event: React.KeyboardEvent<HTMLDivElement>) => {
      const { tool, cross } = useEditor.getState();
      const spec = toolOf(tool?.kind);
      if (event.target !== event.currentTarget || !spec) return;
      const picture = now.current.document.photograph ?? { width: 1, height: 1 };
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
        if (cross?.from) stroke(cross.from, to, true, false);
      }
      if (event.key !== "Enter") return;
      event.preventDefault();
      useEditor.setState({ loupe: null });
      if (spec.grasp === "clicks") {
        // Whoever marks with the mouse ends what goes on by Enter, as by clicking its last point again.
        const last = !cross && spec.goesOn?.includes(tool?.sort ?? "") ? tool?.marks.at(-1) : undefined;
        return click(last ?? at, event.shiftKey);
      }
      if (!cross?.from) {
        id.current = newId(tool?.kind.charAt(0) ?? "m");
        return useEditor.setState({ cross: { at, from: at } });
      }
      if (apart(cross.from, at) < 2)
        return say("Move the cross along the edge first, then press Enter again.");
      useEditor.setState({ cross: { at, from: null } });
      stroke(cross.from, at, event.shiftKey, true);
    };

    return {
      onKeyDown,
      onPointerDown: (event: React.PointerEvent<HTMLDivElement>) => {
        const at = where(event);
        if (event.pointerType === "touch") fingers.current.set(event.pointerId, at.screen);
        if (fingers.current.size > 1) return feed({ kind: "cancel" });
        const { tool, escapes: pressed } = useEditor.getState();
        useEditor.setState({ cross: null });
        escapes.current = pressed;
        id.current = newId(tool?.kind.charAt(0) ?? "m");
        feed({ kind: "down", button: event.button, zoom: now.current.frame.zoom, ...at });
        event.currentTarget.setPointerCapture(event.pointerId);
      },
      onPointerMove: (event: React.PointerEvent<HTMLDivElement>) => {
        const at = where(event);
        if (pinched(event, at.screen)) return;
        if (useEditor.getState().tool) useEditor.setState({ loupe: at.image });
        hover(at.image, event.shiftKey);
        feed({ kind: "move", ...at }, event.shiftKey);
      },
      onPointerUp: (event: React.PointerEvent<HTMLDivElement>) => {
        fingers.current.delete(event.pointerId);
        useEditor.setState({ loupe: null });
        feed({ kind: "up", ...where(event) }, event.shiftKey);
      },
      onPointerCancel: (event: React.PointerEvent<HTMLDivElement>) => {
        fingers.current.delete(event.pointerId);
        useEditor.setState({ loupe: null });
        feed({ kind: "cancel" });
      },
      onPointerLeave: () => useEditor.setState({ loupe: null }),
      onDoubleClick: () => !useEditor.getState().tool && useEditor.setState({ zoom: null }),
    };
  }, [move, change, shot.id]);
}
