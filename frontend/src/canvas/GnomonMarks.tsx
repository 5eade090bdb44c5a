import type { Gnomon } from "../api/client";
import { type Camera, onPlane, project } from "../geometry/camera";
import { type ImagePoint, pair, type World } from "../geometry/points";
import { useModel } from "../live/models";
import { useDraft } from "../state/draft";
import { usePicked } from "../state/editor";
import { Handle } from "./Handle";
import type { MarkProps } from "./Marks";
import { Tag } from "./Tag";

const PROMPTS = ["click the thing’s foot", "now its top", "now the tip of its shadow"];
type MarkName = "foot" | "top" | "tip";
const MARKS: MarkName[] = ["foot", "top", "tip"];

/** Gnomons: foot (circle), top (square), shadow's tip (diamond). */
export function GnomonMarks({ shot, document, frame, derived }: MarkProps & { camera: Camera | null }) {
  const { move, keep, change } = useDraft(shot.id);
  const { tool, loupe } = usePicked("tool", "loupe");
  const place = (gnomon: Gnomon, name: MarkName, to: ImagePoint) =>
    document.gnomons.map((other) => (other.id === gnomon.id ? { ...other, [name]: pair(to) } : other));
  return (
    <g>
      {document.gnomons.map((gnomon, number) => {
        const points = { foot: gnomon.foot, top: gnomon.top, tip: gnomon.tip };
        const to = (name: MarkName) => {
          const point = points[name];
          return point && frame.toScreen(point);
        };
        const [foot, top, tip] = [to("foot"), to("top"), to("tip")];
        const body = foot && top ? `M${foot[0]} ${foot[1]}L${top[0]} ${top[1]}` : "";
        const shadow = foot && tip ? `M${foot[0]} ${foot[1]}L${tip[0]} ${tip[1]}` : "";
        return (
          <g key={gnomon.id}>
            <path d={body + shadow} stroke="#fff" strokeOpacity={0.65} strokeWidth={4.6} />
            <path d={body} stroke="var(--color-oxide)" strokeWidth={2} />
            <path d={shadow} stroke="var(--color-oxide)" strokeWidth={2} strokeDasharray="6 4" />
            {top && (
              <Tag x={top[0] + 10} y={top[1] + 4} text={`gnomon ${number + 1}`} tone="var(--color-oxide)" />
            )}
            {MARKS.map((name) => {
              const point = points[name];
              if (!point) return null;
              return (
                <Handle
                  key={name}
                  frame={frame}
                  at={point}
                  loupe
                  label={`Gnomon ${number + 1}, ${name}`}
                  onMove={(p) => move({ gnomons: place(gnomon, name, p) })}
                  onKeep={() => keep(`move gnomon ${number + 1}`)}
                  onDelete={() =>
                    void change(
                      { gnomons: document.gnomons.filter((g) => g.id !== gnomon.id) },
                      `remove gnomon ${number + 1}`,
                    )
                  }
                >
                  <Shape name={name} x={frame.toScreen(point)[0]} y={frame.toScreen(point)[1]} />
                </Handle>
              );
            })}
          </g>
        );
      })}
      {tool.kind === "gnomon" && (
        <g>
          {tool.marks.map((mark, index) => {
            const [x, y] = frame.toScreen(mark);
            return <Shape key={MARKS[index]} name={MARKS[index] ?? "foot"} x={x} y={y} />;
          })}
          {loupe && (
            <Tag
              x={frame.toScreen(loupe)[0] + 16}
              y={frame.toScreen(loupe)[1] + 24}
              text={PROMPTS[tool.marks.length] ?? ""}
            />
          )}
        </g>
      )}
      {derived.sun_reason && document.gnomons.length > 0 && (
        <Tag x={12} y={26} text={derived.sun_reason} tone="var(--color-oxide)" />
      )}
    </g>
  );
}

function Shape({ name, x, y }: { name: MarkName; x: number; y: number }) {
  const look = { fill: "#fff", stroke: "var(--color-oxide)", strokeWidth: 2 };
  return (
    <g transform={`translate(${x} ${y})`}>
      <circle r={12} fill="transparent" />
      {name === "foot" && <circle r={4.6} {...look} />}
      {name === "top" && <rect x={-4.4} y={-4.4} width={8.8} height={8.8} {...look} />}
      {name === "tip" && <path d="M0 -6.4L6.4 0L0 6.4L-6.4 0Z" {...look} />}
    </g>
  );
}

/** The tip of the first model's shadow: pulling it sets the sun by hand. */
export function ShadowTip({ shot, document, derived, frame, camera }: MarkProps & { camera: Camera }) {
  const { move, keep } = useDraft(shot.id);
  const placed = document.models[0];
  const model = useModel(placed?.file);
  const sun = derived.sun_shown;
  if (!placed || !model || !sun || !camera.metric) return null;
  const height = model.size[2] * placed.size;
  const top: World = [placed.position_m[0], placed.position_m[1], placed.position_m[2] + height];
  const tip: World = [top[0] - (sun[0] / sun[2]) * top[2], top[1] - (sun[1] / sun[2]) * top[2], 0];
  const [topPixel, tipPixel] = [project(camera, top), project(camera, tip)];
  if (!topPixel || !tipPixel) return null;
  const [a, b] = [frame.toScreen(topPixel), frame.toScreen(tipPixel)];
  const pull = (to: ImagePoint) => {
    const ground = onPlane(camera, to, 0);
    if (!ground) return;
    const [dx, dy] = [top[0] - ground[0], top[1] - ground[1]];
    const azimuth_deg = (Math.atan2(dy, dx) * 180) / Math.PI;
    const elevation_deg = Math.min(
      Math.max((Math.atan2(top[2], Math.hypot(dx, dy)) * 180) / Math.PI, 1),
      89.9,
    );
    move({ sun: { ...document.sun, kind: "hand", azimuth_deg, elevation_deg } });
  };
  return (
    <g>
      <line x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} stroke="#22262b" strokeOpacity={0.5} strokeWidth={3.4} />
      <line x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} stroke="var(--color-sun)" strokeWidth={1.8} />
      <Handle
        frame={frame}
        at={tipPixel}
        label="Tip of the model's shadow: pull to set the sun by hand"
        onMove={pull}
        onKeep={() => keep("pull the shadow’s tip")}
      >
        <circle cx={b[0]} cy={b[1]} r={14} fill="transparent" />
        <path
          d={`M${b[0]} ${b[1] - 8}L${b[0] + 8} ${b[1]}L${b[0]} ${b[1] + 8}L${b[0] - 8} ${b[1]}Z`}
          fill="var(--color-sun)"
          stroke="#fff"
          strokeWidth={1.8}
        />
      </Handle>
      <Tag x={b[0] + 14} y={b[1] + 20} text="pull the shadow’s tip" />
    </g>
  );
}
