const widthOf = (text: string) => text.length * 5.9 + 13;

/** Where a tag beside a point begins, so that it ends within the stage. */
export const tagWithin = (x: number, text: string, width: number) =>
  x + 14 + widthOf(text) < width ? x + 14 : x - 14 - widthOf(text);

/** A few words on the photograph, legible on any ground. */
export function Tag({ x, y, text, tone = "#22262b" }: { x: number; y: number; text: string; tone?: string }) {
  return (
    <g transform={`translate(${x} ${y})`} className="pointer-events-none">
      <rect y={-13} width={widthOf(text)} height={18} rx={5} fill={tone} fillOpacity={0.88} />
      <text x={6} fontSize={11.5} fill="#fff">
        {text}
      </text>
    </g>
  );
}
