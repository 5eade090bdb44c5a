import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";
import type { Derived, Patch, Run, Surface } from "../api/client";
import type { ImagePoint } from "../geometry/points";

export const STEPS = ["photo", "perspective", "ground", "place", "light", "contact", "deliver"] as const;
export type Step = (typeof STEPS)[number];
export type View = "photo" | "live" | "proof" | "master";

/** What a stroke or click on the photograph does now. */
export type Tool =
  | { kind: "none" }
  | { kind: "edge"; run: Run }
  | { kind: "length"; on: Surface }
  | { kind: "level"; marks: ImagePoint[] }
  | { kind: "origin" }
  | { kind: "gnomon"; marks: ImagePoint[] };

export type Selection = {
  kind: "edge" | "gnomon" | "model" | "length" | "origin";
  id: string;
  point?: number;
} | null;

/** The image's place on the stage: screen = image × scale + offset. */
export type Zoom = { scale: number; x: number; y: number };

/** What can be laid over the photograph to judge the perspective by. */
export type Check = "grey" | "grid" | "wall_a" | "wall_b" | "plumb" | "staff" | "box" | "points";
/** Checks that stand somewhere; their place is kept as a pixel of the photograph. */
export type Spot = "grid" | "wall" | "plumb" | "staff" | "box";

type Editor = {
  step: Step;
  view: View;
  /** The seam's place across the stage, 0..1, and what lies to its right; null when it is away. */
  seam: { at: number; other: View } | null;
  tool: Tool;
  selection: Selection;
  /** A change under way (a drag), not yet accepted, and what would follow from it. */
  draft: Patch | null;
  draftDerived: Derived | null;
  /** Held Space: nothing but the photograph. */
  bare: boolean;
  zoom: Zoom | null;
  loupe: ImagePoint | null;
  checks: Record<Check, boolean>;
  spots: Partial<Record<Spot, ImagePoint>>;
  /** Width, depth and height of the test box [m]. */
  box: [number, number, number];
  /** Proposed edges on show; those left out, by their place in the list. */
  proposals: { left: ReadonlySet<number> } | null;
  /** The keyboard's cross on the photograph, and the end that it has set. */
  cross: { at: ImagePoint; from: ImagePoint | null } | null;
  /** The found segment that the stroke under way clicks onto: x and y of both ends. */
  onto: readonly number[] | null;
  /** The level that grid, checks and new lengths lie on; null for the ground. */
  level: string | null;
  open(step: Step): void;
  show(view: View): void;
  take(tool: Tool): void;
  select(selection: Selection): void;
  toggle(check: Check): void;
  endDraft(): void;
};

const FRESH = {
  seam: null,
  zoom: null,
  tool: { kind: "none" } as Tool,
  selection: null,
  draft: null,
  draftDerived: null,
  loupe: null,
  spots: {},
  proposals: null,
  cross: null,
  onto: null,
  level: null,
};

export const useEditor = create<Editor>((set) => ({
  step: "photo",
  view: "photo",
  bare: false,
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
  open: (step) =>
    set(({ view }) => ({
      step,
      tool: { kind: "none" },
      selection: null,
      proposals: null,
      cross: null,
      // Placing needs the model on show.
      view: step === "place" && view === "photo" ? "live" : view,
    })),
  show: (view) => set({ view }),
  take: (tool) =>
    set(({ cross }) => ({
      tool,
      cross: null,
      ...(cross && { draft: null, draftDerived: null, loupe: null }),
    })),
  select: (selection) => set({ selection }),
  toggle: (check) => set(({ checks }) => ({ checks: { ...checks, [check]: !checks[check] } })),
  endDraft: () => set({ draft: null, draftDerived: null, loupe: null, onto: null }),
}));

/** Some of the editor's state: drawn again only when one of these changes, not at every move of a drag. */
export const usePicked = <Name extends keyof Editor>(...names: Name[]): Pick<Editor, Name> =>
  useEditor(
    useShallow((state) => Object.fromEntries(names.map((name) => [name, state[name]])) as Pick<Editor, Name>),
  );

const placeKey = (shotId: string) => `lithopos:${shotId}`;

/** Whether this browser has been at the shot before. */
export const isKnownPlace = (shotId: string) => localStorage.getItem(placeKey(shotId)) !== null;

/** The step and view of each shot outlive a reload. */
export function rememberPlace(shotId: string) {
  const key = placeKey(shotId);
  const { step, view } = JSON.parse(localStorage.getItem(key) ?? "{}") as { step?: Step; view?: View };
  useEditor.setState({
    step: step ?? "photo",
    view: view ?? "photo",
    ...FRESH,
  });
  return useEditor.subscribe((now, before) => {
    if (now.step !== before.step || now.view !== before.view)
      localStorage.setItem(key, JSON.stringify({ step: now.step, view: now.view }));
  });
}
