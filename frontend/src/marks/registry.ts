import type { Shot } from "../api/client";
import type { ClickTool, Kind } from "./kind";

/** All kinds of marks: every folder here whose index exports a `kind`. */
export const KINDS: Kind[] = Object.values(
  import.meta.glob<Kind>("./*/index.tsx", { eager: true, import: "kind" }),
).sort((one, other) => one.rank - other.rank);

/** Every line that was refined on the picture and is in force. */
export const refinedIn = (document: Shot) => KINDS.flatMap((kind) => kind.refined?.(document) ?? []);

/** What a tool that clicks asks for, of the sort that is in the hand. */
export const promptsOf = ({ prompts }: ClickTool, sort = ""): readonly string[] =>
  Array.isArray(prompts) ? prompts : ((prompts as Record<string, readonly string[]>)[sort] ?? []);

/** The tool of the kind that is in the hand. */
export const toolOf = (kind: string | undefined) => KINDS.find((one) => one.name === kind)?.tool;
