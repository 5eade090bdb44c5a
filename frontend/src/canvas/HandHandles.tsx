import type { Derived } from "../api/client";
import { type Camera, cameraOf, onPlane, project } from "../geometry/camera";
import { type ImagePoint, pair, type World } from "../geometry/points";
import { useDraft } from "../state/draft";
import { Handle } from "./Handle";
import type { MarkProps } from "./Marks";
import { unitOf } from "./place";
import { Tag } from "./Tag";

type Props = MarkProps & { camera: Camera };

/** The camera by hand: drag the horizon by its ends, a square of the ground by its corners, turn by the arm. */
export function HandHandles(props: Props) {
  const hand = props.document.camera;
  if (hand.kind !== "hand") return null;
  return (
    <>
      {!hand.held.includes("horizon") && <HorizonEnds {...props} />}
      <Square {...props} />
      <Arm {...props} />
    </>
  );
}

type Ends = [[number, number], [number, number]];

/** Two points of the horizon, a little inside the picture's borders. */
function horizonEnds(derived: Derived, width: number): Ends | null {
  const ends = derived.camera?.horizon;
  if (!ends) return null;
  const [left, right] = [pair(ends[0] ?? []), pair(ends[1] ?? [])];
  const on = (share: number): [number, number] => [share * width, left[1] + share * (right[1] - left[1])];
  return [on(0.12), on(0.88)];
}

function HorizonEnds({ shot, document, derived, frame }: Props) {
  const { drag, keepDrag } = useDraft(shot.id);
  const width = document.photograph?.width ?? 1;
  // Drags are told from where the horizon was accepted last; the handles show where it is now.
  const base = horizonEnds(shot.derived, width);
  const now = horizonEnds(derived, width);
  if (!base || !now) return null;
  const middle = (ends: Ends): [number, number] => [width / 2, (ends[0][1] + ends[1][1]) / 2];
  const shifted = (by: number): Ends => [
    [base[0][0], base[0][1] + by],
    [base[1][0], base[1][1] + by],
  ];
  const grips: { label: string; at: ImagePoint; asked: (to: ImagePoint) => Ends }[] = [
    { label: "Horizon, left end", at: now[0], asked: (to) => [[base[0][0], to[1]], base[1]] },
    { label: "Horizon, whole", at: middle(now), asked: (to) => shifted(to[1] - middle(base)[1]) },
    { label: "Horizon, right end", at: now[1], asked: (to) => [base[0], [base[1][0], to[1]]] },
  ];
  return grips.map(({ label, at, asked }) => {
    const [x, y] = frame.toScreen(at);
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
        <rect x={x - 16} y={y - 12} width={32} height={24} fill="transparent" />
        <path
          d={`M${x - 11} ${y}L${x} ${y - 7}L${x + 11} ${y}L${x} ${y + 7}Z`}
          fill="#faf8f4"
          stroke="#22262b"
          strokeWidth={1.8}
        />
      </Handle>
    );
  });
}

/** The square's side [m]: two squares of the grid. */
const sideOf = (camera: Camera) => 2 * unitOf(camera);

function Square({ shot, frame, camera }: Props) {
  const { drag, keepDrag } = useDraft(shot.id);
  const side = sideOf(camera);
  const corners: World[] = [
    [0, 0, 0],
    [side, 0, 0],
    [side, side, 0],
    [0, side, 0],
  ];
  const pixels = corners.map((corner) => project(camera, corner));
  if (pixels.some((p) => p === null)) return null;
  const shown = (pixels as ImagePoint[]).map((p) => frame.toScreen(p));
  const outline = `${shown.map((p, i) => `${i ? "L" : "M"}${p[0]} ${p[1]}`).join("")}Z`;
  return (
    <g data-testid="hand-square">
      <path
        d={outline}
        fill="#faf8f4"
        fillOpacity={0.16}
        stroke="#22262b"
        strokeWidth={4}
        strokeOpacity={0.5}
      />
      <path d={outline} fill="none" stroke="#fff" strokeWidth={2} />
      {(pixels as ImagePoint[]).map((at, corner) => {
        const [x, y] = frame.toScreen(at);
        return (
          <Handle
            key={corner}
            frame={frame}
            at={at}
            loupe
            label={`Corner ${corner + 1} of the square`}
            onMove={(to) => drag({ kind: "corner", corner, side_m: side, to: pair(to) })}
            onKeep={() => void keepDrag("square by hand")}
          >
            <circle cx={x} cy={y} r={13} fill="transparent" />
            <rect
              x={x - 5.5}
              y={y - 5.5}
              width={11}
              height={11}
              rx={1.5}
              fill="#faf8f4"
              stroke="#22262b"
              strokeWidth={1.8}
            />
          </Handle>
        );
      })}
    </g>
  );
}

/** Turns the ground about the origin. */
function Arm({ shot, frame, camera }: Props) {
  const { drag, keepDrag } = useDraft(shot.id);
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
