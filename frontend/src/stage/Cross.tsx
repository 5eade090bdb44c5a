import type { Frame } from "../geometry/frame";
import { image } from "../geometry/points";
import { promptsOf, toolOf } from "../marks/registry";
import { usePicked } from "../state/editor";
import { Tag, tagWithin } from "./Tag";

/** Where the keyboard is on the photograph, and the end it has set. */
export function Cross({ frame }: { frame: Frame }) {
  const { cross, tool } = usePicked("cross", "tool");
  if (!cross || !tool) return null;
  const [x, y] = frame.toScreen(cross.at);
  const arms = `M${x - 16} ${y}H${x - 4}M${x + 4} ${y}H${x + 16}M${x} ${y - 16}V${y - 4}M${x} ${y + 4}V${y + 16}`;
  const draws = toolOf(tool.kind)?.grasp === "strokes";
  return (
    <g data-testid="cross">
      <path d={arms} stroke="#fff" strokeWidth={4} />
      <path d={arms} stroke="#22262b" strokeWidth={1.8} />
      <Tag
        x={x + 14}
        y={y + 30}
        text={!draws ? "Enter sets it" : cross.from ? "Enter sets the other end" : "Enter sets an end"}
      />
    </g>
  );
}

/** The found edge that the stroke under way clicks onto, or one that is pointed at in the ledger. */
export function FoundSegment({ frame }: { frame: Frame }) {
  const { onto, tool } = usePicked("onto", "tool");
  if (!onto) return null;
  const [x1 = 0, y1 = 0, x2 = 0, y2 = 0] = onto;
  const [a, b] = [frame.toScreen(image(x1, y1)), frame.toScreen(image(x2, y2))];
  return (
    <g data-testid="onto">
      <line x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} stroke="#fff" strokeWidth={9} strokeOpacity={0.45} />
      {tool && <Tag x={b[0] + 12} y={b[1] - 10} text="on a found edge · hold Shift to draw freely" />}
    </g>
  );
}

/** Where a brush has been so far. */
export function BrushPath({ frame }: { frame: Frame }) {
  const { path, brush_px, tool } = usePicked("path", "brush_px", "tool");
  const spec = toolOf(tool?.kind);
  if (!path.length || !tool || spec?.grasp !== "strokes" || !spec.brush) return null;
  return (
    <path
      d={path.map((p, i) => `${i ? "L" : "M"}${frame.toScreen(p).join(" ")}`).join("")}
      fill="none"
      stroke={tool.sort === "outside" ? "var(--color-ink-900)" : "var(--color-verdigris)"}
      strokeOpacity={0.55}
      strokeWidth={2 * brush_px * frame.zoom.scale}
      strokeLinecap="round"
      strokeLinejoin="round"
    />
  );
}

const WAITING = "looking at the photograph …";

/** What to click next; the clicks so far, and that an answer to them is on its way. */
export function Prompt({ frame }: { frame: Frame }) {
  const { tool, loupe } = usePicked("tool", "loupe");
  const spec = toolOf(tool?.kind);
  const prompts = spec?.grasp === "clicks" ? promptsOf(spec, tool?.sort) : [];
  if (!tool || !prompts.length || !loupe) return null;
  const [x, y] = frame.toScreen(loupe);
  const more = spec?.grasp === "clicks" && spec.goesOn?.includes(tool.sort ?? "");
  const words = prompts[tool.marks.length] ?? (more ? prompts.at(-1) : WAITING) ?? "";
  const marked = tool.marks.map((mark) => frame.toScreen(mark));
  const path = [...marked, [x, y] as const].map((p, i) => `${i ? "L" : "M"}${p[0]} ${p[1]}`).join("");
  return (
    <>
      {marked.length > 0 && <path d={path} fill="none" stroke="#fff" strokeWidth={2} strokeDasharray="6 4" />}
      {marked.map((p) => (
        <circle key={p.join()} cx={p[0]} cy={p[1]} r={4.2} fill="#fff" stroke="#22262b" strokeWidth={1.8} />
      ))}
      <Tag x={tagWithin(x, words, frame.width)} y={y + 22} text={words} />
    </>
  );
}
