import { useRef, useState } from "react";
import type { Placed, ShotOut } from "../api/client";
import { cameraOf, onPlane } from "../geometry/camera";
import { useModel } from "../live/models";
import { shown, useDraft } from "../state/draft";
import { useEditor, usePicked } from "../state/editor";

/** The place from above, true to scale: camera, cone, models, sun; models and sun can be dragged. */
export function Plan({ shot }: { shot: ShotOut }) {
  const [large, setLarge] = useState(false);
  const [folded, setFolded] = useState(false);
  const { draft, draftDerived, bare } = usePicked("draft", "draftDerived", "bare");
  const document = shown(shot, draft);
  const derived = draftDerived ?? shot.derived;
  if (bare) return null;
  const camera = derived.camera && cameraOf(derived.camera);
  const [width, height] = large ? [430, 360] : [216, 170];
  return (
    <section
      aria-label="Plan"
      className="absolute right-4 bottom-4 overflow-hidden rounded-xl bg-lime-50/97 shadow-[0_4px_18px_rgb(0_0_0/.28)]"
      style={{ width: folded ? 120 : width, paddingBottom: folded ? 6 : 0 }}
    >
      <header className="flex items-center justify-between px-3 pt-1.5 text-xs">
        <b className="font-medium">Plan</b>
        <span className="flex gap-1 text-ink-500">
          {!folded && (
            <button
              type="button"
              className="rounded px-1 hover:text-ink-900"
              onClick={() => setLarge(!large)}
            >
              {large ? "smaller" : "larger"}
            </button>
          )}
          <button
            type="button"
            className="rounded px-1 hover:text-ink-900"
            onClick={() => setFolded(!folded)}
          >
            {folded ? "unfold" : "fold"}
          </button>
        </span>
      </header>
      {folded ? null : camera?.metric ? (
        <MapView shot={shot} document={document} derived={derived} width={width} height={height} />
      ) : (
        <p className="px-3 py-6 text-center text-xs text-ink-500">
          The place from above appears here with the perspective and a yardstick.
        </p>
      )}
    </section>
  );
}

type MapProps = {
  shot: ShotOut;
  document: ShotOut["document"];
  derived: ShotOut["derived"];
  width: number;
  height: number;
};

function MapView({ shot, document, derived, width, height }: MapProps) {
  const { move, keep } = useDraft(shot.id);
  const svg = useRef<SVGSVGElement>(null);
  if (!derived.camera) return null;
  const camera = cameraOf(derived.camera);
  const [cx, cy] = camera.position;
  const target = document.models[0]?.position_m ??
    (onPlane(camera, [camera.cx, camera.cy * 1.5], 0) as [number, number, number] | null) ?? [cx, cy + 5, 0];
  // The view's far edge lies a little behind the first model; the camera is always on the map.
  const away = Math.max(Math.hypot(target[0] - cx, target[1] - cy), 1);
  const reach = away * 1.75;
  const heading = Math.atan2(target[1] - cy, target[0] - cx);
  const scale = (height - 26) / reach;
  const turn = Math.PI / 2 - heading;
  const [cos, sin] = [Math.cos(turn), Math.sin(turn)];
  const base = [width / 2, height - 16] as const;
  const to = (x: number, y: number): [number, number] => {
    const [dx, dy] = [x - cx, y - cy];
    return [base[0] + (cos * dx - sin * dy) * scale, base[1] - (sin * dx + cos * dy) * scale];
  };
  const from = (px: number, py: number): [number, number] => {
    const [u, v] = [(px - base[0]) / scale, (base[1] - py) / scale];
    return [cx + cos * u + sin * v, cy - sin * u + cos * v];
  };
  const step = reach > 16 ? 2 : 1;
  const grid: React.ReactNode[] = [];
  const span = Math.ceil(reach / step) + 2;
  const [gx, gy] = [Math.round(target[0] / step) * step, Math.round(target[1] / step) * step];
  for (let i = -span; i <= span; i++) {
    for (const [a, b] of [
      [to(gx + i * step, gy - span * step), to(gx + i * step, gy + span * step)],
      [to(gx - span * step, gy + i * step), to(gx + span * step, gy + i * step)],
    ] as const)
      grid.push(<line key={`${grid.length}`} x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} />);
  }
  const half = Math.atan(derived.camera.image.width / 2 / camera.focal);
  const forward = camera.rotation[2] ?? [0, 1, 0];
  const view = Math.atan2(forward[1] ?? 1, forward[0] ?? 0);
  const ray = (angle: number) => to(cx + Math.cos(angle) * reach * 1.4, cy + Math.sin(angle) * reach * 1.4);
  const [left, right] = [ray(view + half), ray(view - half)];
  const sun = derived.sun_shown;
  const middle = to(target[0], target[1]);
  const azimuth = sun ? Math.atan2(sun[1], sun[0]) : 0;
  const arm = 0.36 * reach;
  const sunAt = to(target[0] + Math.cos(azimuth) * arm, target[1] + Math.sin(azimuth) * arm);
  const shadowAt = to(target[0] - Math.cos(azimuth) * arm * 0.8, target[1] - Math.sin(azimuth) * arm * 0.8);
  const where = (event: React.PointerEvent) => {
    const edge = svg.current?.getBoundingClientRect();
    return from(event.clientX - (edge?.left ?? 0), event.clientY - (edge?.top ?? 0));
  };
  const dragging = (onMove: (x: number, y: number) => void, label: string) => ({
    onPointerDown: (event: React.PointerEvent<SVGElement>) =>
      event.currentTarget.setPointerCapture(event.pointerId),
    onPointerMove: (event: React.PointerEvent<SVGElement>) => {
      if (event.currentTarget.hasPointerCapture(event.pointerId)) onMove(...where(event));
    },
    onPointerUp: () => useEditor.getState().draft && keep(label),
  });
  const pullSun = (x: number, y: number) => {
    const elevation = sun ? (Math.asin(sun[2]) * 180) / Math.PI : 40;
    const azimuth_deg = (Math.atan2(y - target[1], x - target[0]) * 180) / Math.PI;
    move({ sun: { ...document.sun, kind: "hand", azimuth_deg, elevation_deg: Math.max(elevation, 1) } });
  };
  return (
    <svg
      ref={svg}
      width={width}
      height={height}
      className="block touch-none"
      role="group"
      aria-label="Plan of the place"
    >
      <g stroke="var(--color-lime-300)" strokeWidth={1}>
        {grid}
      </g>
      <path d={`M${base[0]} ${base[1]}L${left}L${right}Z`} fill="#434950" fillOpacity={0.08} />
      <path d={`M${left}L${base[0]} ${base[1]}L${right}`} fill="none" stroke="#5f656c" strokeWidth={1} />
      {sun && (
        <>
          <line
            x1={middle[0]}
            y1={middle[1]}
            x2={shadowAt[0]}
            y2={shadowAt[1]}
            stroke="#22262b"
            strokeOpacity={0.28}
            strokeWidth={5}
            strokeLinecap="round"
          />
          <line
            x1={middle[0]}
            y1={middle[1]}
            x2={sunAt[0]}
            y2={sunAt[1]}
            stroke="var(--color-sun)"
            strokeWidth={2}
          />
        </>
      )}
      {document.models.map((placed) => (
        <Footprint
          key={placed.id}
          placed={placed}
          to={to}
          turn={turn}
          scale={scale}
          drag={dragging(
            (x, y) =>
              move({
                models: document.models.map((other) =>
                  other.id === placed.id ? { ...other, position_m: [x, y, other.position_m[2]] } : other,
                ),
              }),
            `slide the ${placed.name}`,
          )}
        />
      ))}
      {sun && (
        <g {...dragging(pullSun, "turn the sun")} className="cursor-grab">
          <circle cx={sunAt[0]} cy={sunAt[1]} r={13} fill="transparent" />
          <circle cx={sunAt[0]} cy={sunAt[1]} r={6} fill="var(--color-sun)" stroke="#fff" strokeWidth={1.5} />
        </g>
      )}
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

type FootprintProps = {
  placed: Placed;
  to: (x: number, y: number) => [number, number];
  turn: number;
  scale: number;
  drag: React.SVGProps<SVGRectElement>;
};

function Footprint({ placed, to, turn, scale, drag }: FootprintProps) {
  const model = useModel(placed.file);
  const [w, d] = model ? [model.size[0] * placed.size, model.size[1] * placed.size] : [0.5, 0.5];
  const [x, y] = to(placed.position_m[0], placed.position_m[1]);
  const angle = -((placed.turn_deg * Math.PI) / 180 + turn) * (180 / Math.PI);
  const [pw, pd] = [Math.max(w * scale, 6), Math.max(d * scale, 6)];
  return (
    <rect
      {...drag}
      x={-pw / 2}
      y={-pd / 2}
      width={pw}
      height={pd}
      rx={1.5}
      transform={`translate(${x} ${y}) rotate(${angle})`}
      fill="var(--color-verdigris-soft)"
      stroke="var(--color-verdigris)"
      strokeWidth={1.6}
      className="cursor-grab"
    />
  );
}
