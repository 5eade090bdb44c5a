import type { Crop } from "../../api/client";
import { type ImagePoint, image } from "../../geometry/points";

type Size = { width: number; height: number };

/** The frame that shows a whole photograph, or the largest of a shape in its middle. */
export function wholeFrame({ width, height }: Size, aspect: Crop["aspect"] = null): Crop {
  const shape = aspect ? aspect[0] / aspect[1] : width / height;
  const wide = Math.round(Math.min(width, height * shape));
  const high = Math.round(Math.min(height, width / shape));
  const [x, y] = [Math.round((width - wide) / 2), Math.round((height - high) / 2)];
  return { x, y, width: wide, height: high, turn_deg: 0, aspect, beyond: "mirrored" };
}

/** A frame's corners: top left, top right, bottom right, bottom left, as it is turned. */
export function cornersOf(crop: Crop): ImagePoint[] {
  const [cos, sin] = [Math.cos((crop.turn_deg * Math.PI) / 180), Math.sin((crop.turn_deg * Math.PI) / 180)];
  const middle = [crop.x + crop.width / 2, crop.y + crop.height / 2] as const;
  return [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
  ].map(([a = 0, b = 0]) => {
    const [u, v] = [(a * crop.width) / 2, (b * crop.height) / 2];
    return image(middle[0] + cos * u - sin * v, middle[1] + sin * u + cos * v);
  });
}

/** The frame with one corner pulled to a point; the opposite one stays, and so does its shape where it is held. */
export function pulled(crop: Crop, corner: number, to: ImagePoint): Crop {
  const [cos, sin] = [Math.cos((crop.turn_deg * Math.PI) / 180), Math.sin((crop.turn_deg * Math.PI) / 180)];
  const fixed = cornersOf(crop)[(corner + 2) % 4] ?? to;
  const [dx, dy] = [to[0] - fixed[0], to[1] - fixed[1]];
  let [wide, high] = [Math.abs(cos * dx + sin * dy), Math.abs(-sin * dx + cos * dy)];
  if (crop.aspect) {
    const shape = crop.aspect[0] / crop.aspect[1];
    wide = Math.max(wide, high * shape);
    high = wide / shape;
  }
  [wide, high] = [Math.max(16, Math.round(wide)), Math.max(16, Math.round(high))];
  const [u, v] = [corner === 1 || corner === 2 ? wide : -wide, corner >= 2 ? high : -high];
  const middle = [fixed[0] + (cos * u - sin * v) / 2, fixed[1] + (sin * u + cos * v) / 2];
  return {
    ...crop,
    width: wide,
    height: high,
    x: Math.round((middle[0] ?? 0) - wide / 2),
    y: Math.round((middle[1] ?? 0) - high / 2),
  };
}

/** Whether a frame reaches beyond the photograph. */
export const reachesBeyond = (crop: Crop, { width, height }: Size) =>
  cornersOf(crop).some(([x, y]) => x < -0.5 || y < -0.5 || x > width + 0.5 || y > height + 0.5);
