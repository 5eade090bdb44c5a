import type { State } from "./facts";

/** A step's state, told by shape as well as colour. */
export function Mark({ state }: { state: State }) {
  return (
    <svg width="15" height="15" viewBox="0 0 14 14" role="img" aria-label={state}>
      <title>{state}</title>
      {state === "measured" && (
        <>
          <circle cx="7" cy="7" r="6" fill="var(--color-verdigris)" />
          <path d="M4 7l2.2 2.2L10 5" stroke="#fff" strokeWidth="1.6" fill="none" />
        </>
      )}
      {state === "set by hand" && (
        <rect
          x="1.7"
          y="1.7"
          width="10.6"
          height="10.6"
          rx="2.2"
          fill="none"
          stroke="var(--color-verdigris)"
          strokeWidth="1.7"
        />
      )}
      {state === "needs you" && (
        <path d="M7 1.4L13 12.3H1z" fill="none" stroke="var(--color-oxide)" strokeWidth="1.6" />
      )}
      {state === "not begun" && (
        <circle
          cx="7"
          cy="7"
          r="5.6"
          fill="none"
          stroke="var(--color-lime-500)"
          strokeWidth="1.3"
          strokeDasharray="2.4 2.2"
        />
      )}
      {state === "out of date" && (
        <>
          <circle cx="7" cy="7" r="5.6" fill="none" stroke="var(--color-oxide)" strokeWidth="1.5" />
          <path d="M7 3.6V7l2.3 1.6" stroke="var(--color-oxide)" strokeWidth="1.5" fill="none" />
        </>
      )}
    </svg>
  );
}
