import { type CSSProperties, type ReactNode, useEffect, useRef, useState } from "react";
import { fileUrl, pictureUrl, type RenderOut, type ShotOut } from "../api/client";
import { useAllRenders } from "../api/hooks";
import { fitted, type Zoom, zoomedAbout } from "../geometry/frame";
import type { ScreenPoint } from "../geometry/points";
import { Placed } from "../stage/Placed";
import { Seam } from "../stage/Seam";
import { useSize } from "../stage/size";
import { type Compare as Compared, useEditor, usePicked } from "../state/editor";
import { Button, OneOf, Pill, Statement } from "../ui/controls";

const MODES: { value: Compared["mode"]; label: string }[] = [
  { value: "seam", label: "Seam" },
  { value: "flick", label: "By turns" },
  { value: "grid", label: "Side by side" },
  { value: "difference", label: "Difference" },
];
const TIMES = ["1", "4", "16"] as const;
const MOST = 4;
const TURN_MS = 900;

type Picture = { name: string; says: string; source: string | null };

/** The pictures that there are: the photograph, the shot, its options, each by its newest render. */
function picturesOf(shot: ShotOut, renders: RenderOut[]): Picture[] {
  const newest = (name: string) =>
    renders.find(
      (render) => render.shot_id === name && render.quality !== "files" && render.has_picture && !render.part,
    );
  const of = (name: string, says: string): Picture => {
    const render = newest(name);
    return { name, says, source: render ? pictureUrl(render) : null };
  };
  const photograph = shot.document.photograph;
  return [
    { name: "photo", says: "Photograph", source: photograph && fileUrl(photograph.file) },
    of(shot.base, "The shot"),
    ...shot.options.map((option) => of(option.shot, option.name)),
  ];
}

/** Pictures compared over the whole stage: all are looked at in the same place, as closely. */
export function Compare({ shot }: { shot: ShotOut }) {
  const { compare } = usePicked("compare");
  const { data } = useAllRenders(shot.base, compare !== null);
  const photograph = shot.document.photograph;
  if (!compare || !photograph) return null;
  const pictures = picturesOf(shot, data?.renders ?? []);
  const of = compare.of
    .map((name) => pictures.find((one) => one.name === name))
    .filter((one) => one !== undefined);
  return (
    <section aria-label="Compare" className="absolute inset-0 z-[6] flex flex-col bg-surround">
      <Bar compare={compare} pictures={pictures} />
      <Shown
        key={compare.mode}
        mode={compare.mode}
        pictures={of}
        width={photograph.width}
        height={photograph.height}
      />
    </section>
  );
}

function Bar({ compare, pictures }: { compare: Compared; pictures: Picture[] }) {
  const set = (told: Partial<Compared>) => useEditor.setState({ compare: { ...compare, ...told } });
  const two = compare.mode !== "grid";
  const toggle = (name: string) => {
    const others = compare.of.filter((one) => one !== name);
    set({ of: others.length < compare.of.length ? others : [...others, name].slice(-MOST) });
  };
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5 border-b border-lime-300 bg-lime-50 px-4 py-2">
      <OneOf
        label="How to compare"
        look="joined"
        value={compare.mode}
        options={MODES}
        onValue={(mode) => set({ mode, of: mode === "grid" ? compare.of : compare.of.slice(0, 2) })}
      />
      {two ? (
        <>
          <Pick label="Left" at={0} {...{ compare, pictures, set }} />
          <Pick label="Right" at={1} {...{ compare, pictures, set }} />
        </>
      ) : (
        <span className="flex min-w-0 flex-1 flex-wrap gap-1.5">
          {pictures.map(({ name, says }) => (
            <Pill key={name} on={compare.of.includes(name)} onClick={() => toggle(name)}>
              {says}
            </Pill>
          ))}
        </span>
      )}
      <Button className="ml-auto" onClick={() => useEditor.setState({ compare: null })}>
        Back to the photograph
      </Button>
    </div>
  );
}

type PickProps = {
  label: string;
  at: 0 | 1;
  compare: Compared;
  pictures: Picture[];
  set: (told: Partial<Compared>) => void;
};

function Pick({ label, at, compare, pictures, set }: PickProps) {
  return (
    <label className="flex items-center gap-1.5 text-ink-700">
      {label}
      <select
        className="max-w-[180px] rounded-md border border-lime-300 bg-white px-2 py-1 text-ink-900"
        value={compare.of[at] ?? ""}
        onChange={({ target }) => {
          const of = [...compare.of];
          of[at] = target.value;
          set({ of });
        }}
      >
        {pictures.map(({ name, says }) => (
          <option key={name} value={name}>
            {says}
          </option>
        ))}
      </select>
    </label>
  );
}

type ShownProps = { mode: Compared["mode"]; pictures: Picture[]; width: number; height: number };

/** The pictures in their cells, with one zoom for all; the wheel zooms, a drag shifts. */
function Shown({ mode, pictures, width, height }: ShownProps) {
  const box = useRef<HTMLDivElement>(null);
  const stage = useSize(box);
  const [zoom, setZoom] = useState<Zoom | null>(null);
  const [seam, setSeam] = useState(0.5);
  const [second, setSecond] = useState(true);
  const [byItself, setByItself] = useState(false);
  const [times, setTimes] = useState<(typeof TIMES)[number]>("4");
  const held = useRef<{ x: number; y: number; zoom: Zoom } | null>(null);
  useEffect(() => {
    if (!byItself || mode !== "flick") return;
    const timer = setInterval(() => setSecond((now) => !now), TURN_MS);
    return () => clearInterval(timer);
  }, [byItself, mode]);
  const columns = mode === "grid" && pictures.length > 1 ? 2 : 1;
  const rows = mode === "grid" ? Math.ceil(pictures.length / columns) : 1;
  const cell = { width: stage.width / columns, height: stage.height / Math.max(rows, 1) };
  const now = zoom ?? fitted(width, height, cell);
  const live = useRef({ now, cell });
  live.current = { now, cell };
  useEffect(() => {
    const node = box.current;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      const { now, cell } = live.current;
      const edge = (event.currentTarget as HTMLElement).getBoundingClientRect();
      const at: ScreenPoint = [
        (event.clientX - edge.left) % cell.width,
        (event.clientY - edge.top) % cell.height,
      ];
      setZoom(zoomedAbout(now, at, Math.exp(-event.deltaY * (event.ctrlKey ? 0.01 : 0.0015))));
    };
    node?.addEventListener("wheel", onWheel, { passive: false });
    return () => node?.removeEventListener("wheel", onWheel);
  }, []);
  const [left, right] = pictures;
  const picture = (one: Picture | undefined, style: CSSProperties = {}) =>
    one?.source ? (
      <Placed
        key={one.name}
        src={one.source}
        alt={one.says}
        picture={{ width, height }}
        zoom={now}
        style={style}
      />
    ) : (
      <p className="absolute inset-0 grid place-items-center px-6 text-center text-white" style={style}>
        {one ? `There is no proof of “${one.says}” yet: “All options” makes them.` : "Choose a picture."}
      </p>
    );
  return (
    <div className="relative min-h-0 grow">
      <div
        ref={box}
        data-testid="compared"
        className="absolute inset-0 grid touch-none overflow-hidden"
        style={{ gridTemplateColumns: `repeat(${columns}, 1fr)`, gridTemplateRows: `repeat(${rows}, 1fr)` }}
        onPointerDown={(event) => {
          held.current = { x: event.clientX, y: event.clientY, zoom: now };
          event.currentTarget.setPointerCapture(event.pointerId);
        }}
        onPointerMove={(event) => {
          const from = held.current;
          if (!from) return;
          const moved = Math.hypot(event.clientX - from.x, event.clientY - from.y) > 3;
          if (moved)
            setZoom({
              ...from.zoom,
              x: from.zoom.x + event.clientX - from.x,
              y: from.zoom.y + event.clientY - from.y,
            });
        }}
        onPointerUp={() => {
          held.current = null;
        }}
        onPointerCancel={() => {
          held.current = null;
        }}
      >
        {mode === "grid" &&
          pictures.map((one) => (
            <div key={one.name} className="relative overflow-hidden outline outline-lime-50/70">
              {picture(one)}
              <Tag>{one.says}</Tag>
            </div>
          ))}
        {mode === "seam" && (
          <div className="relative overflow-hidden">
            {picture(right)}
            <div
              className="absolute inset-0"
              style={{ clipPath: `inset(0 ${(1 - seam) * stage.width}px 0 0)` }}
            >
              {picture(left)}
            </div>
          </div>
        )}
        {mode === "flick" && (
          <div className="relative overflow-hidden">
            {picture(left)}
            {picture(right, { visibility: second ? "visible" : "hidden" })}
            <Tag>{(second ? right : left)?.says}</Tag>
          </div>
        )}
        {mode === "difference" && (
          <div
            className="relative isolate overflow-hidden bg-black"
            style={{ filter: `brightness(${times})` }}
          >
            {picture(left)}
            {picture(right, { mixBlendMode: "difference" })}
          </div>
        )}
      </div>
      {mode === "seam" && (
        <Seam
          at={seam}
          width={stage.width}
          onMove={setSeam}
          left={left?.says ?? ""}
          right={right?.says ?? ""}
        />
      )}
      {mode === "flick" && (
        <Foot>
          <Button onClick={() => setSecond(!second)}>Turn to {(second ? left : right)?.says}</Button>
          <Statement holds={byItself} onChange={setByItself}>
            by itself
          </Statement>
        </Foot>
      )}
      {mode === "difference" && (
        <Foot>
          <span>times as strong</span>
          <OneOf
            label="Times as strong"
            value={times}
            options={TIMES.map((value) => ({ value, label: value }))}
            onValue={setTimes}
          />
          <span className="text-ink-500">black: alike</span>
        </Foot>
      )}
    </div>
  );
}

const Foot = ({ children }: { children: ReactNode }) => (
  <div className="absolute bottom-4 left-1/2 flex -translate-x-1/2 items-center gap-3 rounded-lg bg-lime-50/97 px-3 py-2 shadow">
    {children}
  </div>
);

const Tag = ({ children }: { children: ReactNode }) => (
  <span className="pointer-events-none absolute bottom-4 left-4 rounded bg-ink-900/80 px-2 py-0.5 text-xs text-white">
    {children}
  </span>
);
