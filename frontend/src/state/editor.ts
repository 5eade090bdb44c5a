import { create } from "zustand";
import type { Derived, Patch, Run } from "../api/client";
import type { ImagePoint } from "../geometry/points";

export const STEPS = ["photo", "perspective", "ground", "place", "light", "contact", "deliver"] as const;
export type Step = (typeof STEPS)[number];
export type View = "photo" | "live" | "proof" | "master";

/** What a stroke or click on the photograph does now. */
export type Tool =
  | { kind: "none" }
  | { kind: "edge"; run: Run }
  | { kind: "yardstick" }
  | { kind: "origin" }
  | { kind: "gnomon"; marks: ImagePoint[] };

export type Selection = {
  kind: "edge" | "gnomon" | "model" | "yardstick" | "origin";
  id: string;
  point?: number;
} | null;

/** The image's place on the stage: screen = image × scale + offset. */
export type Zoom = { scale: number; x: number; y: number };

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
  open(step: Step): void;
  show(view: View): void;
  take(tool: Tool): void;
  select(selection: Selection): void;
  endDraft(): void;
};

export const useEditor = create<Editor>((set) => ({
  step: "photo",
  view: "photo",
  seam: null,
  tool: { kind: "none" },
  selection: null,
  draft: null,
  draftDerived: null,
  bare: false,
  zoom: null,
  loupe: null,
  open: (step) =>
    set(({ view }) => ({
      step,
      tool: { kind: "none" },
      selection: null,
      // Placing needs the model on show.
      view: step === "place" && view === "photo" ? "live" : view,
    })),
  show: (view) => set({ view }),
  take: (tool) => set({ tool }),
  select: (selection) => set({ selection }),
  endDraft: () => set({ draft: null, draftDerived: null, loupe: null }),
}));

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
    seam: null,
    zoom: null,
    tool: { kind: "none" },
    selection: null,
    draft: null,
    draftDerived: null,
  });
  return useEditor.subscribe((now) =>
    localStorage.setItem(key, JSON.stringify({ step: now.step, view: now.view })),
  );
}
