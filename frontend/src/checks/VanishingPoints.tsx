import type { Run } from "../api/client";
import { bent, cameraOf } from "../geometry/camera";
import type { Frame } from "../geometry/frame";
import { pair, type ScreenPoint } from "../geometry/points";
import type { MarkProps } from "../marks/props";
import { RUN_ORDER, RUNS } from "../ui/runs";

/** Where each run vanishes; outside the picture, an arrow at its border with how far. */
export function VanishingPoints({ derived, document, frame }: MarkProps) {
  const camera = derived.camera;
  const picture = document.photograph;
  if (!camera || !picture) return null;
  return RUN_ORDER.map((run) => {
    const point = camera.vanishing_points[run];
    if (!point) return null;
    const far = pair(point);
    const [x, y] = bent(cameraOf(camera), far) ?? far;
    const inside = x > 0 && y > 0 && x < picture.width && y < picture.height;
    return inside ? (
      <Inside key={run} run={run} at={frame.toScreen([x, y])} />
    ) : (
      <Outside key={run} run={run} point={[x, y]} picture={picture} frame={frame} />
    );
  });
}

function Inside({ run, at }: { run: Run; at: ScreenPoint }) {
  const [x, y] = at;
  const rays = [20, 70, 110, 160, 200, 250, 290, 340].map((degrees) => {
    const angle = (degrees * Math.PI) / 180;
    const [c, s] = [Math.cos(angle), Math.sin(angle)];
    return `M${x + 7 * c} ${y + 7 * s}L${x + 13 * c} ${y + 13 * s}`;
  });
  return (
    <g data-testid={`vanishing-${run}`}>
      <path d={rays.join("")} stroke="#fff" strokeWidth={4} strokeLinecap="round" />
      <path d={rays.join("")} stroke={RUNS[run].colour} strokeWidth={2} strokeLinecap="round" />
      <circle cx={x} cy={y} r={2.4} fill={RUNS[run].colour} stroke="#fff" />
      <Badge x={x + 16} y={y - 14} run={run} text="vanishes here" />
    </g>
  );
}

type OutsideProps = {
  run: Run;
  point: [number, number];
  picture: { width: number; height: number };
  frame: Frame;
};

function Outside({ run, point, picture, frame }: OutsideProps) {
  const middle = [picture.width / 2, picture.height / 2] as const;
  const [dx, dy] = [point[0] - middle[0], point[1] - middle[1]];
  // The picture's border on the way there.
  const reach = Math.min(middle[0] / Math.abs(dx || 1e-9), middle[1] / Math.abs(dy || 1e-9));
  const border = frame.toScreen([middle[0] + dx * reach, middle[1] + dy * reach]);
  const length = Math.hypot(dx, dy);
  const [ux, uy] = [dx / length, dy / length];
  const tip: ScreenPoint = [border[0] - 4 * ux, border[1] - 4 * uy];
  const back: ScreenPoint = [border[0] - 22 * ux, border[1] - 22 * uy];
  const wing = (side: number) =>
    `L${tip[0] - 9 * ux + side * 5 * uy} ${tip[1] - 9 * uy - side * 5 * ux}M${tip[0]} ${tip[1]}`;
  const path = `M${back[0]} ${back[1]}L${tip[0]} ${tip[1]}${wing(1)}${wing(-1)}`;
  const widths = (length * (1 - reach)) / picture.width;
  const far = widths < 10 ? `${widths.toFixed(1)} widths on` : "very far";
  const wide = far.length * 5.6 + 34;
  const [x, y] = [back[0] - 6 * ux, back[1] - 6 * uy];
  return (
    <g data-testid={`vanishing-${run}`}>
      <path d={path} stroke="#fff" strokeWidth={4.5} fill="none" strokeLinecap="round" />
      <path d={path} stroke={RUNS[run].colour} strokeWidth={2.2} fill="none" strokeLinecap="round" />
      <Badge
        x={ux > 0.5 ? x - wide : ux < -0.5 ? x : x - wide / 2}
        y={y - 9 - (Math.abs(uy) > 0.5 ? 9 * uy : 0)}
        run={run}
        text={far}
      />
    </g>
  );
}

function Badge({ x, y, run, text }: { x: number; y: number; run: Run; text: string }) {
  return (
    <g transform={`translate(${x} ${y})`}>
      <rect width={text.length * 5.6 + 30} height={18} rx={5} fill="#22262b" fillOpacity={0.88} />
      <rect width={19} height={18} rx={5} fill={RUNS[run].colour} />
      <text x={9.5} y={13} fontSize={11} fontWeight={600} textAnchor="middle" fill="#fff">
        {RUNS[run].letter}
      </text>
      <text x={24} y={13} fontSize={11} fill="#fff">
        {text}
      </text>
    </g>
  );
}
