import type { RenderOut, ShotOut } from "../api/client";
import { isBusy } from "../api/hooks";
import { useRenderActions } from "../state/renders";
import { Button } from "../ui/controls";
import { useTake, useTakeWork, type Work } from "./hooks";

const STAGES = {
  look: "looking the take through",
  front: "telling who is in front",
  render: "rendering what changes",
  frames: "putting frames together",
} as const;

const time = (seconds: number) =>
  seconds > 90 ? `${Math.round(seconds / 60)} min` : `${Math.max(1, Math.round(seconds))} s`;

/** How far a piece of work on a take is, in words. */
export function workSays({ state, stage, passes_done, passes, seconds_left, reason }: RenderOut): string {
  if (state === "queued") return "waiting for its turn";
  if (state === "failed") return reason ?? "failed";
  if (state === "stopped") return "stopped; what is done is kept";
  if (state === "stopping") return "stopping";
  const left = seconds_left === null ? "" : ` · about ${time(seconds_left)} left`;
  const where = stage ? STAGES[stage] : "reading";
  return `${where}${stage === "look" || !passes ? "" : `, ${passes_done} of ${passes}`}${left}`;
}

type Props = { shot: ShotOut; work: Work; word: string; look?: "plain" | "primary"; stale?: string | null };

/** A button that has something done with the take, and how far that is. */
export function WorkButton({ shot, work, word, look = "plain", stale = null }: Props) {
  const take = useTake(shot);
  const begin = useTakeWork(shot);
  const { stop } = useRenderActions(shot.id);
  const render = take?.work[work];
  const busy = render !== undefined && isBusy(render);
  return (
    <div className="pt-1 pb-1.5">
      <div className="flex items-center gap-1.5">
        <Button look={look} className="grow" disabled={busy} onClick={() => void begin(work)}>
          {busy ? "Under way" : word}
        </Button>
        {busy && render.state !== "stopping" && (
          <Button look="quiet" onClick={() => stop(render)}>
            Stop
          </Button>
        )}
      </div>
      {busy && render.passes > 0 && (
        <div
          role="progressbar"
          aria-label={word}
          aria-valuenow={Math.round((100 * render.passes_done) / render.passes)}
          className="mt-1.5 h-[4px] overflow-hidden rounded-full bg-lime-200"
        >
          <div
            className="h-full rounded-full bg-verdigris transition-[width]"
            style={{ width: `${Math.max(3, (100 * render.passes_done) / render.passes)}%` }}
          />
        </div>
      )}
      {render && render.state !== "done" && (
        <p
          className={`pt-1 text-xs leading-[1.4] ${render.state === "failed" ? "text-oxide" : "text-ink-500"}`}
        >
          {workSays(render)}
        </p>
      )}
      {render?.state === "done" && stale && <p className="pt-1 text-xs leading-[1.4] text-oxide">{stale}</p>}
    </div>
  );
}
