import type { LightAnswer } from "../../api/client";
import { cameraOf } from "../../geometry/camera";
import { hexOf } from "../../geometry/colour";
import { footOf } from "../../geometry/standing";
import { hasSun } from "../../geometry/sun";
import type { StepProps } from "../../marks/props";

const SIZE = 132;
const RADIUS = 54;

type Way = readonly [number, number, number];

/**
 * Where the light comes from over what stands there: straight up is its middle, the horizon its border; what the camera
 * looks at lies above.
 */
export function Dome({ document, derived }: StepProps) {
  if (!derived.camera) return null;
  const camera = cameraOf(derived.camera);
  const forward = camera.rotation[2] ?? [0, 1, 0];
  const ahead = Math.atan2(forward[1] ?? 1, forward[0] ?? 0);
  const about = middle(document);
  const towards = (p: readonly number[]): Way => [
    (p[0] ?? 0) - about[0],
    (p[1] ?? 0) - about[1],
    (p[2] ?? 0) - about[2],
  ];
  /** From a direction to the drawing: the zenith in its middle, the horizon at its border. */
  const put = ([x, y, z]: Way): [number, number] => {
    const away = Math.PI / 2 - Math.max(Math.atan2(z, Math.hypot(x, y)), 0);
    const turn = Math.atan2(y, x) - ahead;
    const reach = (RADIUS * away) / (Math.PI / 2);
    return [SIZE / 2 - Math.sin(turn) * reach, SIZE / 2 - Math.cos(turn) * reach];
  };
  const shareOf = (kind: LightAnswer["kind"], id: string | null) =>
    derived.balance?.lights.find((one) => one.kind === kind && one.id === id)?.share ?? 0.2;
  const half = Math.atan((derived.camera.image.width ?? 1) / 2 / camera.focal);
  const border = (angle: number) => put([Math.cos(ahead + angle), Math.sin(ahead + angle), 0]);
  const [left, right] = [border(half), border(-half)];
  const sun = hasSun(document) ? derived.sun_shown : null;
  return (
    <svg width={SIZE} height={SIZE} role="img" aria-label="Where the light comes from" className="shrink-0">
      <circle cx={SIZE / 2} cy={SIZE / 2} r={RADIUS} fill="#eceee6" stroke="#8a8f86" />
      <circle cx={SIZE / 2} cy={SIZE / 2} r={RADIUS / 2} fill="none" stroke="#fff" />
      <path
        d={`M${left}A${RADIUS} ${RADIUS} 0 0 1 ${right}`}
        fill="none"
        stroke="var(--color-verdigris)"
        strokeWidth={4}
      />
      {document.windows.map((window) => {
        const corners = derived.windows.find(({ id }) => id === window.id)?.corners_m;
        if (window.hidden || !corners) return null;
        const d = `M${outline(corners)
          .map((p) => put(towards(p)))
          .join("L")}Z`;
        return (
          <path
            key={window.id}
            d={d}
            fill={hexOf(window.seen?.colour)}
            stroke="var(--color-sun)"
            strokeWidth={1.5}
          >
            <title>{window.name}</title>
          </path>
        );
      })}
      {document.lamps.map((lamp) => {
        const position = derived.lamps.find(({ id }) => id === lamp.id)?.position_m;
        if (lamp.hidden || !position) return null;
        const [x, y] = put(towards(position));
        const size = 3 + 6 * Math.sqrt(shareOf("lamp", lamp.id));
        return (
          <circle key={lamp.id} cx={x} cy={y} r={size} fill="var(--color-sun)" stroke="#7a5800">
            <title>{lamp.name}</title>
          </circle>
        );
      })}
      {sun && (
        <g>
          <circle cx={put(sun)[0]} cy={put(sun)[1]} r={7} fill="var(--color-sun)" stroke="#7a5800" />
          <title>the sun</title>
        </g>
      )}
    </svg>
  );
}

/** The middle of what stands there, a little above the ground. */
function middle({ models }: StepProps["document"]): Way {
  const feet = models.filter(({ hidden }) => !hidden).map((one) => footOf(one, models).foot);
  const mean = (axis: 0 | 1 | 2) =>
    feet.reduce((sum, foot) => sum + foot[axis], 0) / Math.max(feet.length, 1);
  return [mean(0), mean(1), mean(2) + 0.1];
}

const STEPS = 6;

/** The corners with points between: straight edges bend on a dome. */
const outline = (corners: readonly (readonly number[])[]) =>
  corners.flatMap((corner, i) => {
    const next = corners[(i + 1) % corners.length] ?? corner;
    return Array.from({ length: STEPS }, (_, k) =>
      corner.map((v, axis) => v + ((next[axis] ?? 0) - v) * (k / STEPS)),
    );
  });
