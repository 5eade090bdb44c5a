type Props = { on: boolean; onChange: (on: boolean) => void };

/** Whether a mark is used as it was refined on the picture, or as it was drawn. */
export function Sharp({ on, onChange }: Props) {
  return (
    <button
      type="button"
      aria-pressed={on}
      title="As refined on the picture, or as it was drawn"
      className={on ? "text-verdigris" : "text-ink-500 line-through"}
      onClick={() => onChange(!on)}
    >
      sharp
    </button>
  );
}
