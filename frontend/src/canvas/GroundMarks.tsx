import { type Camera, onPlane, project, projectSegment } from "../geometry/camera";
import { apart, middle, pair, type World } from "../geometry/points";
import { useDraft } from "../state/draft";
import { Handle } from "./Handle";
import type { MarkProps } from "./Marks";
import type { Frame } from "./Stage";

/** The ground's grid, a metre a square, fading with distance. */
export function GroundGrid({ camera, frame, strong }: { camera: Camera; frame: Frame; strong: boolean }) {
  const unit = camera.metric ? 1 : 0.5 * camera.position[2];
  const reach = 14;
  // About the ground in front of the camera, on whole squares from the origin.
  const ahead = camera.rotation[2] ?? [0, 1, 0];
  const flat = Math.hypot(ahead[0] ?? 0, ahead[1] ?? 0) || 1;
  const snap = (v: number) => Math.round(v / unit) * unit;
  const cx = snap(camera.position[0] + ((ahead[0] ?? 0) / flat) * unit * reach * 0.75);
  const cy = snap(camera.position[1] + ((ahead[1] ?? 0) / flat) * unit * reach * 0.75);
  const lines: React.ReactNode[] = [];
  const add = (a: World, b: World, key: string) => {
    const cut = projectSegment(camera, a, b, 0.4);
    if (!cut) return;
    const centre = [(a[0] + b[0]) / 2 - camera.position[0], (a[1] + b[1]) / 2 - camera.position[1]];
    const far = Math.hypot(centre[0] ?? 0, centre[1] ?? 0) / (unit * reach * 1.6);
    const opacity = Math.max(0, 1 - far) ** 1.3 * (strong ? 0.85 : 0.4);
    if (opacity < 0.03) return;
    const [[x1, y1], [x2, y2]] = [frame.toScreen(cut[0]), frame.toScreen(cut[1])];
    lines.push(<line key={key} x1={x1} y1={y1} x2={x2} y2={y2} strokeOpacity={opacity} />);
  };
  for (let i = -reach; i <= reach; i++) {
    for (let j = -reach; j < reach; j += 2) {
      add([cx + i * unit, cy + j * unit, 0], [cx + i * unit, cy + (j + 2) * unit, 0], `x${i},${j}`);
      add([cx + j * unit, cy + i * unit, 0], [cx + (j + 2) * unit, cy + i * unit, 0], `y${i},${j}`);
    }
  }
  return (
    <g data-testid="grid" clipPath="url(#photograph)">
      <g stroke="#10312c" strokeWidth={2.6} opacity={0.45}>
        {lines}
      </g>
      <g stroke="#e9fffa" strokeWidth={1.15}>
        {lines}
      </g>
    </g>
  );
}

export function Horizon({ derived, frame }: MarkProps) {
  const ends = derived.camera?.horizon;
  if (!ends) return null;
  const [[x1, y1], [x2, y2]] = [frame.toScreen(pair(ends[0] ?? [])), frame.toScreen(pair(ends[1] ?? []))];
  return (
    <g data-testid="horizon">
      <line x1={x1} y1={y1} x2={x2} y2={y2} stroke="#22262b" strokeOpacity={0.55} strokeWidth={3} />
      <line x1={x1} y1={y1} x2={x2} y2={y2} stroke="#fff" strokeWidth={1.2} strokeDasharray="14 4 2 4" />
      <Tag x={x1 + 8} y={y1 - 8} text="horizon" />
    </g>
  );
}

export function Tag({ x, y, text, tone = "#22262b" }: { x: number; y: number; text: string; tone?: string }) {
  return (
    <g transform={`translate(${x} ${y})`}>
      <rect y={-13} width={text.length * 5.7 + 14} height={18} rx={5} fill={tone} fillOpacity={0.86} />
      <text x={6} fontSize={11.5} fill="#fff">
        {text}
      </text>
    </g>
  );
}

/** The yardstick: two ends to drag and its length. */
export function YardstickMark({ shot, document, frame }: MarkProps) {
  const { move, keep, change } = useDraft(shot.id);
  const stick = document.yardstick;
  if (!stick) return null;
  const [from, to] = [frame.toScreen(stick.from), frame.toScreen(stick.to)];
  const length = apart(from, to) || 1;
  const side = [-(to[1] - from[1]) / length, (to[0] - from[0]) / length] as const;
  const tick = (p: readonly [number, number]) =>
    `M${p[0] - side[0] * 9} ${p[1] - side[1] * 9}L${p[0] + side[0] * 9} ${p[1] + side[1] * 9}`;
  const path = `M${from[0]} ${from[1]}L${to[0]} ${to[1]}${tick(from)}${tick(to)}`;
  const centre = middle(from, to);
  return (
    <g>
      <path d={path} stroke="#fff" strokeOpacity={0.75} strokeWidth={5} />
      <path d={path} stroke="#22262b" strokeWidth={2} />
      <Tag x={centre[0] + 10} y={centre[1] - 10} text={`${stick.metres} m`} />
      {(["from", "to"] as const).map((end) => (
        <Handle
          key={end}
          frame={frame}
          at={stick[end]}
          loupe
          label={`Yardstick, ${end === "from" ? "first" : "second"} end`}
          onMove={(p) => move({ yardstick: { ...stick, [end]: pair(p) } })}
          onKeep={() => keep("move the yardstick")}
          onDelete={() => void change({ yardstick: null }, "remove the yardstick")}
        >
          <circle
            cx={frame.toScreen(stick[end])[0]}
            cy={frame.toScreen(stick[end])[1]}
            r={12}
            fill="transparent"
          />
          <circle
            cx={frame.toScreen(stick[end])[0]}
            cy={frame.toScreen(stick[end])[1]}
            r={4.5}
            fill="#fff"
            stroke="#22262b"
            strokeWidth={2}
          />
        </Handle>
      ))}
    </g>
  );
}

/** The origin with the first metre of x (run A) and y (run B). */
export function OriginMark({ shot, document, frame, camera }: MarkProps & { camera: Camera | null }) {
  const { move, keep } = useDraft(shot.id);
  const origin = document.origin;
  if (!origin) return null;
  const at = frame.toScreen(origin);
  const unit = camera && !camera.metric ? 0.5 * camera.position[2] : 1;
  const foot = camera && onPlane(camera, origin, 0);
  const arm = (x: number, y: number, letter: string, colour: string) => {
    const tip = camera && foot && project(camera, [foot[0] + x * unit, foot[1] + y * unit, 0]);
    if (!tip) return null;
    const end = frame.toScreen(tip);
    return (
      <g>
        <line
          x1={at[0]}
          y1={at[1]}
          x2={end[0]}
          y2={end[1]}
          stroke="#fff"
          strokeWidth={5}
          strokeOpacity={0.75}
        />
        <line x1={at[0]} y1={at[1]} x2={end[0]} y2={end[1]} stroke={colour} strokeWidth={2.4} />
        <Tag x={end[0] + 6} y={end[1] + 4} text={letter} tone={colour} />
      </g>
    );
  };
  return (
    <Handle
      frame={frame}
      at={origin}
      loupe
      label="Origin of the ground"
      onMove={(p) => move({ origin: pair(p) })}
      onKeep={() => keep("move the origin")}
    >
      {arm(1, 0, "x", "var(--color-run-a)")}
      {arm(0, 1, "y", "var(--color-run-b)")}
      <circle cx={at[0]} cy={at[1]} r={13} fill="transparent" />
      <path
        d={`M${at[0]} ${at[1] - 7}L${at[0] + 7} ${at[1]}L${at[0]} ${at[1] + 7}L${at[0] - 7} ${at[1]}Z`}
        fill="#fff"
        stroke="#2b6e64"
        strokeWidth={2.2}
      />
    </Handle>
  );
}
