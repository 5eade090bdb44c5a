import { useEffect, useRef, useState } from "react";
import { fileUrl, type SiteOut, type Way } from "../api/client";
import { type Frame, fitted, frameOf, type Zoom, zoomedAbout } from "../geometry/frame";
import { type ImagePoint, image, type ScreenPoint } from "../geometry/points";
import { Handle } from "../stage/Handle";
import { Loupe } from "../stage/Loupe";
import { Placed } from "../stage/Placed";
import { useSize } from "../stage/size";
import { useEditor } from "../state/editor";
import { calledTie, type SiteActions, seenPatch } from "./hooks";

type Props = {
  site: SiteOut;
  shotId: string;
  label: string;
  chosen: string | null;
  onChoose: (tie: string) => void;
  /** Null: a click marks nothing just now. */
  onMark: ((at: ImagePoint) => void) | null;
  way: Way | undefined;
  actions: SiteActions;
};

const NOTHING: readonly never[] = [];
/** Of a tie's name: the width of a letter, the height of a line. */
const [LETTER_PX, LINE_PX] = [6.5, 14];

/** One of a site's photographs: its ties are clicked, dragged, and seen beside where they are predicted. */
export function SitePicture({ site, shotId, label, chosen, onChoose, onMark, way, actions }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const stage = useSize(box);
  const shot = site.shots.find(({ id }) => id === shotId);
  const [zoom, setZoom] = useState<Zoom | null>(null);
  const [over, setOver] = useState(false);
  const [moved, setMoved] = useState<{ tie: string; at: ImagePoint } | null>(null);
  const held = useRef<{ x: number; y: number; zoom: Zoom } | null>(null);
  const size = { width: shot?.width || 1, height: shot?.height || 1 };
  const now = zoom ?? fitted(size.width, size.height, stage);
  const frame = frameOf(now, stage);
  const live = useRef(now);
  live.current = now;
  useEffect(() => {
    const node = box.current;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      setZoom(zoomedAbout(live.current, within(node, event), Math.exp(-event.deltaY * 0.0015)));
    };
    node?.addEventListener("wheel", onWheel, { passive: false });
    return () => node?.removeEventListener("wheel", onWheel);
  }, []);
  if (!shot?.photograph) return null;
  const source = fileUrl(shot.photograph);
  const named = legible(site, shotId, chosen, frame, stage.width);
  return (
    <div
      ref={box}
      data-testid={`picture-${label}`}
      className={`relative min-h-0 grow touch-none overflow-hidden bg-surround ${onMark ? "cursor-crosshair" : ""}`}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        held.current = { x: event.clientX, y: event.clientY, zoom: now };
        event.currentTarget.setPointerCapture(event.pointerId);
      }}
      onPointerMove={(event) => {
        const at = frame.toImage(within(box.current, event));
        if (onMark && !held.current) useEditor.setState({ loupe: at });
        const from = held.current;
        if (!from || Math.hypot(event.clientX - from.x, event.clientY - from.y) < 4) return;
        useEditor.setState({ loupe: null });
        setZoom({
          ...from.zoom,
          x: from.zoom.x + event.clientX - from.x,
          y: from.zoom.y + event.clientY - from.y,
        });
      }}
      onPointerUp={(event) => {
        const from = held.current;
        held.current = null;
        if (!from || Math.hypot(event.clientX - from.x, event.clientY - from.y) >= 4) return;
        const at = frame.toImage(within(box.current, event));
        if (isInside(at, size)) onMark?.(at);
      }}
      onPointerEnter={() => setOver(true)}
      onPointerLeave={() => {
        setOver(false);
        useEditor.setState({ loupe: null });
      }}
      onPointerCancel={() => {
        held.current = null;
      }}
    >
      <Placed src={source} alt={shot.name} picture={size} zoom={now} />
      <svg
        width={stage.width}
        height={stage.height}
        className="absolute inset-0"
        role="group"
        aria-label={label}
      >
        <WayLine way={way} frame={frame} />
        <Feet site={site} shotId={shotId} frame={frame} />
        {site.document.ties.map((tie, number) => {
          const seen = moved?.tie === tie.id ? moved.at : tie.seen[shotId];
          const told = site.answer.ties.find(({ id }) => id === tie.id);
          const predicted = told?.predicted[shotId];
          return (
            <g key={tie.id}>
              {predicted && isInside(predicted, size) && (
                <Predicted at={frame.toScreen(image(predicted[0], predicted[1]))} />
              )}
              {seen && (
                <Handle
                  frame={frame}
                  at={image(seen[0], seen[1])}
                  label={`${calledTie(site, tie.id)} in the ${label} picture`}
                  loupe
                  onGrab={() => onChoose(tie.id)}
                  onMove={(at) => setMoved({ tie: tie.id, at })}
                  onKeep={() => {
                    if (!moved) return;
                    void actions
                      .change(seenPatch(tie.id, shotId, moved.at), `move ${calledTie(site, tie.id)}`)
                      .then(() => setMoved(null));
                  }}
                  onDelete={() =>
                    void actions.change(seenPatch(tie.id, shotId, null), `unmark ${calledTie(site, tie.id)}`)
                  }
                >
                  <Marked
                    at={frame.toScreen(image(seen[0], seen[1]))}
                    says={named.has(tie.id) ? tie.name || `${number + 1}` : ""}
                    before={named.get(tie.id) === "before"}
                    chosen={chosen === tie.id}
                    aside={told?.aside ?? false}
                  />
                </Handle>
              )}
            </g>
          );
        })}
      </svg>
      {over && <Loupe src={source} frame={frame} refined={NOTHING} />}
    </div>
  );
}

type Side = "before" | "after";

/** The ties whose names find room, and where: the chosen one's, then in their order those that cover no other. */
function legible(
  site: SiteOut,
  shotId: string,
  chosen: string | null,
  frame: Frame,
  width: number,
): Map<string, Side> {
  const taken: { id: string; side: Side; left: number; right: number; row: number }[] = [];
  const inOrder = [...site.document.ties].sort((a, b) => Number(b.id === chosen) - Number(a.id === chosen));
  for (const tie of inOrder) {
    const seen = tie.seen[shotId];
    if (!seen) continue;
    const [x, y] = frame.toScreen(image(seen[0], seen[1]));
    const wide = 16 + LETTER_PX * (tie.name.length || 2);
    const side = x + wide > width ? "before" : "after";
    const [left, right] = side === "before" ? [x - wide, x] : [x, x + wide];
    const free = taken.every(
      (one) => Math.abs(one.row - y) > LINE_PX || right < one.left || left > one.right,
    );
    if (free) taken.push({ id: tie.id, side, left, right, row: y });
  }
  return new Map(taken.map(({ id, side }) => [id, side]));
}

const isInside = ([x, y]: readonly [number, number], { width, height }: { width: number; height: number }) =>
  x >= 0 && y >= 0 && x <= width && y <= height;

const within = (node: HTMLElement | null, event: { clientX: number; clientY: number }): ScreenPoint => {
  const edge = node?.getBoundingClientRect();
  return [event.clientX - (edge?.left ?? 0), event.clientY - (edge?.top ?? 0)];
};

type MarkedProps = { at: ScreenPoint; says: string; before: boolean; chosen: boolean; aside: boolean };

function Marked({ at: [x, y], says, before, chosen, aside }: MarkedProps) {
  const colour = aside ? "var(--color-oxide)" : "var(--color-verdigris)";
  const arms = `M${x - 9} ${y}H${x - 3}M${x + 3} ${y}H${x + 9}M${x} ${y - 9}V${y - 3}M${x} ${y + 3}V${y + 9}`;
  return (
    <>
      <circle cx={x} cy={y} r={11} fill="transparent" />
      <path d={arms} stroke="#fff" strokeWidth={4.5} />
      <path d={arms} stroke={colour} strokeWidth={2.2} />
      <text
        x={before ? x - 11 : x + 11}
        y={y - 6}
        textAnchor={before ? "end" : "start"}
        fontSize={11.5}
        fontWeight={600}
        fill={chosen ? "#fff" : colour}
        stroke={chosen ? colour : "#fff"}
        strokeWidth={3.5}
        paintOrder="stroke"
      >
        {says}
        {says && aside ? " (set aside)" : ""}
      </text>
    </>
  );
}

/** Where the solved camera has a tie. */
function Predicted({ at: [x, y] }: { at: ScreenPoint }) {
  return (
    <>
      <circle cx={x} cy={y} r={5} fill="none" stroke="#fff" strokeWidth={3} />
      <circle cx={x} cy={y} r={5} fill="none" stroke="var(--color-sun)" strokeWidth={1.5} />
    </>
  );
}

function WayLine({ way, frame }: { way: Way | undefined; frame: Frame }) {
  const points = way?.points.map(([x, y]) => frame.toScreen(image(x, y))) ?? [];
  const [only, ...more] = points;
  if (!only) return null;
  if (!more.length)
    return (
      <circle cx={only[0]} cy={only[1]} r={14} fill="none" stroke="var(--color-sun)" strokeWidth={2.5} />
    );
  const path = points.map(([x, y], i) => `${i ? "L" : "M"}${x} ${y}`).join("");
  return (
    <>
      <path d={path} fill="none" stroke="#fff" strokeOpacity={0.6} strokeWidth={4.5} />
      <path data-testid="way" d={path} fill="none" stroke="var(--color-sun)" strokeWidth={2} />
    </>
  );
}

/** How well it is known where things stand: they are within the ellipses at 95 %. */
function Feet({ site, shotId, frame }: { site: SiteOut; shotId: string; frame: Frame }) {
  return site.feet
    .filter(({ shot }) => shot === shotId)
    .map(({ thing, name, ellipse }) => {
      const [x, y] = frame.toScreen(image(ellipse.at[0], ellipse.at[1]));
      const { scale } = frame.zoom;
      const long = Math.max(ellipse.half_long_px * scale, 3);
      const short = Math.max(ellipse.half_short_px * scale, 3);
      return (
        <g key={thing} transform={`translate(${x} ${y})`}>
          <title>{`${name}: known to ± ${ellipse.half_long_px.toFixed(1)} px here`}</title>
          <ellipse
            rx={long}
            ry={short}
            transform={`rotate(${ellipse.turn_deg})`}
            fill="#fff"
            fillOpacity={0.25}
            stroke="#22262b"
            strokeWidth={1.5}
          />
          <text
            y={long + 13}
            textAnchor="middle"
            fontSize={11}
            fill="#22262b"
            stroke="#fff"
            strokeWidth={3}
            paintOrder="stroke"
          >
            {`${name} ± ${ellipse.half_long_px.toFixed(1)} px`}
          </text>
        </g>
      );
    });
}
