import { useEffect, useState } from "react";
import type { SiteOut } from "../api/client";
import { useProject } from "../api/hooks";
import { type ImagePoint, newId } from "../geometry/points";
import { projectPath } from "../state/address";
import { Button, Statement, Tip } from "../ui/controls";
import { Trail } from "../ui/Trail";
import { calledTie, type SiteActions, seenPatch, useSite, useSiteActions, useWays } from "./hooks";
import { Known } from "./Known";
import { SitePicture } from "./SitePicture";
import { SitePlan } from "./SitePlan";
import { Photographs, Ties } from "./Ties";

/** Several photographs of one place: tied by what is seen in two of them, solved as one. */
export function SitePage({ projectId }: { projectId: string }) {
  const { data: site, error } = useSite(projectId);
  const { data: project } = useProject(projectId);
  if (error) return <p className="p-14 text-oxide">{error.message}</p>;
  return site ? <SiteBench projectId={projectId} name={project?.name ?? "…"} site={site} /> : null;
}

type Sides = { left: string | undefined; right: string | undefined };

/** Which two photographs are on show: the first two that belong to the site, until others are chosen. */
function useSides(site: SiteOut) {
  const [chosen, setChosen] = useState<Sides>({ left: undefined, right: undefined });
  const members = site.document.members.map(({ id }) => id);
  const known = (id: string | undefined) => (id && members.includes(id) ? id : undefined);
  const left = known(chosen.left) ?? members.find((id) => id !== chosen.right);
  const right = known(chosen.right) ?? members.find((id) => id !== left);
  return { left, right, set: (told: Partial<Sides>) => setChosen({ left, right, ...told }) };
}

function SiteBench({ projectId, name, site }: { projectId: string; name: string; site: SiteOut }) {
  const actions = useSiteActions(projectId);
  const sides = useSides(site);
  const [chosen, setChosen] = useState<string | null>(null);
  const [adding, setAdding] = useState(false);
  const [onGround, setOnGround] = useState(false);
  const tie = site.document.ties.find(({ id }) => id === chosen);
  const seenIn = (shot: string | undefined) => shot !== undefined && tie?.seen[shot] !== undefined;
  const from = seenIn(sides.left) ? sides.left : sides.right;
  const ways = useWays(site, projectId, tie, from);
  const hasWay = (ways.data ?? []).some(({ points }) => points.length > 0);
  useSiteKeys(actions, () => {
    setAdding(false);
    setChosen(null);
  });
  /** What a click in a picture does: it marks the chosen tie there, or begins a new one. */
  const marking = (shot: string): ((at: ImagePoint) => void) | null => {
    if (tie && !tie.seen[shot])
      return (at) => {
        void actions.change(seenPatch(tie.id, shot, at), `mark ${calledTie(site, tie.id)}`);
        if (adding) setChosen(null);
      };
    if (!adding || tie) return null;
    return (at) => {
      const id = newId("t");
      const seen = { [shot]: [at[0], at[1]] };
      void actions
        .change({ ties: { [id]: { id, seen, on_ground: onGround } } }, "new tie")
        .then((kept) => kept && setChosen(id));
    };
  };
  const begin = () => {
    setChosen(null);
    setAdding(!adding);
  };
  const picture = (shot: string | undefined, side: "left" | "right") =>
    shot && (
      <section key={side} className="flex min-w-0 flex-1 flex-col" aria-label={`The ${side} picture`}>
        <header className="flex items-center gap-2 bg-lime-50 px-3 py-1.5">
          <select
            aria-label={`Photograph on the ${side}`}
            className="min-w-0 grow rounded-md border border-lime-300 bg-white px-2 py-1"
            value={shot}
            onChange={({ target }) => sides.set({ [side]: target.value })}
          >
            {site.document.members.map(({ id }) => (
              <option key={id} value={id} disabled={id === (side === "left" ? sides.right : sides.left)}>
                {site.shots.find((one) => one.id === id)?.name || "Untitled shot"}
              </option>
            ))}
          </select>
        </header>
        <SitePicture
          key={shot}
          site={site}
          shotId={shot}
          label={side}
          chosen={chosen}
          onChoose={setChosen}
          onMark={marking(shot)}
          way={ways.data?.find((way) => way.shot === shot)}
          actions={actions}
        />
      </section>
    );
  const both = sides.left && sides.right;
  return (
    <div className="grid h-full grid-cols-[320px_minmax(0,1fr)] grid-rows-[46px_minmax(0,1fr)]">
      <header className="col-span-2 flex items-center gap-3 border-b border-lime-300 bg-lime-50 px-4">
        <Trail ways={[{ says: name, to: projectPath(projectId) }]} here="Site" />
        <span className="grow" />
        <Button look="quiet" disabled={!site.undo} onClick={() => void actions.undo()}>
          Undo
        </Button>
        <Button look="quiet" disabled={!site.redo} onClick={() => void actions.redo()}>
          Redo
        </Button>
        <Tip text="For each photograph: where the camera stood, how that is known and how well (PDF)">
          <a
            className="inline-flex items-center rounded-md border border-lime-300 bg-white px-2.5 py-1 leading-5 hover:border-lime-500 aria-disabled:pointer-events-none aria-disabled:opacity-45"
            aria-disabled={!site.document.members.length}
            href={`/api/v1/projects/${projectId}/site/sheet.pdf`}
            download
          >
            Verification sheet
          </a>
        </Tip>
      </header>
      <aside className="overflow-y-auto border-r border-lime-300 bg-lime-100 px-4 pb-4" aria-label="The site">
        <Photographs site={site} projectId={projectId} actions={actions} />
        <Ties
          site={site}
          chosen={chosen}
          onChoose={setChosen}
          adding={adding}
          onAdd={begin}
          actions={actions}
        />
      </aside>
      <main className="flex min-h-0 min-w-0 flex-col">
        {both ? (
          <>
            <div className="flex min-h-8 items-center justify-between gap-3 border-b border-lime-300 bg-verdigris-soft px-4 text-xs text-verdigris-deep">
              <p>{prompt(site, tie?.id, adding, [seenIn(sides.left), seenIn(sides.right)], hasWay)}</p>
              {adding && (
                <Statement holds={onGround} onChange={setOnGround}>
                  New ties lie on the ground
                </Statement>
              )}
            </div>
            <div className="flex min-h-0 flex-[3] gap-px bg-lime-300">
              {picture(sides.left, "left")}
              {picture(sides.right, "right")}
            </div>
          </>
        ) : (
          <p className="grid flex-[3] place-items-center bg-surround px-10 text-center text-white">
            Take two photographs into the site: on the left, under Photographs.
          </p>
        )}
        <div className="flex min-h-0 flex-[2] gap-px border-t border-lime-300 bg-lime-300">
          <div className="flex min-w-0 flex-1 flex-col">
            <SitePlan site={site} chosen={chosen} onChoose={setChosen} />
          </div>
          <div className="flex min-w-0 flex-1 flex-col overflow-y-auto bg-lime-50 px-4 py-2">
            <Known site={site} chosen={chosen} onChoose={setChosen} actions={actions} />
          </div>
        </div>
      </main>
    </div>
  );
}

/** What to do next, in a sentence; `seen`: whether the chosen tie is marked on the left and on the right. */
function prompt(
  site: SiteOut,
  tie: string | undefined,
  adding: boolean,
  seen: boolean[],
  hasWay: boolean,
): string {
  if (tie && seen.some(Boolean)) {
    const called = calledTie(site, tie);
    if (seen.every(Boolean))
      return `${called}: drag its crosses to where it is; the ring shows where the cameras have it.`;
    const where = hasWay ? " It lies on the yellow line." : "";
    return `${called}: click the same thing in the other picture.${where}`;
  }
  if (adding)
    return "Click something that both pictures show: a corner of a step, the foot of a lamp. Esc ends it.";
  if (site.answer.reason) return `Not solved yet: ${site.answer.reason}`;
  return "Solved together. What stands in one of the photographs stands in all of them.";
}

function useSiteKeys(actions: SiteActions, leave: () => void) {
  useEffect(() => {
    const down = (event: KeyboardEvent) => {
      if (event.target instanceof HTMLElement && event.target.closest("input, textarea, select")) return;
      const key = event.key.toLowerCase();
      if ((event.ctrlKey || event.metaKey) && (key === "z" || key === "y")) {
        event.preventDefault();
        void (key === "y" || event.shiftKey ? actions.redo() : actions.undo());
      }
      if (event.key === "Escape") leave();
    };
    window.addEventListener("keydown", down);
    return () => window.removeEventListener("keydown", down);
  }, [actions, leave]);
}
