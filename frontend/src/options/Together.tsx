import type { RenderOut, ShotOut } from "../api/client";
import { isBusy } from "../api/hooks";
import { useRenderActions } from "../state/renders";
import { Button } from "../ui/controls";
import { useOptionActions } from "./actions";

type Batch = {
  quality: "proof" | "master";
  /** The newest render of each, as far as it shows how it is now. */
  newest: RenderOut[];
};

/** The pictures that are made of a shot and all its options, where more than one is under way or was broken off. */
export function batchOf(shot: ShotOut, renders: RenderOut[]): Batch | null {
  const names = [shot.base, ...shot.options.map((option) => option.shot)];
  for (const quality of ["proof", "master"] as const) {
    const newest = names
      .map((name) =>
        renders.find((render) => render.shot_id === name && render.quality === quality && !render.part),
      )
      .filter((render) => render?.current) as RenderOut[];
    const unfinished = newest.filter(({ state }) => state !== "done").length;
    if (names.length > 1 && unfinished > 0 && newest.length > 1) return { quality, newest };
  }
  return null;
}

const share = ({ state, passes_done, passes }: RenderOut) =>
  state === "done" ? 1 : passes_done / Math.max(passes, 1);

/** How far all of them are [%]. */
export const percentOf = ({ newest }: Batch) =>
  Math.round((100 * newest.reduce((sum, one) => sum + share(one), 0)) / newest.length);

/** All of them as one piece of work: how far it is, how long it takes, a way to stop it and to go on. */
export function TogetherWork({ shot, renders }: { shot: ShotOut; renders: RenderOut[] }) {
  const { stop } = useRenderActions(shot.id);
  const { renderAll } = useOptionActions(shot);
  const batch = batchOf(shot, renders);
  if (!batch) return null;
  const { newest, quality } = batch;
  const busy = newest.filter(isBusy);
  const done = newest.filter(({ state }) => state === "done").length;
  const percent = percentOf(batch);
  const name = `${quality === "proof" ? "Proofs" : "Masters"} of all options`;
  return (
    <section aria-label="Options in progress" className="pb-1">
      <div className="flex items-center justify-between gap-2">
        <b className="truncate font-medium">{name}</b>
        {busy.length > 0 ? (
          <Button look="quiet" onClick={() => busy.forEach(stop)}>
            Stop all
          </Button>
        ) : (
          <Button onClick={() => void renderAll(quality)}>Go on</Button>
        )}
      </div>
      <div
        role="progressbar"
        aria-label={name}
        aria-valuenow={percent}
        className="my-1 h-[5px] overflow-hidden rounded-full bg-lime-200"
      >
        <div
          className="h-full rounded-full bg-verdigris transition-[width]"
          style={{ width: `${Math.max(percent, 2)}%` }}
        />
      </div>
      <p className="text-xs text-ink-500">
        {done} of {newest.length} done{busy.length ? timeLeft(busy) : "; stopped, and goes on from there"}
      </p>
    </section>
  );
}

/** Those that wait are taken to need as long as the one that is under way. */
function timeLeft(busy: RenderOut[]): string {
  const running = busy.find(({ seconds_left }) => seconds_left !== null);
  if (!running || running.seconds_left === null) return "";
  const whole = running.seconds_left / Math.max(1 - share(running), 0.05);
  const seconds = running.seconds_left + (busy.length - 1) * whole;
  return ` · about ${seconds > 90 ? `${Math.round(seconds / 60)} min` : `${Math.max(Math.round(seconds), 1)} s`} left`;
}
