import { useRef } from "react";
import { feature } from "topojson-client";
import type { GeometryCollection, Topology } from "topojson-specification";
import land from "world-atlas/land-110m.json";

type Place = { latitude_deg: number; longitude_deg: number };
type Props = Place & { onMove: (place: Place) => void; onKeep: () => void };

const WIDTH = 288;
const HEIGHT = WIDTH / 2;
const STEP_DEG = 1;
const KEYS: Record<string, [number, number]> = {
  ArrowLeft: [0, -STEP_DEG],
  ArrowRight: [0, STEP_DEG],
  ArrowUp: [STEP_DEG, 0],
  ArrowDown: [-STEP_DEG, 0],
};

const toMap = (longitude: number, latitude: number) =>
  [((longitude + 180) / 360) * WIDTH, ((90 - latitude) / 180) * HEIGHT] as const;

/** The coasts as one path; longitudes and latitudes go straight to x and y. */
const COASTS = (() => {
  const topology = land as unknown as Topology<{ land: GeometryCollection }>;
  const rings = feature(topology, topology.objects.land).features.flatMap(({ geometry }) =>
    geometry.type === "MultiPolygon"
      ? geometry.coordinates.flat()
      : geometry.type === "Polygon"
        ? geometry.coordinates
        : [],
  );
  const point = ([longitude = 0, latitude = 0]: number[]) =>
    toMap(longitude, latitude)
      .map((v) => v.toFixed(1))
      .join(" ");
  return rings.map((ring) => `M${ring.map(point).join("L")}Z`).join("");
})();

const within = (value: number, most: number) => Math.min(Math.max(value, -most), most);

/** A small map of the world: the place is pulled to where the photograph was taken. */
export default function WorldMap({ latitude_deg, longitude_deg, onMove, onKeep }: Props) {
  const svg = useRef<SVGSVGElement>(null);
  const [x, y] = toMap(longitude_deg, latitude_deg);
  const to = (event: React.PointerEvent) => {
    const box = svg.current?.getBoundingClientRect();
    if (!box) return;
    const across = (event.clientX - box.left) / box.width;
    const down = (event.clientY - box.top) / box.height;
    onMove({
      latitude_deg: Math.round(within(90 - 180 * down, 90) * 10) / 10,
      longitude_deg: Math.round(within(360 * across - 180, 180) * 10) / 10,
    });
  };
  const nudge = (event: React.KeyboardEvent) => {
    const by = KEYS[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    onMove({
      latitude_deg: within(latitude_deg + by[0], 90),
      longitude_deg: within(longitude_deg + by[1], 180),
    });
    onKeep();
  };
  return (
    <svg
      ref={svg}
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="my-1 w-full cursor-crosshair touch-none rounded-md border border-lime-300 bg-lime-100"
      role="application"
      aria-label="Map of the world: where the photograph was taken"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: its arrow keys move the place
      tabIndex={0}
      onKeyDown={nudge}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        to(event);
      }}
      onPointerMove={(event) => event.buttons === 1 && to(event)}
      onPointerUp={onKeep}
    >
      <path d={COASTS} fill="var(--color-lime-300)" />
      <path d={`M0 ${y}H${WIDTH}M${x} 0V${HEIGHT}`} stroke="var(--color-verdigris)" strokeOpacity={0.5} />
      <circle cx={x} cy={y} r={4.5} fill="var(--color-verdigris)" stroke="#fff" strokeWidth={1.5} />
    </svg>
  );
}
