import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";
import type { Zoom } from "../geometry/frame";
import type { ImagePoint } from "../geometry/points";
import { leaveTake } from "../take/state";
import { baseOf } from "./address";
import { endDraft } from "./changes";

export const STEPS = [
  "photo",
  "perspective",
  "ground",
  "place",
  "light",
  "contact",
  "blend",
  "deliver",
] as const;
export type Step = (typeof STEPS)[number];
export type Compare = { mode: "seam" | "flick" | "grid" | "difference"; of: readonly string[] };
export type View = "photo" | "live" | "proof" | "master";

/** What a stroke or click on the photograph marks now: a kind of the registry, and which sort of it. */
export type Tool = {
  kind: string;
  sort?: string;
  /** What the tool is to use, by its kind's own names. */
  about?: Readonly<Record<string, string>>;
  /** Points that were clicked so far, where several make one thing. */
  marks: readonly ImagePoint[];
};

/** The chosen thing: its kind in the registry, its identity, and perhaps one of its points. */
export type Selection = { kind: string; id: string; point?: number } | null;

/** Whether a thing is chosen: itself, or a surface or print of it, whose identities begin with its own. */
export const isChosen = (selection: Selection, thing: string) =>
  selection !== null && (selection.id === thing || selection.id.startsWith(`${thing}/`));

/** What can be laid over the photograph to judge the perspective by. */
export type Check = "grey" | "grid" | "wall_a" | "wall_b" | "plumb" | "staff" | "box" | "points";
/** Checks that stand somewhere; their place is kept as a pixel of the photograph. */
export type Spot = "grid" | "wall" | "plumb" | "staff" | "box";

type Editor = {
  step: Step;
  view: View;
  /** The seam's place across the stage, 0..1, and what lies to its right; null when it is away. */
  seam: { at: number; other: View } | null;
  tool: Tool | null;
  selection: Selection;
  /** How often Escape was pressed: a drag that began before ends without being kept. */
  escapes: number;
  /** Held Space: nothing but the photograph. */
  bare: boolean;
  zoom: Zoom | null;
  loupe: ImagePoint | null;
  checks: Record<Check, boolean>;
  spots: Partial<Record<Spot, ImagePoint>>;
  /** Width, depth and height of the test box [m]. */
  box: [number, number, number];
  /** Lines to compose by, within the frame. */
  guides: "none" | "thirds" | "diagonals";
  /** How far the photograph is faded towards white while marking, 0..1. */
  faded: number;
  /** Proposed edges on show; those left out, by their place in the list. */
  proposals: { left: ReadonlySet<number> } | null;
  /** The keyboard's cross on the photograph, and the end that it has set. */
  cross: { at: ImagePoint; from: ImagePoint | null } | null;
  /** Where a brush has been in the stroke under way. */
  path: readonly ImagePoint[];
  /** The part of the proof that is asked for, until it is [px: x0, y0, x1, y1]. */
  part: [number, number, number, number] | null;
  /** How wide the brush is [px of the photograph]. */
  brush_px: number;
  /** Of a proof or master only what it does to the place is shown, so many times as strong; 0: the picture. */
  changes: number;
  /** The found segment that the stroke under way clicks onto: x and y of both ends. */
  onto: readonly number[] | null;
  /** The level that grid, checks and new lengths lie on; null for the ground. */
  level: string | null;
  /** The mode in which the chosen thing is leant: a second ring. */
  leaning: boolean;
  /** What a dragged thing clicks onto: others and the runs' directions, a grid of so many metres. */
  snap: { things: boolean; grid_m: number | null };
  /** Where one looks round from, and at what; null in the photograph's own view. */
  round: { eye: readonly [number, number, number]; aim: readonly [number, number, number] } | null;
  /** All options of the shot are on show. */
  sheet: boolean;
  /** Pictures are compared: how, and which, by the shots and options that they show; `photo` is the photograph. */
  compare: Compare | null;
  /** The panorama lies over the photograph, to be lined up with it. */
  around: boolean;
  /** Sections of steps that were folded or unfolded by hand. */
  folded: Record<string, boolean>;
  open(step: Step): void;
  show(view: View): void;
  take(tool: Tool | null): void;
  select(selection: Selection): void;
  toggle(check: Check): void;
  escape(): void;
};

const FRESH = {
  seam: null,
  zoom: null,
  tool: null,
  selection: null,
  loupe: null,
  spots: {},
  proposals: null,
  cross: null,
  onto: null,
  path: [],
  part: null,
  level: null,
  round: null,
  around: false,
  sheet: false,
  compare: null,
};

export const useEditor = create<Editor>((set) => ({
  step: "photo",
  view: "photo",
  guides: "thirds",
  bare: false,
  escapes: 0,
  faded: 0,
  folded: {},
  leaning: false,
  snap: { things: true, grid_m: null },
  ...FRESH,
  checks: {
    grey: false,
    grid: true,
    wall_a: false,
    wall_b: false,
    plumb: false,
    staff: false,
    box: false,
    points: true,
  },
  box: [1, 1, 1],
  brush_px: 14,
  changes: 0,
  open: (step) =>
    set(({ view }) => ({
      step,
      tool: null,
      selection: null,
      proposals: null,
      cross: null,
      // Placing needs the model on show.
      view: step === "place" && view === "photo" ? "live" : view,
    })),
  show: (view) => set({ view }),
  take: (tool) => {
    endDraft();
    set({ tool, cross: null, loupe: null, onto: null, path: [] });
  },
  select: (selection) => set({ selection, leaning: false }),
  toggle: (check) => set(({ checks }) => ({ checks: { ...checks, [check]: !checks[check] } })),
  escape: () => {
    endDraft();
    set(({ escapes }) => ({
      escapes: escapes + 1,
      tool: null,
      selection: null,
      leaning: false,
      round: null,
      cross: null,
      proposals: null,
      loupe: null,
      onto: null,
      path: [],
    }));
  },
}));

/** Some of the editor's state: drawn again only when one of these changes, not at every move of a drag. */
export const usePicked = <Name extends keyof Editor>(...names: Name[]): Pick<Editor, Name> =>
  useEditor(
    useShallow((state) => Object.fromEntries(names.map((name) => [name, state[name]])) as Pick<Editor, Name>),
  );

/** Take a tool, or lay it down if it is in the hand already. */
export function toggleTool(kind: string, sort?: string, about?: Tool["about"]) {
  const { tool, take } = useEditor.getState();
  take(tool?.kind === kind && tool.sort === sort && !about ? null : { kind, sort, about, marks: [] });
}

const placeKey = (shotId: string) => `lithopos:${baseOf(shotId)}`;
let shown = "";

/** Whether this browser has been at the shot before. */
export const isKnownPlace = (shotId: string) => localStorage.getItem(placeKey(shotId)) !== null;

/** The step and view of each shot outlive a reload. */
export function rememberPlace(shotId: string) {
  const key = placeKey(shotId);
  const { step, view } = JSON.parse(localStorage.getItem(key) ?? "{}") as { step?: Step; view?: View };
  endDraft();
  // From one option to the next one looks at the same place.
  const { zoom, compare } = useEditor.getState();
  const kept = shown === baseOf(shotId) ? { zoom, compare } : {};
  if (shown !== baseOf(shotId)) leaveTake();
  shown = baseOf(shotId);
  useEditor.setState({ step: step ?? "photo", view: view ?? "photo", ...FRESH, ...kept });
  return useEditor.subscribe((now, before) => {
    if (now.step !== before.step || now.view !== before.view)
      localStorage.setItem(key, JSON.stringify({ step: now.step, view: now.view }));
  });
}
