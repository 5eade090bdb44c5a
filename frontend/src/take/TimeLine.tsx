import { useEffect, useRef, useState } from "react";
import type { ShotOut } from "../api/client";
import { useChange } from "../state/changes";
import { Button, OneOf, Pill, Tip } from "../ui/controls";
import { takeFrameUrl, useTake } from "./hooks";
import type { Key } from "./keys";
import { rateOf, type TakeView, useOnShow } from "./state";

const THUMBS = 14;
const ONION_STEP = 3;

const clock = (frame: number, rate: number) => `${(frame / rate).toFixed(2)} s`;

/** The take from its first frame to its last: looked through, cut, played; what changes in it, and what is made. */
export function TimeLine({ shot }: { shot: ShotOut }) {
  const take = shot.document.take;
  const { frame } = useOnShow();
  const told = useTake(shot);
  const { playing, play } = usePlaying(shot);
  if (!take) return null;
  const at = frame ?? take.reference;
  const go = (to: number) =>
    useOnShow.setState({ frame: Math.min(Math.max(Math.round(to), 0), take.frames - 1) });
  return (
    <section
      aria-label="Time line"
      className="col-span-2 grid grid-cols-[auto_minmax(0,1fr)_auto] items-center gap-3 border-t border-lime-300 bg-lime-50 px-4"
    >
      <div className="flex w-[188px] items-center gap-1">
        <Button look="quiet" aria-label="One frame back" onClick={() => go(at - 1)}>
          <Sign path="M7 2L3 6l4 4M10.5 2v8" />
        </Button>
        <Button aria-label={playing ? "Hold" : "Play"} onClick={() => play(!playing)}>
          <Sign path={playing ? "M3.5 2v8M8.5 2v8" : "M3 1.5v9l7-4.5z"} />
        </Button>
        <Button look="quiet" aria-label="One frame on" onClick={() => go(at + 1)}>
          <Sign path="M5 2l4 4-4 4M1.5 2v8" />
        </Button>
        <p className="pl-1 text-xs leading-[1.3] whitespace-nowrap text-ink-500">
          <b data-testid="frame-number" className="block font-medium text-ink-900">
            {frame === null ? "still" : `frame ${frame}`}
          </b>
          {clock(at, rateOf(take))}
        </p>
      </div>
      <Track {...{ shot, at, go }} made={told} />
      <Shown shot={shot} />
    </section>
  );
}

const Sign = ({ path }: { path: string }) => (
  <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
    <path d={path} fill="none" stroke="currentColor" strokeWidth="1.6" strokeLinejoin="round" />
  </svg>
);

type TrackProps = {
  shot: ShotOut;
  at: number;
  go: (frame: number) => void;
  made: ReturnType<typeof useTake>;
};

/** The strip of frames with its two ends, marks, and the place that is on show. */
function Track({ shot, at, go, made }: TrackProps) {
  const { change } = useChange(shot.id);
  const { shown, frame } = useOnShow();
  const box = useRef<HTMLDivElement>(null);
  const [pulled, setPulled] = useState<{ end: "first" | "last"; to: number } | null>(null);
  const take = shot.document.take;
  if (!take) return null;
  const last = take.frames - 1;
  const share = (number: number) => `${(100 * number) / Math.max(last, 1)}%`;
  const frameUnder = (clientX: number) => {
    const edge = box.current?.getBoundingClientRect();
    return edge ? Math.round(((clientX - edge.left) / Math.max(edge.width, 1)) * last) : at;
  };
  const first = pulled?.end === "first" ? pulled.to : take.first;
  const end = pulled?.end === "last" ? pulled.to : take.last;
  const done = shown === "take" ? [] : (made?.[shown] ?? []);
  const within = (which: "first" | "last", to: number) =>
    which === "first"
      ? Math.min(Math.max(to, 0), take.last - 1)
      : Math.max(Math.min(to, last), take.first + 1);
  return (
    <div className="relative h-[50px]">
      <div
        ref={box}
        role="slider"
        tabIndex={0}
        aria-label="Frame on show"
        aria-valuemin={0}
        aria-valuemax={last}
        aria-valuenow={at}
        className="absolute inset-x-0 top-0 flex h-[36px] cursor-ew-resize touch-none overflow-hidden rounded-[5px] bg-lime-200"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          go(frameUnder(event.clientX));
        }}
        onPointerMove={(event) => event.buttons === 1 && go(frameUnder(event.clientX))}
        onKeyDown={(event) => {
          const step = { ArrowLeft: -1, ArrowRight: 1, PageUp: 10, PageDown: -10 }[event.key];
          if (step) {
            event.preventDefault();
            go(at + step);
          }
        }}
      >
        {Array.from({ length: THUMBS }, (_, place) => Math.round((last * (place + 0.5)) / THUMBS)).map(
          (one) => (
            <img
              key={one}
              src={takeFrameUrl(shot.id, one)}
              alt=""
              draggable={false}
              className="h-full min-w-0 flex-1 object-cover"
            />
          ),
        )}
        <div
          className="pointer-events-none absolute inset-y-0 left-0 bg-lime-50/80"
          style={{ width: share(first) }}
        />
        <div
          className="pointer-events-none absolute inset-y-0 right-0 bg-lime-50/80"
          style={{ width: `${100 - (100 * end) / Math.max(last, 1)}%` }}
        />
      </div>
      {(["first", "last"] as const).map((which) => (
        <button
          key={which}
          type="button"
          aria-label={which === "first" ? "First frame that is made" : "Last frame that is made"}
          title={`${which === "first" ? "From" : "To"} frame ${which === "first" ? first : end}: pull it`}
          className="absolute top-0 h-[36px] w-[7px] -translate-x-1/2 cursor-ew-resize touch-none rounded-sm border border-white bg-ink-700"
          style={{ left: share(which === "first" ? first : end) }}
          onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
          onPointerMove={(event) =>
            event.buttons === 1 && setPulled({ end: which, to: within(which, frameUnder(event.clientX)) })
          }
          onPointerUp={() => {
            if (!pulled) return go(which === "first" ? first : end);
            const label = pulled.end === "first" ? "first frame" : "last frame";
            void change({ take: { [pulled.end]: pulled.to } }, label).then(() => setPulled(null));
          }}
        />
      ))}
      {frame !== null && (
        <div
          className="pointer-events-none absolute top-[-4px] h-[44px] w-[2px] -translate-x-1/2 bg-oxide outline outline-white"
          style={{ left: share(at) }}
        />
      )}
      <Made done={done} last={last} />
      <Marks {...{ shot, share, frameUnder, go }} />
    </div>
  );
}

/** Which frames are made of what is on show. */
function Made({ done, last }: { done: readonly number[]; last: number }) {
  const runs: [number, number][] = [];
  for (const one of done) {
    const run = runs.at(-1);
    if (run && run[1] === one - 1) run[1] = one;
    else runs.push([one, one]);
  }
  return runs.map(([from, to]) => (
    <div
      key={from}
      data-testid="made"
      className="pointer-events-none absolute top-[36px] h-[2px] bg-verdigris"
      style={{ left: `${(100 * from) / (last + 1)}%`, width: `${(100 * (to - from + 1)) / (last + 1)}%` }}
    />
  ));
}

type MarksProps = {
  shot: ShotOut;
  share: (frame: number) => string;
  frameUnder: (clientX: number) => number;
  go: (frame: number) => void;
};

/** Keys as small round marks that can be pulled, strokes as short bars. */
function Marks({ shot, share, frameUnder, go }: MarksProps) {
  const { change } = useChange(shot.id);
  const [pulled, setPulled] = useState<{ at: number; to: number } | null>(null);
  const { keys, front_strokes, plate_strokes, passings } = shot.document;
  const strokes = [...new Set([...front_strokes, ...plate_strokes, ...passings].map((one) => one.frame))];
  const frames = [...new Set(keys.map((key) => key.frame))];
  const pull = (from: number, to: number) => {
    const moved = Object.fromEntries(
      keys.filter((key) => key.frame === from).map((key): [string, Partial<Key>] => [key.id, { frame: to }]),
    );
    const taken = keys.some((key) => key.frame === to && to !== from);
    if (!taken && to !== from) void change({ keys: moved }, "a key moved in time");
    setPulled(null);
  };
  return (
    <>
      {strokes.map((one) => (
        <button
          key={one}
          type="button"
          aria-label={`Corrected in frame ${one}`}
          title={`Corrected in frame ${one}`}
          className="absolute top-[39px] h-[9px] w-[4px] -translate-x-1/2 rounded-sm bg-ink-500"
          style={{ left: share(one) }}
          onClick={() => go(one)}
        />
      ))}
      {frames.map((one) => (
        <button
          key={one}
          type="button"
          aria-label={`Keys at frame ${one}`}
          title={`${keys.filter((key) => key.frame === one).length} at frame ${one}: pull it to another`}
          className="absolute top-[39px] h-[10px] w-[10px] -translate-x-1/2 cursor-ew-resize touch-none rounded-full border-2 border-verdigris bg-white"
          style={{ left: share(pulled?.at === one ? pulled.to : one) }}
          onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
          onPointerMove={(event) =>
            event.buttons === 1 &&
            setPulled({
              at: one,
              to: Math.min(Math.max(frameUnder(event.clientX), 0), (shot.document.take?.frames ?? 1) - 1),
            })
          }
          onPointerUp={() => (pulled ? pull(pulled.at, pulled.to) : go(one))}
        />
      ))}
    </>
  );
}

const VIEWS: { value: TakeView; label: string }[] = [
  { value: "take", label: "Take" },
  { value: "front", label: "In front" },
  { value: "walk", label: "Small proof" },
  { value: "film", label: "Finished" },
];

/** What of the frame is on show. */
function Shown({ shot }: { shot: ShotOut }) {
  const { shown, onion, frame } = useOnShow();
  const { change } = useChange(shot.id);
  const take = useTake(shot);
  const there = VIEWS.filter(({ value }) => value === "take" || (take?.[value].length ?? 0) > 0);
  return (
    <div className="flex items-center gap-2">
      <OneOf
        label="What of the take is on show"
        look="joined"
        value={shown}
        options={there}
        onValue={(value) =>
          useOnShow.setState({ shown: value, frame: frame ?? shot.document.take?.first ?? 0 })
        }
      />
      <Tip text="Played over and over">
        <Pill
          on={shot.document.take?.loop ?? true}
          onClick={() =>
            void change({ take: { loop: !shot.document.take?.loop } }, "played over and over, or once")
          }
        >
          loop
        </Pill>
      </Tip>
      <Tip text="Frames before and after, faint over this one">
        <Pill on={onion > 0} onClick={() => useOnShow.setState({ onion: onion ? 0 : ONION_STEP })}>
          neighbours
        </Pill>
      </Tip>
      <Tip text="Leave the take: the photograph alone">
        <Button
          look="quiet"
          disabled={frame === null}
          onClick={() => useOnShow.setState({ frame: null, shown: "take" })}
        >
          Still
        </Button>
      </Tip>
    </div>
  );
}

/** Plays from the first to the last frame that is made, over and over; a frame is shown when it is there. */
function usePlaying(shot: ShotOut) {
  const [playing, play] = useState(false);
  const { id } = shot;
  const { take } = shot.document;
  const { first = 0, last = 0, loop = true } = take ?? {};
  const rate = take ? rateOf(take) : 25;
  useEffect(() => {
    if (!playing) return;
    let waiting = false;
    const timer = setInterval(() => {
      if (waiting) return;
      const at = useOnShow.getState().frame ?? first - 1;
      if (!loop && at === last) return play(false);
      const to = at >= last || at < first ? first : at + 1;
      const picture = new Image();
      waiting = true;
      const go = () => {
        waiting = false;
        useOnShow.setState({ frame: to });
      };
      picture.onload = go;
      picture.onerror = go;
      picture.src = takeFrameUrl(id, to);
    }, 1000 / rate);
    return () => clearInterval(timer);
  }, [playing, first, last, loop, rate, id]);
  return { playing, play };
}
