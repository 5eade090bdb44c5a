import type { ReactNode } from "react";
import { Bin, Toggle } from "./controls";

type Props = {
  name: string;
  hidden: boolean;
  open: boolean;
  /** The colour of its light. */
  swatch: string;
  /** What is worth knowing at a glance. */
  fact: string;
  /** What the eye does: while it is hidden, and while it is not. */
  words: readonly [string, string];
  onOpen: (open: boolean) => void;
  onHide: (hidden: boolean) => void;
  onRemove: () => void;
  children: ReactNode;
};

/** A light in a list: its colour, its name, and what unfolds. */
export function LightRow({ name, hidden, open, swatch, fact, words, children, ...does }: Props) {
  return (
    <div className="border-b border-dotted border-lime-300 py-1 text-xs last:border-0">
      <div className="flex items-center gap-2">
        <i className="h-4 w-4 shrink-0 rounded-full border border-lime-300" style={{ background: swatch }} />
        <button
          type="button"
          aria-expanded={open}
          className={`min-w-0 grow truncate text-left ${hidden ? "text-ink-500 line-through" : "text-ink-700"}`}
          onClick={() => does.onOpen(!open)}
        >
          {name}
        </button>
        <span className="text-ink-500">{fact}</span>
        <Toggle
          sign="eye"
          on={!hidden}
          label={`${words[hidden ? 0 : 1]} ${name}`}
          onClick={() => does.onHide(!hidden)}
        />
        <Bin label={`Remove ${name}`} onClick={does.onRemove} />
      </div>
      {children}
    </div>
  );
}
