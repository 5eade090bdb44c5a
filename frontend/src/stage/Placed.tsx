import type { CSSProperties } from "react";
import type { Zoom } from "../geometry/frame";

type PlacedProps = {
  src: string;
  picture: { width: number; height: number };
  zoom: Zoom;
  alt: string;
  testid?: string;
  /** Without its colours and with more contrast: lines are seen better. */
  grey?: boolean;
  style?: CSSProperties;
};

/** A picture laid exactly over the photograph's place; pixels stay square when looked at closely. */
export function Placed({ src, picture, zoom, alt, testid, grey, style }: PlacedProps) {
  const { scale, x, y } = zoom;
  return (
    <img
      src={src}
      alt={alt}
      data-testid={testid}
      draggable={false}
      className="pointer-events-none absolute max-w-none select-none"
      style={{
        left: x,
        top: y,
        width: picture.width * scale,
        height: picture.height * scale,
        imageRendering: scale > 2.5 ? "pixelated" : "auto",
        filter: grey ? "grayscale(1) contrast(1.25)" : undefined,
        ...style,
      }}
    />
  );
}
