import { useRef } from "react";
import type { SiteOut } from "../api/client";
import { useSize } from "../stage/size";

const MARGIN = 46;

/** The place from above, north up where a survey tells it: every camera with what it sees, and the ties. */
export function SitePlan({
  site,
  chosen,
  onChoose,
}: {
  site: SiteOut;
  chosen: string | null;
  onChoose: (tie: string) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const { width, height } = useSize(box);
  const cameras = site.answer.members.flatMap(({ id, camera }) => (camera ? [{ id, camera }] : []));
  const ties = site.answer.ties.flatMap(({ id, position_m }) => (position_m ? [{ id, at: position_m }] : []));
  const every = [...cameras.map(({ camera }) => camera.camera_position), ...ties.map(({ at }) => at)];
  const north = site.answer.survey_heading_deg;
  const heading = ((north ?? 0) * Math.PI) / 180;
  const turned = (x: number, y: number): [number, number] => [
    x * Math.cos(heading) - y * Math.sin(heading),
    x * Math.sin(heading) + y * Math.cos(heading),
  ];
  const lying = every.map(([x, y]) => turned(x ?? 0, y ?? 0));
  const xs = lying.map(([x]) => x);
  const ys = lying.map(([, y]) => y);
  const [left, right] = [Math.min(...xs), Math.max(...xs)];
  const [low, high] = [Math.min(...ys), Math.max(...ys)];
  const scale = Math.min(
    (width - 2 * MARGIN) / Math.max(right - left, 1),
    (height - 2 * MARGIN) / Math.max(high - low, 1),
  );
  const to = (x: number, y: number): [number, number] => {
    const [across, up] = turned(x, y);
    return [width / 2 + (across - (left + right) / 2) * scale, height / 2 - (up - (low + high) / 2) * scale];
  };
  const bar = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100].filter((metres) => metres * scale < 90).at(-1) ?? 0.1;
  return (
    <div ref={box} className="relative min-h-0 grow overflow-hidden bg-lime-50">
      {cameras.length === 0 ? (
        <p className="absolute inset-0 grid place-items-center px-8 text-center text-xs text-ink-500">
          The plan shows every camera as soon as the photographs are tied.
        </p>
      ) : (
        <svg width={width} height={height} className="block" role="group" aria-label="Plan of the site">
          {cameras.map(({ id, camera }) => (
            <Cone key={id} camera={camera} to={to} reach={Math.hypot(right - left, high - low) + 2} />
          ))}
          {ties.map(({ id, at }) => {
            const [x, y] = to(at[0] ?? 0, at[1] ?? 0);
            const on = chosen === id;
            return (
              <circle
                key={id}
                cx={x}
                cy={y}
                r={on ? 5 : 3}
                fill={on ? "var(--color-sun)" : "#22262b"}
                stroke="#fff"
                className="cursor-pointer"
                onPointerDown={() => onChoose(id)}
              />
            );
          })}
          {cameras.map(({ id, camera }) => {
            const [x, y] = to(camera.camera_position[0], camera.camera_position[1]);
            const number = site.document.members.findIndex((member) => member.id === id) + 1;
            return (
              <g key={id}>
                <title>{site.shots.find((shot) => shot.id === id)?.name}</title>
                <circle cx={x} cy={y} r={9} fill="var(--color-verdigris)" stroke="#fff" strokeWidth={1.5} />
                <text x={x} y={y + 4} textAnchor="middle" fontSize={11.5} fontWeight={600} fill="#fff">
                  {number}
                </text>
              </g>
            );
          })}
          {north !== null && (
            <g transform={`translate(${width - 22} 20)`}>
              <title>North, by the survey</title>
              <path d="M0 24V0M-4 6L0 0L4 6" fill="none" stroke="#22262b" strokeWidth={1.5} />
              <text y={37} textAnchor="middle" fontSize={11} fill="#22262b">
                N
              </text>
            </g>
          )}
          <path d={`M12 ${height - 12}h${bar * scale}`} stroke="#5f656c" strokeWidth={1.5} />
          <text x={12} y={height - 18} fontSize={10.5} fill="#5f656c">
            {bar} m
          </text>
        </svg>
      )}
    </div>
  );
}

type Camera = NonNullable<SiteOut["answer"]["members"][number]["camera"]>;
type ConeProps = { camera: Camera; to: (x: number, y: number) => [number, number]; reach: number };

function Cone({ camera, to, reach }: ConeProps) {
  const [x, y] = camera.camera_position;
  const centre = camera.principal_point?.[0] ?? camera.image.width / 2;
  const sides = [0, camera.image.width].map((pixel) => {
    const across = (pixel - centre) / camera.focal_px;
    const [right, , ahead] = camera.rotation;
    const way = [0, 1].map((axis) => across * (right?.[axis] ?? 0) + (ahead?.[axis] ?? 0));
    const length = Math.hypot(way[0] ?? 0, way[1] ?? 0) || 1;
    return to(x + ((way[0] ?? 0) / length) * reach, y + ((way[1] ?? 0) / length) * reach);
  });
  return (
    <path
      d={`M${sides[0]}L${to(x, y)}L${sides[1]}`}
      fill="var(--color-verdigris)"
      fillOpacity={0.07}
      stroke="var(--color-verdigris)"
      strokeOpacity={0.45}
    />
  );
}
