import type { Derived } from "../../api/client";
import { unitOf } from "../../checks/spots";
import { type Camera, cameraOf, onPlane, project } from "../../geometry/camera";
import { apart, type ImagePoint, pair, type ScreenPoint, type World } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import type { MarkProps, MatchedProps } from "../props";

/** The camera by hand: a spirit level to be laid on the horizon, a slab of the ground to be laid on the paving. */
export function HandOverlay({ camera, ...rest }: MarkProps) {
  const hand = rest.document.camera;
  if (hand.kind !== "hand" || !camera) return null;
  const props = { ...rest, camera };
  return (
    <>
      {!hand.held.includes("horizon") && <SpiritLevel {...props} />}
      <Slab {...props} />
      <Arm {...props} />
    </>
  );
}

type Ends = [[number, number], [number, number]];
const BODY_PX = 74; // half the level's length on the screen

/** The horizon's points under both ends of the level, which lies in the middle of the picture [px]. */
function levelEnds(derived: Derived, width: number, reach: number): Ends | null {
  const ends = derived.camera?.horizon;
  if (!ends) return null;
  const [left, right] = [pair(ends[0] ?? []), pair(ends[1] ?? [])];
  const slope = (right[1] - left[1]) / Math.max(right[0] - left[0], 1e-9);
  const at = (x: number): [number, number] => [x, left[1] + slope * (x - left[0])];
  return [at(width / 2 - reach), at(width / 2 + reach)];
}

/** A mason's spirit level on the horizon: its body lifts and lowers it, an end tilts it about the other. */
function SpiritLevel({ shot, document, derived, frame }: MatchedProps) {
  const { drag, keepDrag } = useChange(shot.id);
  const width = document.photograph?.width ?? 1;
  const reach = BODY_PX / frame.zoom.scale;
  // Drags are told from where the horizon was accepted last; the level shows where it is now.
  const base = levelEnds(shot.derived, width, reach);
  const now = levelEnds(derived, width, reach);
  if (!base || !now) return null;
  const [a, b] = [frame.toScreen(now[0]), frame.toScreen(now[1])];
  const angle = (Math.atan2(b[1] - a[1], b[0] - a[0]) * 180) / Math.PI;
  const centre = (ends: Ends): [number, number] => [width / 2, (ends[0][1] + ends[1][1]) / 2];
  const shifted = (by: number): Ends => [
    [base[0][0], base[0][1] + by],
    [base[1][0], base[1][1] + by],
  ];
  const grips = [
    {
      label: "Horizon, left end",
      at: now[0],
      asked: (to: ImagePoint): Ends => [[base[0][0], to[1]], base[1]],
    },
    { label: "Horizon, whole", at: centre(now), asked: (to: ImagePoint) => shifted(to[1] - centre(base)[1]) },
    {
      label: "Horizon, right end",
      at: now[1],
      asked: (to: ImagePoint): Ends => [base[0], [base[1][0], to[1]]],
    },
  ];
  const [x, y] = frame.toScreen(centre(now));
  return (
    <g data-testid="spirit-level">
      <g transform={`translate(${x} ${y}) rotate(${angle})`} pointerEvents="none">
        <rect
          x={-BODY_PX}
          y={-11}
          width={2 * BODY_PX}
          height={22}
          rx={3}
          fill="#faf8f4"
          fillOpacity={0.92}
          stroke="#22262b"
          strokeWidth={1.6}
        />
        <path
          d={`M${-BODY_PX - 40} 0H${-BODY_PX}M${BODY_PX} 0H${BODY_PX + 40}`}
          stroke="#fff"
          strokeWidth={3}
        />
        <path
          d={`M${-BODY_PX - 40} 0H${-BODY_PX}M${BODY_PX} 0H${BODY_PX + 40}`}
          stroke="#22262b"
          strokeWidth={1.4}
        />
        <rect
          x={-20}
          y={-6}
          width={40}
          height={12}
          rx={6}
          fill="var(--color-verdigris-soft)"
          stroke="#22262b"
        />
        <ellipse rx={7} ry={4} fill="#fff" stroke="var(--color-verdigris)" strokeWidth={1.4} />
        <path d="M-10 -6V6M10 -6V6" stroke="#22262b" strokeWidth={1.2} />
        <path
          d={`M${-BODY_PX + 8} -5V5M${-BODY_PX + 13} -5V5M${BODY_PX - 8} -5V5M${BODY_PX - 13} -5V5`}
          stroke="#5f656c"
          strokeWidth={1.4}
        />
      </g>
      {grips.map(({ label, at, asked }) => {
        const [gx, gy] = frame.toScreen(at);
        const half = label === "Horizon, whole" ? 46 : 24;
        return (
          <Handle
            key={label}
            frame={frame}
            at={at}
            label={label}
            cursor="ns-resize"
            onMove={(to) => drag({ kind: "horizon", ends: asked(to) })}
            onKeep={() => void keepDrag("horizon by hand")}
          >
            <rect x={gx - half} y={gy - 15} width={2 * half} height={30} fill="transparent" />
          </Handle>
        );
      })}
    </g>
  );
}

/** The slab's side [m]: two squares of the grid. */
const sideOf = (camera: Camera) => 2 * unitOf(camera);
const THICK = 0.07; // of its side

/** A paving slab on the ground with a rounded-off notch mark at each corner to lay it by. */
function Slab({ shot, frame, camera }: MatchedProps) {
  const { drag, keepDrag } = useChange(shot.id);
  const side = sideOf(camera);
  const corners: World[] = [
    [0, 0, 0],
    [side, 0, 0],
    [side, side, 0],
    [0, side, 0],
  ];
  const shownAt = (points: World[]) => {
    const pixels = points.map((point) => project(camera, point));
    return pixels.some((p) => p === null) ? null : (pixels as ImagePoint[]);
  };
  const top = shownAt(corners);
  const under = shownAt(corners.map(([x, y]): World => [x, y, -THICK * side]));
  if (!top || !under) return null;
  const on = (points: ImagePoint[]) => points.map((p) => frame.toScreen(p));
  const [upper, lower] = [on(top), on(under)];
  const path = (points: ScreenPoint[]) =>
    `${points.map((p, i) => `${i ? "L" : "M"}${p[0]} ${p[1]}`).join("")}Z`;
  return (
    <g data-testid="hand-square">
      {upper.map((p, i) => {
        const next = (i + 1) % 4;
        const face = [p, upper[next] ?? p, lower[next] ?? p, lower[i] ?? p];
        return <path key={i} d={path(face)} fill="#22262b" fillOpacity={0.28} />;
      })}
      <path
        d={path(upper)}
        fill="#faf8f4"
        fillOpacity={0.2}
        stroke="#22262b"
        strokeOpacity={0.5}
        strokeWidth={3.6}
      />
      <path d={path(upper)} fill="none" stroke="#fff" strokeWidth={1.6} />
      {top.map((at, corner) => {
        const here = frame.toScreen(at);
        return (
          <Handle
            key={corner}
            frame={frame}
            at={at}
            loupe
            label={`Corner ${corner + 1} of the slab`}
            onMove={(to) => drag({ kind: "corner", corner, side_m: side, to: pair(to) })}
            onKeep={() => void keepDrag("slab by hand")}
          >
            <circle cx={here[0]} cy={here[1]} r={14} fill="transparent" />
            <Bracket at={here} towards={[upper[(corner + 3) % 4] ?? here, upper[(corner + 1) % 4] ?? here]} />
          </Handle>
        );
      })}
    </g>
  );
}

/** An angle iron laid over a corner, along both of its edges. */
function Bracket({ at, towards }: { at: ScreenPoint; towards: [ScreenPoint, ScreenPoint] }) {
  const arm = (to: ScreenPoint) => {
    const long = apart(at, to) || 1;
    return [at[0] + ((to[0] - at[0]) / long) * 17, at[1] + ((to[1] - at[1]) / long) * 17];
  };
  const d = `M${arm(towards[0])}L${at[0]} ${at[1]}L${arm(towards[1])}`;
  return (
    <>
      <path d={d} fill="none" stroke="#22262b" strokeWidth={8} strokeLinejoin="round" strokeLinecap="round" />
      <path
        d={d}
        fill="none"
        stroke="#faf8f4"
        strokeWidth={4.6}
        strokeLinejoin="round"
        strokeLinecap="round"
      />
    </>
  );
}

/** Turns the ground about the origin. */
function Arm({ shot, frame, camera }: MatchedProps) {
  const { drag, keepDrag } = useChange(shot.id);
  const side = sideOf(camera);
  const origin = project(camera, [0, 0, 0]);
  const tip = project(camera, [1.6 * side, 0, 0]);
  const accepted = shot.derived.camera && cameraOf(shot.derived.camera);
  const from = accepted && project(accepted, [1.6 * sideOf(accepted), 0, 0]);
  if (!origin || !tip || !from) return null;
  const [o, t] = [frame.toScreen(origin), frame.toScreen(tip)];
  return (
    <Handle
      frame={frame}
      at={tip}
      label="Turn about the origin"
      onMove={(to) => onPlane(camera, to, 0) && drag({ kind: "turn", from: pair(from), to: pair(to) })}
      onKeep={() => void keepDrag("turn by hand")}
    >
      <line x1={o[0]} y1={o[1]} x2={t[0]} y2={t[1]} stroke="#22262b" strokeOpacity={0.5} strokeWidth={4} />
      <line x1={o[0]} y1={o[1]} x2={t[0]} y2={t[1]} stroke="#fff" strokeWidth={1.8} strokeDasharray="5 4" />
      <circle cx={t[0]} cy={t[1]} r={14} fill="transparent" />
      <circle cx={t[0]} cy={t[1]} r={7} fill="#faf8f4" stroke="#22262b" strokeWidth={1.8} />
      <path
        d={`M${t[0] - 3} ${t[1] + 1.5}a3.2 3.2 0 1 1 5.6 1`}
        fill="none"
        stroke="#22262b"
        strokeWidth={1.6}
        strokeLinecap="round"
      />
      <Tag x={t[0] + 12} y={t[1] + 5} text="turn" />
    </Handle>
  );
}
