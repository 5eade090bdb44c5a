import { project, projectSegment, ray } from "../geometry/camera";
import type { ImagePoint, World } from "../geometry/points";
import type { MarkProps, MatchedProps } from "../marks/props";
import { Tag } from "../stage/Tag";
import { usePicked } from "../state/editor";
import { Foot, GroundGrid, WallGrid } from "./Grid";
import { Horizon } from "./Horizon";
import { putSpot, unitOf, useSpot } from "./spots";
import { VanishingPoints } from "./VanishingPoints";

type Props = MatchedProps;

const STAFF_M = 2;

/** What stands in the picture only to judge the perspective by. */
export function Checks(props: Props) {
  const { checks, step } = usePicked("checks", "step");
  const judged = step === "perspective" || step === "ground";
  if (step === "place") return <GroundGrid {...props} strong={false} />;
  if (!judged) return null;
  return (
    <>
      {checks.grid && <GroundGrid {...props} strong />}
      {step === "perspective" && <Horizon {...props} />}
      {step === "perspective" && checks.points && <VanishingPoints {...props} />}
      {checks.wall_a && <WallGrid {...props} run="a" />}
      {checks.wall_b && <WallGrid {...props} run="b" />}
      {checks.plumb && <PlumbLine {...props} />}
      {checks.box && <TestBox {...props} />}
      {checks.staff && <Staff {...props} />}
    </>
  );
}

const pathOf = (pixels: ImagePoint[] | null, frame: MarkProps["frame"]) =>
  pixels
    ?.map((p) => frame.toScreen(p))
    .map((p, i) => `${i ? "L" : "M"}${p[0].toFixed(1)} ${p[1].toFixed(1)}`)
    .join("") ?? "";

function Lines({ d, colour = "#fff", width = 1.8 }: { d: string; colour?: string; width?: number }) {
  return (
    <>
      <path d={d} fill="none" stroke="#22262b" strokeOpacity={0.6} strokeWidth={width + 2.2} />
      <path d={d} fill="none" stroke={colour} strokeWidth={width} />
    </>
  );
}

/** A plumb line through any point of the picture, also above the horizon; its grip is that point. */
function PlumbLine({ camera, frame, document }: Props) {
  const { spots } = usePicked("spots");
  const { width, height } = document.photograph ?? { width: 1, height: 1 };
  const pixel: ImagePoint = spots.plumb ?? [0.62 * width, 0.6 * height];
  // Any point along the pixel's ray will do: all plumb lines through the ray look the same.
  const [x, y, z] = camera.position.map(
    (p, i) => p + 5 * camera.position[2] * (ray(camera, pixel)[i] ?? 0),
  ) as [number, number, number];
  const tall = 60 * camera.position[2];
  const line = [
    projectSegment(camera, [x, y, z], [x, y, z + tall]),
    projectSegment(camera, [x, y, z], [x, y, z - tall]),
  ];
  return (
    <g data-testid="plumb-line">
      <g clipPath="url(#photograph)">
        <Lines d={line.map((part) => pathOf(part, frame)).join("")} width={1.5} />
      </g>
      <Foot
        frame={frame}
        at={pixel}
        label="Move the plumb line"
        text="plumb"
        onMove={(to) => putSpot("plumb", to)}
      />
    </g>
  );
}

/** A levelling staff of 2 m, decimetres marked, that can be stood anywhere. */
function Staff(props: Props) {
  const { camera, frame } = props;
  const spot = useSpot("staff", props, camera);
  if (!spot) return null;
  const { foot } = spot;
  const right = camera.rotation[0] ?? [1, 0, 0];
  const flat = Math.hypot(right[0] ?? 1, right[1] ?? 0) || 1;
  const [sx, sy] = [(right[0] ?? 1) / flat, (right[1] ?? 0) / flat];
  const at = (side: number, height: number): World => [
    foot[0] + side * sx,
    foot[1] + side * sy,
    foot[2] + height,
  ];
  const field = (low: number, high: number) => {
    const corners = [at(-0.03, low), at(0.03, low), at(0.03, high), at(-0.03, high)].map((p) =>
      project(camera, p),
    );
    if (corners.some((p) => p === null)) return "";
    return `${pathOf(corners as ImagePoint[], frame)}Z`;
  };
  const bands = Array.from({ length: 10 * STAFF_M }, (_, i) => i);
  const top = project(camera, at(0.05, STAFF_M));
  const head = top && frame.toScreen(top);
  return (
    <g data-testid="staff">
      <path d={field(0, STAFF_M)} fill="#fff" stroke="#22262b" strokeWidth={1} />
      {bands.map((i) => (
        <path key={i} d={i % 2 ? "" : field(i / 10, (i + 1) / 10)} fill={i < 10 ? "#a8412a" : "#22262b"} />
      ))}
      {head && <Tag x={head[0] + 4} y={head[1] + 8} text="2 m" />}
      <Foot
        frame={frame}
        at={spot.pixel}
        label="Move the staff"
        text={camera.metric ? "staff" : "no scale yet"}
        onMove={spot.put}
      />
    </g>
  );
}

/** A box of given size, to be dragged over the ground and held against things of known shape. */
function TestBox(props: Props) {
  const { camera, frame } = props;
  const { box } = usePicked("box");
  const spot = useSpot("box", props, camera);
  if (!spot) return null;
  const unit = camera.metric ? 1 : unitOf(camera);
  const [w, d, h] = box.map((side) => side * unit) as [number, number, number];
  const [x, y, z] = spot.foot;
  const at = (i: number, j: number, k: number): World => [x + (i - 0.5) * w, y + (j - 0.5) * d, z + k * h];
  const around = [
    [0, 0],
    [1, 0],
    [1, 1],
    [0, 1],
  ] as const;
  const edges = around.flatMap(([i, j], n): [World, World][] => {
    const [k, l] = around[(n + 1) % 4] ?? [0, 0];
    return [
      [at(i, j, 0), at(i, j, 1)],
      [at(i, j, 0), at(k, l, 0)],
      [at(i, j, 1), at(k, l, 1)],
    ];
  });
  const base = around.map(([i, j]) => project(camera, at(i, j, 0)));
  const floor = base.every((p) => p !== null) ? `${pathOf(base as ImagePoint[], frame)}Z` : "";
  return (
    <g data-testid="test-box">
      <g clipPath="url(#photograph)">
        <path d={floor} fill="#2b6e64" fillOpacity={0.25} />
        <Lines
          d={edges.map(([a, b]) => pathOf(projectSegment(camera, a, b), frame)).join("")}
          colour="#d7f3ec"
        />
      </g>
      <Foot
        frame={frame}
        at={spot.pixel}
        label="Move the test box"
        text={camera.metric ? `${box.join(" × ")} m` : "no scale yet"}
        onMove={spot.put}
      />
    </g>
  );
}
