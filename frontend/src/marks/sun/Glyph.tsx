import { useChange } from "../../state/changes";
import { sunPulled } from "../../state/light";
import type { PlanProps } from "../props";

const ARM_PX = 62;

/** The sun's direction in the plan as a long line with its shadow side, about the middle of what stands there. */
export function SunGlyph({ shot, document, derived, plan }: PlanProps) {
  const { move } = useChange(shot.id);
  const sun = derived.sun_shown;
  if (!sun) return null;
  const things = shot.document.models;
  const mean = (axis: 0 | 1) =>
    things.length ? things.reduce((sum, one) => sum + one.position_m[axis], 0) / things.length : 0;
  const about = [mean(0), mean(1)] as const;
  const azimuth = Math.atan2(sun[1], sun[0]);
  const arm = ARM_PX / plan.scale;
  const at = (reach: number) =>
    plan.to(about[0] + Math.cos(azimuth) * reach * arm, about[1] + Math.sin(azimuth) * reach * arm);
  const [middle, far, shade] = [at(0), at(1), at(-0.8)];
  const pull = (x: number, y: number) => {
    const elevation = (Math.asin(sun[2]) * 180) / Math.PI;
    const azimuth_deg = (Math.atan2(y - about[1], x - about[0]) * 180) / Math.PI;
    move(sunPulled(document, { azimuth_deg, elevation_deg: Math.max(elevation, 1) }));
  };
  return (
    <>
      <g pointerEvents="none">
        <path
          d={`M${middle}L${shade}`}
          stroke="#22262b"
          strokeOpacity={0.28}
          strokeWidth={5}
          strokeLinecap="round"
        />
        <path d={`M${middle}L${far}`} stroke="var(--color-sun)" strokeWidth={2} />
      </g>
      <g {...plan.dragging(pull, "turn the sun")} className="cursor-grab" data-testid="plan-sun">
        <circle cx={far[0]} cy={far[1]} r={13} fill="transparent" />
        <circle cx={far[0]} cy={far[1]} r={6} fill="var(--color-sun)" stroke="#fff" strokeWidth={1.5} />
      </g>
      <title>{document.sun.kind === "hand" ? "Sun, set by hand" : "Sun, measured"}</title>
    </>
  );
}
