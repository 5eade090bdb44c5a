import type { KeyboardEvent, PointerEvent, ReactNode } from "react";
import { useRef } from "react";
import type { Frame } from "../geometry/frame";
import { type ImagePoint, image } from "../geometry/points";
import { endDraft } from "../state/changes";
import { useEditor } from "../state/editor";

type Props = {
  frame: Frame;
  /** Where the handle's point is; the drag keeps the offset of the grip from it. */
  at: ImagePoint;
  label: string;
  loupe?: boolean;
  cursor?: string;
  /** Lets the pointer through, so that a stroke can begin here; keys still work. */
  passes?: boolean;
  onGrab?: () => void;
  /** `free` (Shift): it shall not click onto anything. */
  onMove: (to: ImagePoint, free: boolean) => void;
  onKeep: () => void;
  onDelete?: () => void;
  /** The + key: a point more. */
  onAdd?: () => void;
  children: ReactNode;
};

const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Something on the photograph to drag, or to nudge by a tenth of a pixel with the arrow keys. */
export function Handle({
  frame,
  at,
  label,
  loupe,
  cursor = "grab",
  passes = false,
  onGrab,
  onMove,
  onKeep,
  onDelete,
  onAdd,
  children,
}: Props) {
  /** The drag under way: the grip's offset from the point, and how often Escape had been pressed when it began. */
  const held = useRef<{ grip: ImagePoint; escapes: number; moved: boolean } | null>(null);
  const nudged = useRef(false);
  const pointer = (event: PointerEvent<SVGGElement>): ImagePoint => {
    const edge = event.currentTarget.ownerSVGElement?.getBoundingClientRect();
    return frame.toImage([event.clientX - (edge?.left ?? 0), event.clientY - (edge?.top ?? 0)]);
  };
  const down = (event: PointerEvent<SVGGElement>) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    event.currentTarget.focus({ preventScroll: true });
    const p = pointer(event);
    const { escapes } = useEditor.getState();
    held.current = { grip: image(p[0] - at[0], p[1] - at[1]), escapes, moved: false };
    onGrab?.();
  };
  const move = (event: PointerEvent<SVGGElement>) => {
    const now = held.current;
    if (!now) return;
    event.stopPropagation();
    if (now.escapes !== useEditor.getState().escapes) {
      held.current = null;
      return;
    }
    const p = pointer(event);
    const to = image(p[0] - now.grip[0], p[1] - now.grip[1]);
    now.moved = true;
    if (loupe) useEditor.setState({ loupe: to });
    onMove(to, event.shiftKey);
  };
  const up = (event: PointerEvent<SVGGElement>) => {
    event.stopPropagation();
    const now = held.current;
    held.current = null;
    useEditor.setState({ loupe: null });
    if (now?.moved && now.escapes === useEditor.getState().escapes) onKeep();
  };
  const cancel = () => {
    if (held.current) endDraft();
    held.current = null;
    useEditor.setState({ loupe: null });
  };
  const key = (event: KeyboardEvent<SVGGElement>) => {
    const way = ARROWS[event.key];
    if (way) {
      event.preventDefault();
      const step = event.shiftKey ? 1 : 0.1;
      const to = image(at[0] + way[0] * step, at[1] + way[1] * step);
      if (loupe) useEditor.setState({ loupe: to });
      nudged.current = true;
      onMove(to, true);
    }
    if (event.key === "+" && onAdd) onAdd();
    if ((event.key === "Delete" || event.key === "Backspace") && onDelete) onDelete();
  };
  /** A held key is one change: it is kept when it is let go. */
  const letGo = () => {
    if (!nudged.current) return;
    nudged.current = false;
    useEditor.setState({ loupe: null });
    onKeep();
  };
  return (
    <g
      role="button"
      tabIndex={0}
      aria-label={label}
      className="outline-none focus-visible:[filter:drop-shadow(0_0_3px_white)_drop-shadow(0_0_2px_white)]"
      style={{ cursor, pointerEvents: passes ? "none" : "all" }}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={cancel}
      onDoubleClick={(event) => event.stopPropagation()}
      onKeyDown={key}
      onKeyUp={letGo}
      onBlur={letGo}
    >
      {children}
    </g>
  );
}
