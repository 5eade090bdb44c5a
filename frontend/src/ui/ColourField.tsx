import { useEffect, useRef } from "react";

type ColourProps = { label: string; value: string; onMove: (hex: string) => void; onKeep: () => void };

/** A colour that shows while it is sought and is kept when the picker is left. */
export function ColourField({ label, value, onMove, onKeep }: ColourProps) {
  const input = useRef<HTMLInputElement>(null);
  const kept = useRef(onKeep);
  kept.current = onKeep;
  useEffect(() => {
    // React's own change event comes with every move; the browser's comes once, at the end.
    const element = input.current;
    const end = () => kept.current();
    element?.addEventListener("change", end);
    return () => element?.removeEventListener("change", end);
  }, []);
  return (
    <label className="flex items-center justify-between gap-3 py-1 text-ink-700">
      {label}
      <input
        ref={input}
        type="color"
        className="h-7 w-16 cursor-pointer rounded-md border border-lime-300 bg-white p-0.5"
        value={value}
        onInput={(event) => onMove(event.currentTarget.value)}
        onChange={() => undefined}
      />
    </label>
  );
}
