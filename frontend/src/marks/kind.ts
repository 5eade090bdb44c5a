import type { ComponentType } from "react";
import type { Derived, Shot } from "../api/client";
import type { ImagePoint } from "../geometry/points";
import type { Step, Tool } from "../state/editor";
import type { Patch } from "../state/patch";
import type { MarkProps, PlanProps, StepProps } from "./props";

/** What a tool's gesture makes: the change, what its revision is called, and what is chosen afterwards. */
export type Made = { patch: Patch; label: string; id?: string; point?: number };

/** What a tool may look at while it makes something. */
export type Making = {
  shotId: string;
  document: Shot;
  derived: Derived;
  /** As it was before the gesture began. */
  accepted: Derived;
  tool: Tool;
  id: string;
  /** Shift: it is to stay as it was drawn. */
  free: boolean;
  /** All points that a brush went through; of other strokes both ends. */
  path: readonly ImagePoint[];
};

/** Marks by pressing at one end and drawing to the other. */
export type StrokeTool = {
  grasp: "strokes";
  make?(from: ImagePoint, to: ImagePoint, making: Making): Made;
  /** Where a stroke marks nothing but asks for something: done when it is let go. */
  acts?(from: ImagePoint, to: ImagePoint): void;
  /** Clicks onto edges that were found in the photograph. */
  finds?: boolean;
  /** Stays in the hand after a stroke. */
  stays?: boolean;
  /** Goes wherever the hand goes, and is made when it is let go. */
  brush?: boolean;
};

/** Marks by clicking a number of points, each with its own words. */
export type ClickTool = {
  grasp: "clicks";
  /** What is to be clicked, one after the other; by the tool's sort where it has several. */
  prompts: readonly string[] | Readonly<Record<string, readonly string[]>>;
  /** Sorts that take more points of their last kind, until one is clicked again or Enter is pressed. */
  goesOn?: readonly string[];
  /** Clicks go onto corners and edges that were found in the photograph, or marked; Shift prevents it. */
  finds?: boolean;
  /** Null where nothing comes of it; the tool stays in the hand. */
  make(points: readonly ImagePoint[], making: Making): Made | null | Promise<Made | null>;
};

/**
 * A kind of mark: everything that the screen knows of it, in one folder. Stage, ledger, plan and live view go over
 * the registry and know no kind by name.
 */
export type Kind = {
  name: string;
  /** The order in which kinds lie on the photograph, the highest on top, and stand in their steps. */
  rank: number;
  tool?: StrokeTool | ClickTool;
  /** The steps in which its overlay lies on the photograph. */
  on?: readonly Step[];
  Overlay?: ComponentType<MarkProps>;
  /** Its section in a step: heading, the one fact that is told when it is folded, and what unfolds. */
  section?: {
    step: Step;
    title: string;
    fact(props: StepProps): string;
    Panel: ComponentType<StepProps>;
    /** Unfolded unless the user folds it. */
    open?: boolean;
    /** Whether it is there at all. */
    when?(props: StepProps): boolean;
  };
  /** Its glyph in the plan. */
  Glyph?: ComponentType<PlanProps>;
  /** Lines of its marks that were refined on the picture and are in force: the loupe shows them. */
  refined?(document: Shot): readonly (readonly [number, number])[][];
  /** What it lays over the live view: things of the photograph that stand in front. */
  Front?: ComponentType<MarkProps>;
  /** What it adds to the live view. */
  Live?: ComponentType<StepProps>;
};
