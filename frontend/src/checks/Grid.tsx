import { type Camera, projectSegment } from "../geometry/camera";
import type { Frame } from "../geometry/frame";
import type { World } from "../geometry/points";
import type { MatchedProps } from "../marks/props";
import { Handle } from "../stage/Handle";
import { Tag } from "../stage/Tag";
import { unitOf, useSpot } from "./spots";

const REACH = 14;
const SHADES = 6;

/** Lines of one plane's grid as a few paths, one for each of some shades: fewer nodes, a quicker drag. */
function shadedPaths(
  camera: Camera,
  frame: Frame,
  at: (u: number, v: number) => World,
  fade: (u: number, v: number) => number,
  span: { u: [number, number]; v: [number, number] },
): string[] {
  const paths = Array.from({ length: SHADES }, () => "");
  const add = (u1: number, v1: number, u2: number, v2: number) => {
    const shade = Math.floor(fade((u1 + u2) / 2, (v1 + v2) / 2) * SHADES);
    if (shade < 0) return;
    const pixels = projectSegment(camera, at(u1, v1), at(u2, v2), 0.2);
    if (!pixels) return;
    const points = pixels.map((p) => frame.toScreen(p));
    const text = points.map((p, i) => `${i ? "L" : "M"}${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join("");
    paths[Math.min(shade, SHADES - 1)] += text;
  };
  for (let u = span.u[0]; u <= span.u[1]; u++)
    for (let v = span.v[0]; v < span.v[1]; v += 2) add(u, v, u, Math.min(v + 2, span.v[1]));
  for (let v = span.v[0]; v <= span.v[1]; v++)
    for (let u = span.u[0]; u < span.u[1]; u += 2) add(u, v, Math.min(u + 2, span.u[1]), v);
  return paths;
}

function Paths({ paths, strength, testid }: { paths: string[]; strength: number; testid: string }) {
  return (
    <g data-testid={testid} clipPath="url(#photograph)" fill="none">
      {paths.map((path, shade) => {
        const opacity = ((shade + 0.7) / SHADES) * strength;
        return (
          path && (
            <g key={shade} opacity={opacity}>
              <path d={path} stroke="#10312c" strokeWidth={2.8} strokeOpacity={0.5} />
              <path d={path} stroke="#e9fffa" strokeWidth={1.2} />
            </g>
          )
        );
      })}
    </g>
  );
}

/** The grid of the ground or of the level in force; walked over the picture by its foot, its far part fading. */
export function GroundGrid(props: MatchedProps & { strong: boolean }) {
  const { camera, frame, strong } = props;
  const spot = useSpot("grid", props, camera);
  if (!spot) return null;
  const { foot } = spot;
  const above = camera.position[2] - foot[2];
  const away = Math.hypot(foot[0] - camera.position[0], foot[1] - camera.position[1]);
  const fine = unitOf(camera, above);
  // Far away the squares would run together: they grow.
  const unit = away > 30 * fine ? 5 * fine : away > 14 * fine ? 2 * fine : fine;
  const [ox, oy] = [Math.round(foot[0] / unit), Math.round(foot[1] / unit)];
  const paths = shadedPaths(
    camera,
    frame,
    (u, v) => [u * unit, v * unit, foot[2]],
    (u, v) => 1 - (Math.hypot(u - foot[0] / unit, v - foot[1] / unit) / REACH) ** 1.4,
    { u: [ox - REACH, ox + REACH], v: [oy - REACH, oy + REACH] },
  );
  return (
    <>
      <Paths paths={paths} strength={strong ? 0.85 : 0.4} testid="grid" />
      {strong && (
        <Foot
          frame={frame}
          at={spot.pixel}
          label="Walk the grid"
          text={camera.metric ? `${unit} m a square` : "no scale yet"}
          onMove={spot.put}
        />
      )}
    </>
  );
}

/** A grid on the wall that runs along A or B through its foot. */
export function WallGrid(props: MatchedProps & { run: "a" | "b" }) {
  const { camera, frame, run } = props;
  const spot = useSpot("wall", props, camera);
  if (!spot) return null;
  const { foot } = spot;
  const unit = unitOf(camera);
  const along = run === "a" ? 0 : 1;
  const start = Math.round(foot[along] / unit);
  const paths = shadedPaths(
    camera,
    frame,
    (u, v) =>
      along === 0 ? [u * unit, foot[1], foot[2] + v * unit] : [foot[0], u * unit, foot[2] + v * unit],
    (u, v) => 1 - (Math.hypot(u - foot[along] / unit, v * 0.8) / 9) ** 1.6,
    { u: [start - 9, start + 9], v: [0, 6] },
  );
  return (
    <>
      <Paths paths={paths} strength={0.8} testid={`wall-${run}`} />
      <Foot
        frame={frame}
        at={spot.pixel}
        label="Move the wall by its foot"
        text={`wall along ${run.toUpperCase()}`}
        onMove={spot.put}
      />
    </>
  );
}

type FootProps = {
  frame: Frame;
  at: readonly [number, number];
  label: string;
  text: string;
  onMove: (to: readonly [number, number]) => void;
};

/** The grip that a check stands on: a small pavement of two slabs. */
export function Foot({ frame, at, label, text, onMove }: FootProps) {
  const [x, y] = frame.toScreen(at);
  return (
    <>
      <Handle frame={frame} at={at} label={label} cursor="move" onMove={onMove} onKeep={() => undefined}>
        <circle cx={x} cy={y} r={14} fill="transparent" />
        <path
          d={`M${x - 10} ${y}L${x - 3} ${y - 6}H${x + 10}L${x + 3} ${y + 6}H${x - 10}ZM${x - 1} ${y - 6}L${x - 5} ${y + 6}`}
          fill="#faf8f4"
          fillOpacity={0.94}
          stroke="#22262b"
          strokeWidth={1.5}
          strokeLinejoin="round"
        />
      </Handle>
      <Tag x={x + 15} y={y + 5} text={text} />
    </>
  );
}
