type SeamProps = {
  /** Where it is across the stage, 0..1. */
  at: number;
  width: number;
  onMove: (at: number) => void;
  left: string;
  right: string;
};

/** The seam between two pictures; it can be dragged, or moved by the arrow keys. */
export function Seam({ at, width, onMove, left, right }: SeamProps) {
  const move = (next: number) => onMove(Math.min(Math.max(next, 0.02), 0.98));
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={`Seam between ${left} and ${right}`}
      aria-valuenow={Math.round(at * 100)}
      aria-valuemin={2}
      aria-valuemax={98}
      className="group absolute inset-y-0 z-10 w-6 -translate-x-1/2 cursor-ew-resize outline-offset-[-6px]"
      style={{ left: at * width }}
      onKeyDown={(event) => {
        if (event.key === "ArrowLeft") move(at - 0.01);
        if (event.key === "ArrowRight") move(at + 0.01);
      }}
      onPointerDown={(event) => {
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
      }}
      onPointerMove={(event) => {
        if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
        const stage = event.currentTarget.parentElement?.getBoundingClientRect();
        if (stage) move((event.clientX - stage.left) / stage.width);
      }}
    >
      <div className="absolute inset-y-0 left-1/2 w-[2px] -translate-x-1/2 bg-white shadow" />
      <div className="absolute bottom-16 left-1/2 h-7 w-3.5 -translate-x-1/2 rounded-full border-2 border-ink-900 bg-white" />
      <span className="absolute right-7 bottom-5 rounded bg-ink-900/75 px-2 py-0.5 text-xs text-white">
        {left}
      </span>
      <span className="absolute bottom-5 left-7 rounded bg-ink-900/75 px-2 py-0.5 text-xs text-white">
        {right}
      </span>
    </div>
  );
}
