import type { Run } from "../api/client";

/** Runs are told apart by letter, dash and colour together. */
export const RUNS: Record<
  Run,
  { letter: string; name: string; colour: string; dash: string; tells: string }
> = {
  a: {
    letter: "A",
    name: "Run A",
    colour: "var(--color-run-a)",
    dash: "",
    tells: "level edges one way, such as paving joints",
  },
  b: {
    letter: "B",
    name: "Run B",
    colour: "var(--color-run-b)",
    dash: "11 5",
    tells: "level edges square to run A",
  },
  plumb: {
    letter: "P",
    name: "Plumb",
    colour: "var(--color-run-plumb)",
    dash: "2.5 5",
    tells: "upright edges, such as door jambs",
  },
};
export const RUN_ORDER: Run[] = ["a", "b", "plumb"];

/** The run that a key stands for: its own letter. */
export const runOfKey = (key: string) => RUN_ORDER.find((run) => RUNS[run].letter.toLowerCase() === key);
