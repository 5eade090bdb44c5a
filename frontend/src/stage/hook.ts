import type { Derived, Shot, ShotOut } from "../api/client";
import { cameraOf, project } from "../geometry/camera";
import type { Frame } from "../geometry/frame";
import type { ImagePoint, World } from "../geometry/points";

export type Hook = {
  /** Whether the live view has drawn every model. */
  ready: boolean;
  /** Page pixels of a world point, or of a pixel of the photograph. */
  project(x: number, y: number, z: number): [number, number] | null;
  photo(x: number, y: number): [number, number];
  revision: number;
  derived: Derived;
  /** The document as it is accepted. */
  shot: Shot;
};

declare global {
  interface Window {
    lithopos?: Hook;
  }
}

/** A small window for tests: where things are on the page, and what is in force. */
export function exposeHook(frame: Frame, derived: Derived, shot: ShotOut) {
  const page = (p: ImagePoint): [number, number] => {
    const edge = document.querySelector("[data-testid=stage]")?.getBoundingClientRect();
    const [x, y] = frame.toScreen(p);
    return [x + (edge?.left ?? 0), y + (edge?.top ?? 0)];
  };
  window.lithopos = {
    ready: window.lithopos?.ready ?? false,
    project: (x, y, z) => {
      const p = derived.camera && project(cameraOf(derived.camera), [x, y, z] as World);
      return p ? page(p) : null;
    },
    photo: (x, y) => page([x, y]),
    revision: shot.revision,
    derived,
    shot: shot.document,
  };
}
