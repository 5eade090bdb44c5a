import type { ReactNode } from "react";
import type { StepProps } from "../marks/props";
import { KINDS } from "../marks/registry";
import { type Step, useEditor } from "../state/editor";

type Props = { name: string; title: string; fact?: string; open?: boolean; children: ReactNode };

/** A part of a step: folded it tells its one fact, so that a step is read at a glance. */
export function Section({ name, title, fact, open = false, children }: Props) {
  const folded = useEditor((state) => state.folded[name] ?? !open);
  const id = `section-${name}`;
  return (
    <section className="mt-2 border-t border-lime-200 pt-1">
      <h3>
        <button
          type="button"
          aria-expanded={!folded}
          aria-controls={id}
          onClick={() => useEditor.setState((state) => ({ folded: { ...state.folded, [name]: !folded } }))}
          className="flex w-full items-center gap-2 rounded py-1 text-left text-xs hover:bg-lime-100"
        >
          <svg width="9" height="9" viewBox="0 0 9 9" aria-hidden="true" className="shrink-0 text-ink-500">
            <path
              d={folded ? "M2.5 1L6.5 4.5L2.5 8" : "M1 2.5L4.5 6.5L8 2.5"}
              fill="none"
              stroke="currentColor"
              strokeWidth="1.5"
            />
          </svg>
          <span className="font-medium">{title}</span>
          {folded && fact && <span className="grow truncate text-right text-ink-500">{fact}</span>}
        </button>
      </h3>
      {!folded && (
        <div id={id} className="pt-1">
          {children}
        </div>
      )}
    </section>
  );
}

/** The sections of all kinds of marks that belong to a step. */
export function KindSections({ step, ...props }: StepProps & { step: Step }) {
  return KINDS.map(({ name, section }) =>
    section?.step === step && (section.when?.(props) ?? true) ? (
      <Section key={name} name={name} title={section.title} fact={section.fact(props)} open={section.open}>
        <section.Panel {...props} />
      </Section>
    ) : null,
  );
}
