const SIZE_PX = 11.5;
const PAD_PX = 6;

/** How wide a tag with some words is drawn; guessed where there is no pen to measure with. */
const widthOf = (text: string) => (measured(text) ?? text.length * 5.9) + 2 * PAD_PX;

let pen: CanvasRenderingContext2D | null | undefined;

function measured(text: string): number | null {
  if (pen === undefined) {
    pen = document.createElement("canvas").getContext("2d");
    if (pen) pen.font = `${SIZE_PX}px ${getComputedStyle(document.body).fontFamily}`;
  }
  return pen?.measureText(text).width ?? null;
}

/** Where a tag beside a point begins, so that it ends within the stage. */
export const tagWithin = (x: number, text: string, width: number) =>
  x + 14 + widthOf(text) < width ? x + 14 : x - 14 - widthOf(text);

/** A few words on the photograph, legible on any ground. */
export function Tag({ x, y, text, tone = "#22262b" }: { x: number; y: number; text: string; tone?: string }) {
  return (
    <g transform={`translate(${x} ${y})`} className="pointer-events-none">
      <rect y={-13} width={widthOf(text)} height={18} rx={5} fill={tone} fillOpacity={0.88} />
      <text x={PAD_PX} fontSize={SIZE_PX} fill="#fff">
        {text}
      </text>
    </g>
  );
}
