/** A few words on the photograph, legible on any ground. */
export function Tag({ x, y, text, tone = "#22262b" }: { x: number; y: number; text: string; tone?: string }) {
  return (
    <g transform={`translate(${x} ${y})`} className="pointer-events-none">
      <rect y={-13} width={text.length * 5.9 + 13} height={18} rx={5} fill={tone} fillOpacity={0.88} />
      <text x={6} fontSize={11.5} fill="#fff">
        {text}
      </text>
    </g>
  );
}
