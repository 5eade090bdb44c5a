import type { Placed } from "../../api/client";
import { levelHeight } from "../../checks/spots";
import { type Camera, heightOver, onPlane, project } from "../../geometry/camera";
import type { Frame } from "../../geometry/frame";
import type { ImagePoint, ScreenPoint, World } from "../../geometry/points";
import { standing } from "../../geometry/standing";
import { useModel } from "../../live/models";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { useEditor, usePicked } from "../../state/editor";
import type { MarkProps, MatchedProps } from "../props";

const CLICK_BACK_M = 0.012;

/** Each model's puck (slide), ring (turn) and stem (lift). */
export function ModelOverlay({ camera, ...props }: MarkProps) {
  if (!camera?.metric) return null;
  return props.document.models.map((placed) => (
    <Handles key={placed.id} {...props} camera={camera} placed={placed} />
  ));
}

function circle(camera: Camera, frame: Frame, centre: World, radius: number): ScreenPoint[] {
  const points: ScreenPoint[] = [];
  for (let i = 0; i <= 72; i++) {
    const angle = (i / 72) * 2 * Math.PI;
    const p = project(camera, [
      centre[0] + radius * Math.cos(angle),
      centre[1] + radius * Math.sin(angle),
      centre[2],
    ]);
    if (p) points.push(frame.toScreen(p));
  }
  return points;
}

const path = (points: ScreenPoint[]) =>
  points.map((p, i) => `${i ? "L" : "M"}${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join("");

function Handles({ shot, derived, frame, camera, placed }: MatchedProps & { placed: Placed }) {
  const { move, keep, change } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const model = useModel(placed.file);
  const [x, y, z] = placed.position_m;
  const size = model ? standing(placed, model).size : [0.6, 0.6, 0.6];
  const radius = 0.62 * Math.hypot(size[0] ?? 0.6, size[1] ?? 0.6);
  const foot: World = [x, y, z];
  const centre = project(camera, foot);
  const knobAt: World = [x, y, z + (size[2] ?? 0.6) * 1.12 + 0.12];
  const knob = project(camera, knobAt);
  if (!centre || !knob) return null;
  const chosen = selection?.kind === "model" && selection.id === placed.id;
  const set = (values: Partial<Placed>) => move({ models: { [placed.id]: values } });
  const remove = () => void change({ models: { [placed.id]: null } }, `take the ${placed.name} away`);
  const base = levelHeight(derived, placed.level);
  const slide = (to: ImagePoint) => {
    const p = onPlane(camera, to, z);
    if (p) set({ position_m: [p[0], p[1], z] });
  };
  const angleAt = (to: ImagePoint) => {
    const p = onPlane(camera, to, z);
    return p ? (Math.atan2(p[1] - y, p[0] - x) * 180) / Math.PI : null;
  };
  const lift = (to: ImagePoint) => {
    const height = heightOver(camera, [x, y, 0], to) - (knobAt[2] - z);
    const lifted = Math.max(height, base - 5);
    set({ position_m: [x, y, Math.abs(height - base) < CLICK_BACK_M ? base : lifted] });
  };
  const ringGrip: World = [
    x + radius * Math.cos((placed.turn_deg * Math.PI) / 180),
    y + radius * Math.sin((placed.turn_deg * Math.PI) / 180),
    z,
  ];
  const grip = project(camera, ringGrip);
  const ring = path(circle(camera, frame, foot, radius));
  const puck = path(circle(camera, frame, foot, Math.max(radius * 0.13, 0.05)));
  const [c, k] = [frame.toScreen(centre), frame.toScreen(knob)];
  const choose = () => {
    select({ kind: "model", id: placed.id });
    // A proof stands still while its model is moved: the live view goes along.
    const { view, show } = useEditor.getState();
    if (view === "proof" || view === "master") show("live");
  };
  return (
    <g opacity={chosen || selection === null ? 1 : 0.6}>
      <path d={ring} fill="none" stroke="#fff" strokeOpacity={0.6} strokeWidth={4.2} />
      <path d={ring} fill="none" stroke="var(--color-verdigris)" strokeWidth={2} />
      {grip && (
        <Handle
          frame={frame}
          at={grip}
          label={`Turn the ${placed.name}`}
          onGrab={choose}
          onMove={(to) => {
            const angle = angleAt(to);
            if (angle !== null) set({ turn_deg: Math.round(angle * 10) / 10 });
          }}
          onKeep={() => keep(`turn the ${placed.name}`)}
          onDelete={remove}
        >
          <path d={ring} fill="none" stroke="transparent" strokeWidth={14} pointerEvents="none" />
          <circle cx={frame.toScreen(grip)[0]} cy={frame.toScreen(grip)[1]} r={13} fill="transparent" />
          <circle
            cx={frame.toScreen(grip)[0]}
            cy={frame.toScreen(grip)[1]}
            r={5.5}
            fill="var(--color-verdigris)"
            stroke="#fff"
            strokeWidth={1.8}
          />
        </Handle>
      )}
      <line x1={c[0]} y1={c[1]} x2={k[0]} y2={k[1]} stroke="#fff" strokeOpacity={0.55} strokeWidth={3.6} />
      <line
        x1={c[0]}
        y1={c[1]}
        x2={k[0]}
        y2={k[1]}
        stroke="var(--color-verdigris)"
        strokeWidth={1.8}
        strokeDasharray="2 4"
      />
      <Handle
        frame={frame}
        at={centre}
        label={`Slide the ${placed.name}`}
        onGrab={choose}
        onMove={slide}
        onKeep={() => keep(`slide the ${placed.name}`)}
        onDelete={remove}
      >
        <circle cx={c[0]} cy={c[1]} r={15} fill="transparent" />
        <path d={puck} fill="var(--color-verdigris)" stroke="#fff" strokeWidth={1.8} />
      </Handle>
      <Handle
        frame={frame}
        at={knob}
        label={`Lift the ${placed.name}`}
        cursor="ns-resize"
        onGrab={choose}
        onMove={lift}
        onKeep={() => keep(`lift the ${placed.name}`)}
        onDelete={remove}
      >
        <circle cx={k[0]} cy={k[1]} r={13} fill="transparent" />
        <circle cx={k[0]} cy={k[1]} r={5.5} fill="#fff" stroke="var(--color-verdigris)" strokeWidth={2} />
      </Handle>
      {z !== base && (
        <Tag
          x={k[0] + 12}
          y={k[1] + 4}
          text={`${Math.round((z - base) * 1000)} mm off the ${placed.level ? "level" : "ground"}`}
        />
      )}
    </g>
  );
}
