import type { Placed } from "../../api/client";
import { levelHeight } from "../../checks/spots";
import { type Camera, heightOver, onPlane, project, projectSegment } from "../../geometry/camera";
import { footprintOf, othersOf, snappedPlace, snappedTurn } from "../../geometry/footprint";
import type { Frame } from "../../geometry/frame";
import type { ImagePoint, ScreenPoint, World } from "../../geometry/points";
import { footOf, rootOf, sizeOf, withinCarrier } from "../../geometry/standing";
import { modelOf, useModel } from "../../live/models";
import { RoundGrip } from "../../stage/Grips";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { isChosen, useEditor, usePicked } from "../../state/editor";
import { without } from "../../state/things";
import type { MarkProps, MatchedProps } from "../props";
import { Distances } from "./Distances";
import { LeanRing } from "./LeanRing";
import { RowEnd } from "./RowEnd";

const CLICK_BACK_M = 0.012;
const SNAP_PX = 9;
const SNAP_DEG = 2.5;

/** Each model's puck (slide), ring (turn) and stem (lift); the chosen one's distances, lean and row. */
export function ModelOverlay({ camera, ...props }: MarkProps) {
  const inHand = useEditor((state) => state.tool !== null);
  // With a tool in the hand a click is meant for the thing, not for its handles.
  if (!camera?.metric || inHand) return null;
  return props.document.models
    .filter((placed) => !placed.hidden)
    .map((placed) => <Handles key={placed.id} {...props} camera={camera} placed={placed} />);
}

/** A level circle about a point, as a path on the screen. */
function circle(camera: Camera, frame: Frame, centre: World, radius: number): string {
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
  return path(points);
}

const path = (points: readonly ScreenPoint[]) =>
  points.map((p, i) => `${i ? "L" : "M"}${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join("");

/** How many metres a pixel of the screen is at a place. */
export function metresAPixel(camera: Camera, frame: Frame, at: World): number {
  const ends = projectSegment(camera, at, [at[0], at[1], at[2] + 0.1])?.map((p) => frame.toScreen(p));
  const [a, b] = [ends?.at(0), ends?.at(-1)];
  return a && b ? 0.1 / Math.max(Math.hypot(a[0] - b[0], a[1] - b[1]), 1e-3) : 0.01;
}

function Handles({ shot, document, derived, frame, camera, placed }: MatchedProps & { placed: Placed }) {
  const { move, keep, change } = useChange(shot.id);
  const { selection, select, leaning, snap } = usePicked("selection", "select", "leaning", "snap");
  const model = useModel(placed.file);
  const things = document.models;
  const { foot, turn_deg } = footOf(placed, things);
  const [x, y, z] = foot;
  const size = model ? sizeOf(placed, model) : ([0.6, 0.6, 0.6] as const);
  const radius = 0.62 * Math.hypot(size[0], size[1]);
  const centre = project(camera, foot);
  const knobAt: World = [x, y, z + size[2] * 1.12 + 0.12];
  const knob = project(camera, knobAt);
  if (!centre || !knob) return null;
  // As in the ledger: the only thing is chosen while nothing else is.
  const chosen = selection ? isChosen(selection, placed.id) : things.length === 1;
  // While a surface or a print is in hand, its own handles alone lie on the thing.
  const inDetail = chosen && selection !== null && selection.kind !== "model";
  const set = (values: Partial<Placed>) => move({ models: { [placed.id]: values } });
  const remove = () => void change(without(document, placed.id), `take the ${placed.name} away`);
  const base = placed.on ? null : levelHeight(derived, rootOf(placed, things).level);
  const others = () =>
    snap.things
      ? othersOf(
          placed,
          things.map((one) => ({ placed: one, read: modelOf(one.file) })),
        )
      : [];
  const put = (at: World) => {
    const [u, v] = withinCarrier(placed, things, at);
    set({ position_m: [u, v, placed.position_m[2]] });
  };
  const slide = (to: ImagePoint, free: boolean) => {
    const p = onPlane(camera, to, z);
    if (!p) return;
    if (free) return put(p);
    const mine = { ...footprintOf(placed, model, things), at: [p[0], p[1]] as const };
    const near = SNAP_PX * metresAPixel(camera, frame, foot);
    const [sx, sy] = snappedPlace(mine, others(), near, snap.grid_m);
    put([sx, sy, z]);
  };
  const turn = (to: ImagePoint, free: boolean) => {
    const p = onPlane(camera, to, z);
    if (!p) return;
    const angle = (Math.atan2(p[1] - y, p[0] - x) * 180) / Math.PI;
    const world = free || !snap.things ? angle : snappedTurn(angle, others(), SNAP_DEG);
    set({ turn_deg: Math.round((world - turn_deg + placed.turn_deg) * 10) / 10 });
  };
  const lift = (to: ImagePoint) => {
    const height = heightOver(camera, [x, y, 0], to) - (knobAt[2] - z);
    const [u, v, w] = placed.position_m;
    const ground = base ?? z - w;
    const lifted = Math.max(height, ground - 5);
    const at = base !== null && Math.abs(height - base) < CLICK_BACK_M ? base : lifted;
    set({ position_m: [u, v, w + at - z] });
  };
  const angle = (turn_deg * Math.PI) / 180;
  const grip = project(camera, [x + radius * Math.cos(angle), y + radius * Math.sin(angle), z]);
  const ring = circle(camera, frame, foot, radius);
  const puck = circle(camera, frame, foot, Math.max(radius * 0.13, 0.05));
  const [c, k] = [frame.toScreen(centre), frame.toScreen(knob)];
  const choose = () => select({ kind: "model", id: placed.id });
  if (inDetail) return null;
  if (placed.locked)
    return (
      <g
        role="button"
        tabIndex={0}
        aria-label={`${placed.name}, locked`}
        className="outline-none"
        onPointerDown={choose}
      >
        <path d={puck} fill="#5f656c" stroke="#fff" strokeWidth={1.8} style={{ pointerEvents: "all" }} />
      </g>
    );
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
          onMove={turn}
          onKeep={() => keep(`turn the ${placed.name}`)}
          onDelete={remove}
        >
          <path d={ring} fill="none" stroke="transparent" strokeWidth={14} pointerEvents="none" />
          <RoundGrip at={frame.toScreen(grip)} filled />
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
        <RoundGrip at={k} />
      </Handle>
      {base !== null && Math.abs(z - base) > 5e-5 && (
        <Tag
          x={k[0] + 12}
          y={k[1] + 4}
          text={`${Math.round((z - base) * 1000)} mm off the ${placed.level ? "level" : "ground"}`}
        />
      )}
      {chosen && (
        <>
          <Distances
            shot={shot}
            document={document}
            derived={derived}
            frame={frame}
            camera={camera}
            placed={placed}
          />
          {leaning && model && (
            <LeanRing
              shot={shot}
              frame={frame}
              camera={camera}
              placed={placed}
              things={things}
              model={model}
            />
          )}
          {placed.row && <RowEnd shot={shot} frame={frame} camera={camera} placed={placed} things={things} />}
        </>
      )}
    </g>
  );
}
