import { useEffect, useRef, useState } from "react";
import type { Frame } from "../geometry/frame";
import { useEditor } from "../state/editor";

const SIZE = 150;
const MAGNIFIED = 6;

/** The photograph decoded once, not at each move; null until it is there. */
function usePicture(src: string): ImageBitmap | null {
  const [picture, setPicture] = useState<ImageBitmap | null>(null);
  useEffect(() => {
    let gone = false;
    setPicture(null);
    void fetch(src)
      .then((answer) => answer.blob())
      .then((blob) => createImageBitmap(blob))
      .then((bitmap) => !gone && setPicture(bitmap));
    return () => {
      gone = true;
    };
  }, [src]);
  return picture;
}

type Props = {
  src: string;
  frame: Frame;
  /** Lines that were refined on the picture. */
  refined: readonly (readonly (readonly [number, number])[])[];
};

/** The pixels under the point at 6×, with a hairline and what was refined there, beside the hand. */
export function Loupe({ src, frame, refined }: Props) {
  const at = useEditor((state) => state.loupe);
  const canvas = useRef<HTMLCanvasElement>(null);
  const picture = usePicture(src);
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || !picture || !at) return;
    const reach = SIZE / MAGNIFIED;
    context.imageSmoothingEnabled = false;
    context.fillStyle = "#757575";
    context.fillRect(0, 0, SIZE, SIZE);
    context.drawImage(picture, at[0] - reach / 2, at[1] - reach / 2, reach, reach, 0, 0, SIZE, SIZE);
    context.strokeStyle = "#e0a100";
    context.lineWidth = 1.5;
    for (const line of refined) {
      context.beginPath();
      for (const [x, y] of line)
        context.lineTo((x - at[0]) * MAGNIFIED + SIZE / 2, (y - at[1]) * MAGNIFIED + SIZE / 2);
      context.stroke();
    }
    for (const [colour, width] of [
      ["rgb(255 255 255 / .75)", 2.5],
      ["#22262b", 1],
    ] as const) {
      context.strokeStyle = colour;
      context.lineWidth = width;
      context.beginPath();
      context.moveTo(SIZE / 2, 0);
      context.lineTo(SIZE / 2, SIZE);
      context.moveTo(0, SIZE / 2);
      context.lineTo(SIZE, SIZE / 2);
      context.stroke();
    }
  }, [picture, at, refined]);
  if (!at) return null;
  const [x, y] = frame.toScreen(at);
  const left = x + 26 + SIZE > frame.width ? x - 26 - SIZE : x + 26;
  const top = Math.min(Math.max(y - SIZE - 20, 8), frame.height - SIZE - 8);
  return (
    <canvas
      ref={canvas}
      width={SIZE}
      height={SIZE}
      className="pointer-events-none absolute z-20 rounded-lg border-2 border-white shadow-xl"
      style={{ left, top }}
    />
  );
}
