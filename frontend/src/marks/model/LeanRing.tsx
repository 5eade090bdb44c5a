import type { Placed, ShotOut } from "../../api/client";
import { type Camera, project, ray } from "../../geometry/camera";
import type { Frame } from "../../geometry/frame";
import type { ImagePoint, World } from "../../geometry/points";
import { footOf, sizeOf } from "../../geometry/standing";
import type { LoadedModel } from "../../live/models";
import { SquareGrip } from "../../stage/Grips";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";

type Props = {
  shot: ShotOut;
  frame: Frame;
  camera: Camera;
  placed: Placed;
  things: Placed[];
  model: LoadedModel;
};

const UPRIGHT_DEG = 1.5;

/** The second ring, about a level axis: pulling its grip leans the thing. */
export function LeanRing({ shot, frame, camera, placed, things, model }: Props) {
  const { move, keep } = useChange(shot.id);
  const { foot, turn_deg } = footOf(placed, things);
  const size = sizeOf(placed, model);
  const radius = Math.max(size[2], 0.5 * Math.hypot(size[0], size[1])) * 1.08;
  const heading = ((turn_deg + placed.lean_toward_deg) * Math.PI) / 180;
  const [c, s] = [Math.cos(heading), Math.sin(heading)];
  const at = (lean_deg: number): World => {
    const lean = (lean_deg * Math.PI) / 180;
    const [out, up] = [radius * Math.sin(lean), radius * Math.cos(lean)];
    return [foot[0] + out * c, foot[1] + out * s, foot[2] + up];
  };
  const seen = (lean_deg: number) => {
    const p = project(camera, at(lean_deg));
    return p && frame.toScreen(p);
  };
  const arc = Array.from({ length: 37 }, (_, i) => seen(-90 + 5 * i)).filter((p) => p !== null);
  const d = arc.map((p, i) => `${i ? "L" : "M"}${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join("");
  const grip = project(camera, at(placed.lean_deg));
  if (!grip) return null;
  const lean = (to: ImagePoint) => {
    const angle = leanAt(camera, to, foot, [c, s]);
    if (angle === null) return;
    const shown = Math.abs(angle) < UPRIGHT_DEG ? 0 : angle;
    // Over the plumb line it goes towards the other side.
    const toward = shown < 0 ? (placed.lean_toward_deg + 180) % 360 : placed.lean_toward_deg;
    const lean_deg = Math.round(Math.min(Math.abs(shown), 179) * 10) / 10;
    move({ models: { [placed.id]: { lean_deg, lean_toward_deg: toward } } });
  };
  const g = frame.toScreen(grip);
  return (
    <g>
      <path d={d} fill="none" stroke="#fff" strokeOpacity={0.6} strokeWidth={4.2} />
      <path d={d} fill="none" stroke="var(--color-verdigris-deep)" strokeWidth={2} strokeDasharray="7 4" />
      <Handle
        frame={frame}
        at={grip}
        label={`Lean the ${placed.name}`}
        onMove={lean}
        onKeep={() => keep(`lean the ${placed.name}`)}
      >
        <SquareGrip at={g} tone="var(--color-verdigris-deep)" filled />
      </Handle>
      <Tag x={g[0] + 12} y={g[1] + 4} text={`leans ${placed.lean_deg.toFixed(1)}°`} />
    </g>
  );
}

/** The lean at which the ring passes a pixel [°]: where its ray meets the ring's plane, or comes nearest to it. */
function leanAt(
  camera: Camera,
  to: ImagePoint,
  foot: World,
  [c, s]: readonly [number, number],
): number | null {
  const d = ray(camera, to);
  const [px, py, pz] = camera.position;
  const across = -s * d[0] + c * d[1];
  if (Math.abs(across) < 1e-6) return null;
  const t = (-s * (foot[0] - px) + c * (foot[1] - py)) / across;
  if (t <= 0) return null;
  const [x, y, z] = [px + t * d[0] - foot[0], py + t * d[1] - foot[1], pz + t * d[2] - foot[2]];
  return (Math.atan2(c * x + s * y, z) * 180) / Math.PI;
}
