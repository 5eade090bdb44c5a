import { useMemo, useRef, useState } from "react";
import type { ShotOut } from "../api/client";
import { type Camera, cameraOf } from "../geometry/camera";
import type { PlanFrame, StepProps } from "../marks/props";
import { KINDS } from "../marks/registry";
import { endDraft, shownShot, useChange, useChanges } from "../state/changes";
import { type Step, usePicked } from "../state/editor";
import { useOnShow } from "../take/state";

const SMALL = [216, 170] as const;
const LARGE = [430, 360] as const;
const MARGIN = 16;
/** Steps in which the whole picture is judged, to its corners. */
const JUDGED: readonly Step[] = ["photo", "blend", "deliver"];

/** The place from above, true to scale: camera, cone, and what each kind of mark draws there. */
export function Plan({ shot }: { shot: ShotOut }) {
  const [large, setLarge] = useState(false);
  const [folded, setFolded] = useState(false);
  const { bare, tool, step } = usePicked("bare", "tool", "step");
  const { document, derived } = shownShot(
    shot,
    useChanges(),
    useOnShow((state) => state.frame),
  );
  const camera = useMemo(() => derived.camera && cameraOf(derived.camera), [derived.camera]);
  if (bare || JUDGED.includes(step)) return null;
  const drawn = camera?.metric ? camera : null;
  // Nothing to show lies over nothing: a tab, not a card.
  const open = drawn !== null && !folded;
  const [width, height] = large ? LARGE : SMALL;
  return (
    <section
      aria-label="Plan"
      // What is drawn on the photograph goes on under it.
      className={`absolute right-4 bottom-4 overflow-hidden rounded-xl bg-lime-50/97 shadow-[0_4px_18px_rgb(0_0_0/.28)] ${tool ? "pointer-events-none opacity-20" : ""}`}
      style={open ? { width } : undefined}
    >
      <header className="flex items-center justify-between gap-3 px-3 py-1 text-xs">
        <b className="font-medium">Plan</b>
        {drawn ? (
          <span className="flex gap-1 text-ink-500">
            {open && <PlanButton onClick={() => setLarge(!large)}>{large ? "smaller" : "larger"}</PlanButton>}
            <PlanButton onClick={() => setFolded(!folded)}>{folded ? "unfold" : "fold"}</PlanButton>
          </span>
        ) : (
          <span className="text-ink-500">after a yardstick</span>
        )}
      </header>
      {open && (
        <MapView
          shot={shot}
          document={document}
          derived={derived}
          camera={drawn}
          width={width}
          height={height}
        />
      )}
    </section>
  );
}

function PlanButton({ children, onClick }: { children: string; onClick: () => void }) {
  return (
    <button type="button" className="rounded px-1 hover:text-ink-900" onClick={onClick}>
      {children}
    </button>
  );
}

type MapProps = StepProps & { camera: Camera; width: number; height: number };

const RUNG = 1.5;

/**
 * How far the plan reaches [m]: to the farthest thing that stands, in rungs, so that sliding a thing moves it over
 * the plan and not the plan under it.
 */
function reachOf(shot: ShotOut, camera: Camera): number {
  const [cx, cy, cz] = camera.position;
  const away = shot.document.models.map((one) => Math.hypot(one.position_m[0] - cx, one.position_m[1] - cy));
  const wanted = 1.15 * Math.max(3 * cz, ...away.filter((far) => far < 60 * cz));
  return RUNG ** Math.ceil(Math.log(wanted) / Math.log(RUNG));
}

function MapView({ camera, width, height, ...shown }: MapProps) {
  const { shot, derived } = shown;
  const { keep } = useChange(shot.id);
  const svg = useRef<SVGSVGElement>(null);
  const held = useRef(false);
  const [cx, cy] = camera.position;
  const reach = reachOf(shot, camera);
  const forward = camera.rotation[2] ?? [0, 1, 0];
  const view = Math.atan2(forward[1] ?? 1, forward[0] ?? 0);
  const scale = (height - 26) / reach;
  const turn = Math.PI / 2 - view;
  const [cos, sin] = [Math.cos(turn), Math.sin(turn)];
  const base = [width / 2, height - MARGIN] as const;
  const to = (x: number, y: number): [number, number] => {
    const [dx, dy] = [x - cx, y - cy];
    return [base[0] + (cos * dx - sin * dy) * scale, base[1] - (sin * dx + cos * dy) * scale];
  };
  const from = (px: number, py: number): [number, number] => {
    const [u, v] = [(px - base[0]) / scale, (base[1] - py) / scale];
    return [cx + cos * u + sin * v, cy - sin * u + cos * v];
  };
  const dragging: PlanFrame["dragging"] = (onMove, label) => ({
    onPointerDown: (event) => {
      held.current = true;
      event.currentTarget.setPointerCapture(event.pointerId);
    },
    onPointerMove: (event) => {
      const edge = svg.current?.getBoundingClientRect();
      if (held.current && event.currentTarget.hasPointerCapture(event.pointerId))
        onMove(...from(event.clientX - (edge?.left ?? 0), event.clientY - (edge?.top ?? 0)));
    },
    onPointerUp: () => {
      held.current = false;
      keep(label);
    },
    onPointerCancel: () => {
      held.current = false;
      endDraft();
    },
  });
  const plan: PlanFrame = { to, from, scale, turn, dragging };
  const half = Math.atan((derived.camera?.image.width ?? 1) / 2 / camera.focal);
  const ray = (angle: number) => to(cx + Math.cos(angle) * reach * 1.6, cy + Math.sin(angle) * reach * 1.6);
  const [left, right] = [ray(view + half), ray(view - half)];
  const step = reach > 40 ? 5 : reach > 16 ? 2 : reach > 3 ? 1 : 0.2;
  return (
    <svg
      ref={svg}
      width={width}
      height={height}
      className="block touch-none"
      role="group"
      aria-label="Plan of the place"
    >
      <PlanGrid to={to} middle={from(width / 2, height / 2)} span={reach} step={step} />
      <path d={`M${base}L${left}L${right}Z`} fill="#434950" fillOpacity={0.08} />
      <path d={`M${left}L${base}L${right}`} fill="none" stroke="#5f656c" strokeWidth={1} />
      {KINDS.map(({ name, Glyph }) => Glyph && <Glyph key={name} {...shown} camera={camera} plan={plan} />)}
      <path
        d={`M${base[0] - 5} ${base[1] + 5}L${base[0]} ${base[1] - 5}L${base[0] + 5} ${base[1] + 5}Z`}
        fill="#22262b"
      />
      <text x={10} y={height - 8} fontSize={10.5} fill="#5f656c">
        {step} m a square
      </text>
    </svg>
  );
}

type GridProps = { to: PlanFrame["to"]; middle: [number, number]; span: number; step: number };

function PlanGrid({ to, middle, span, step }: GridProps) {
  const count = Math.ceil(span / step) + 1;
  const [gx, gy] = [Math.round(middle[0] / step) * step, Math.round(middle[1] / step) * step];
  const lines: string[] = [];
  for (let i = -count; i <= count; i++) {
    const [x, y, far] = [gx + i * step, gy + i * step, count * step];
    lines.push(`M${to(x, gy - far)}L${to(x, gy + far)}M${to(gx - far, y)}L${to(gx + far, y)}`);
  }
  return <path d={lines.join("")} stroke="var(--color-lime-300)" strokeWidth={1} fill="none" />;
}
