import type { ImagePoint, ScreenPoint } from "./points";

/** The image's place on the stage: screen = image × scale + offset. */
export type Zoom = { scale: number; x: number; y: number };

/** How the photograph lies on the stage of a size. */
export type Frame = {
  zoom: Zoom;
  width: number;
  height: number;
  toScreen(p: ImagePoint): ScreenPoint;
  toImage(p: ScreenPoint): ImagePoint;
};

export const frameOf = (zoom: Zoom, stage: { width: number; height: number }): Frame => ({
  zoom,
  ...stage,
  toScreen: (p) => [p[0] * zoom.scale + zoom.x, p[1] * zoom.scale + zoom.y],
  toImage: (p) => [(p[0] - zoom.x) / zoom.scale, (p[1] - zoom.y) / zoom.scale],
});

/** A picture as large as it goes on a stage. */
export function fitted(width: number, height: number, stage: { width: number; height: number }): Zoom {
  const scale = Math.min((stage.width - 40) / width, (stage.height - 36) / height);
  return { scale, x: (stage.width - width * scale) / 2, y: (stage.height - height * scale) / 2 };
}

/** The picture grown about a point of the stage that stays where it is. */
export function zoomedAbout(zoom: Zoom, at: ScreenPoint, grow: number): Zoom {
  const scale = Math.min(Math.max(zoom.scale * grow, 0.03), 24);
  const real = scale / zoom.scale;
  return { scale, x: at[0] - (at[0] - zoom.x) * real, y: at[1] - (at[1] - zoom.y) * real };
}
