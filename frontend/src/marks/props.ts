import type { Derived, Shot, ShotOut } from "../api/client";
import type { Camera } from "../geometry/camera";
import type { Frame } from "../geometry/frame";

/** `shot` is what is accepted; `document` and `derived` show it with changes under way on top. */
export type StepProps = { shot: ShotOut; document: Shot; derived: Derived };

/** What an overlay is drawn from; the camera is null while there is none. */
export type MarkProps = StepProps & { frame: Frame; camera: Camera | null };
export type MatchedProps = MarkProps & { camera: Camera };

/** The plan's own frame: from the world's metres to its pixels and back. */
export type PlanFrame = {
  to(x: number, y: number): [number, number];
  from(px: number, py: number): [number, number];
  /** Pixels a metre, and how far the world is turned on the plan [rad]. */
  scale: number;
  turn: number;
  /** What a glyph needs to be dragged; `onMove` gets metres. */
  dragging(onMove: (x: number, y: number) => void, label: string): React.SVGProps<SVGGElement>;
};
export type PlanProps = StepProps & { plan: PlanFrame; camera: Camera };
