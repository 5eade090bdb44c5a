import { useEffect } from "react";
import { type RenderOut, type ShotOut, thumbUrl } from "../api/client";
import { isBusy, useAllRenders, useProject, useRenders } from "../api/hooks";
import { OptionsStrip } from "../options/OptionsStrip";
import { batchOf, percentOf, TogetherWork } from "../options/Together";
import { go, shotPath } from "../state/address";
import { usePicked, type View } from "../state/editor";
import { useRenderActions } from "../state/renders";
import { workSays } from "../take/Progress";
import { Button } from "../ui/controls";

/** The project's shots, and what is being rendered. */
export function Strip({ projectId, shot }: { projectId: string; shot: ShotOut }) {
  const { data: project } = useProject(projectId);
  const { data } = useRenders(shot.id);
  const { data: all } = useAllRenders(shot.base, shot.options.length > 0);
  const latest = data?.renders[0];
  // A proof goes before a master under way: both are shown, each with its own way to stop it.
  const underWay = data?.renders.filter(isBusy) ?? [];
  const works = underWay.length ? underWay.slice(0, 2) : latest ? [latest] : [];
  const busy = underWay.length > 0;
  const together = batchOf(shot, all?.renders ?? []);
  const done = together ? percentOf(together) : busy && works[0] ? percent(works[0]) : null;
  const title = done !== null ? `${done} % · ` : latest?.state === "done" ? "Done · " : "";
  useEffect(() => {
    document.title = `${title}Lithopos`;
  }, [title]);
  return (
    <footer className="col-span-2 flex items-center gap-3 border-t border-lime-300 bg-lime-50 px-4">
      <ul className="flex max-w-[38%] shrink-0 gap-3 overflow-x-auto px-1 py-1">
        {project?.shots.map((other) => (
          <li key={other.id} className="w-[104px] shrink-0">
            <button
              type="button"
              onClick={() => go(shotPath(projectId, other.id))}
              className="block w-full rounded-md text-left"
            >
              {other.photograph && (
                <img
                  src={thumbUrl(other.photograph)}
                  alt=""
                  className={`h-[54px] w-full rounded-[5px] object-cover ${other.id === shot.base ? "outline-2 outline-offset-2 outline-verdigris" : ""}`}
                />
              )}
              <span
                className={`mt-1 block truncate text-[11px] ${other.id === shot.base ? "font-medium" : "text-ink-700"}`}
              >
                {other.name}
              </span>
            </button>
          </li>
        ))}
      </ul>
      <OptionsStrip shot={shot} />
      <span className="grow" />
      {together ? (
        <div className="w-[300px] shrink-0">
          <TogetherWork shot={shot} renders={all?.renders ?? []} />
        </div>
      ) : (
        works.map((render) => (
          <Work
            key={render.id}
            render={render}
            shot={shot}
            narrow={works.length > 1 || shot.options.length > 0}
          />
        ))
      )}
    </footer>
  );
}

const percent = (render: RenderOut) => Math.round((100 * render.passes_done) / Math.max(render.passes, 1));

function left(render: RenderOut): string {
  if (render.state === "queued") return "waiting for its turn";
  if (render.state === "stopping") return "stopping";
  if (isOfTake(render)) return workSays(render);
  const seconds = render.seconds_left;
  if (render.quality === "files") return `file ${render.passes_done + 1} of ${Math.max(render.passes, 1)}`;
  if (seconds === null) return "reading the models and compiling";
  const text = seconds > 90 ? `${Math.round(seconds / 60)} min` : `${Math.max(Math.round(seconds), 1)} s`;
  return `part ${render.passes_done} of ${render.passes} · about ${text} left`;
}

const QUALITIES = {
  proof: "Proof",
  master: "Master",
  files: "Files",
  plate: "Clean plate",
  front: "Who is in front",
  walk: "Small proof of the take",
  film: "Film",
} as const;
const isOfTake = ({ quality }: RenderOut) => ["plate", "front", "walk", "film"].includes(quality);

/** Which machines of a cluster work on a render, and why others don't. */
function Machines({ parts, refused, page }: NonNullable<RenderOut["worked_on"]>) {
  const told = Object.entries(parts).map(([name, count]) => `${name} ${count}`);
  const unused = Object.entries(refused).map(([name, why]) => `${name} is not used: ${why}`);
  return (
    <span className="flex gap-1.5" title={[`Parts by ${told.join(", ")}`, ...unused].join("\n")}>
      <span className="truncate">{told.length > 0 && `parts by ${told.join(", ")}`}</span>
      {unused.length > 0 && <span className="shrink-0 text-oxide">{unused.length} not used</span>}
      {page && (
        <a href={page} target="_blank" rel="noreferrer" className="shrink-0 underline">
          The cluster
        </a>
      )}
    </span>
  );
}

function Work({ render, shot, narrow }: { render: RenderOut; shot: ShotOut; narrow: boolean }) {
  const { stop, restart } = useRenderActions(shot.id);
  const { show } = usePicked("show");
  const option = shot.options.find(({ id }) => id === shot.option)?.name;
  const name = [QUALITIES[render.quality], shot.document.name, option].filter(Boolean).join(" · ");
  const busy = isBusy(render);
  return (
    <section aria-label="Work in progress" className={`${narrow ? "w-[270px]" : "w-[380px]"} shrink-0`}>
      <div className="flex items-center justify-between gap-2">
        <b className="truncate font-medium">{name}</b>
        {busy && render.state !== "stopping" && (
          <Button look="quiet" onClick={() => stop(render)}>
            Stop
          </Button>
        )}
        {(render.state === "failed" || render.state === "stopped") && (
          <Button onClick={() => restart(render)}>Start again</Button>
        )}
        {render.state === "done" && render.quality !== "files" && !isOfTake(render) && (
          <Button look="quiet" onClick={() => show(render.quality as View)}>
            Look at it
          </Button>
        )}
      </div>
      {busy && (
        <div
          role="progressbar"
          aria-label={name}
          aria-valuenow={percent(render)}
          className="my-1 h-[5px] overflow-hidden rounded-full bg-lime-200"
        >
          <div
            className="h-full rounded-full bg-verdigris transition-[width]"
            style={{ width: `${Math.max(percent(render), 3)}%` }}
          />
        </div>
      )}
      <p className={`text-xs leading-[1.4] ${render.state === "failed" ? "text-oxide" : "text-ink-500"}`}>
        {busy && left(render)}
        {render.state === "done" && render.quality === "files" && `done · ${render.files.length} made`}
        {render.state === "done" && isOfTake(render) && "done"}
        {render.state === "done" &&
          render.quality !== "files" &&
          !isOfTake(render) &&
          `done · ${render.samples} samples a pixel${render.part ? " in the part" : ""} · revision ${render.revision}`}
        {render.state === "done" && render.notes && <span className="block text-oxide">{render.notes}</span>}
        {render.worked_on && <Machines {...render.worked_on} />}
        {render.state === "stopped" && "stopped; starting again goes on from there"}
        {render.state === "failed" && render.reason}
      </p>
    </section>
  );
}
