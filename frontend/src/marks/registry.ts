import type { Kind } from "./kind";

/** All kinds of marks: every folder here whose index exports a `kind`. */
export const KINDS: Kind[] = Object.values(
  import.meta.glob<Kind>("./*/index.tsx", { eager: true, import: "kind" }),
).sort((one, other) => one.rank - other.rank);

/** The tool of the kind that is in the hand. */
export const toolOf = (kind: string | undefined) => KINDS.find((one) => one.name === kind)?.tool;
