import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import type { FileOut, ShotOut } from "./api/client";
import { isBusy, useNewest, useProject, useRenders, useShot } from "./api/hooks";
import { cameraOf, onPlane } from "./geometry/camera";
import type { World } from "./geometry/points";
import { Ledger } from "./ledger/Ledger";
import { Compare } from "./options/Compare";
import { OptionsSheet } from "./options/Sheet";
import { Plan } from "./plan/Plan";
import { firstView, Round } from "./round/Round";
import { Stage } from "./stage/Stage";
import { go, projectPath, shotPath } from "./state/address";
import { useChange, useChanges } from "./state/changes";
import { isKnownPlace, rememberPlace, useEditor, usePicked, type View } from "./state/editor";
import { useDropAnywhere, useTakeFiles } from "./state/files";
import { litBy } from "./state/light";
import { say } from "./state/notices";
import type { Patch } from "./state/patch";
import { useRenderActions } from "./state/renders";
import { useMayChange } from "./state/session";
import { newThing } from "./state/things";
import { Strip } from "./strip/Strip";
import { TimeLine } from "./take/TimeLine";
import { Button, OneOf, Tip } from "./ui/controls";
import { Reading } from "./ui/Reading";
import { runOfKey } from "./ui/runs";
import { Trail } from "./ui/Trail";

/** One shot: title strip, ledger, photograph with the plan, strip. */
export function Workplace({ projectId, shotId }: { projectId: string; shotId: string }) {
  const { data: shot, error } = useShot(shotId);
  const { data } = useRenders(shotId);
  const [isNew] = useState(() => !isKnownPlace(shotId));
  useEffect(() => rememberPlace(shotId), [shotId]);
  const hasProof = data?.renders.some((render) => render.quality === "proof" && render.has_picture);
  useEffect(() => {
    // Whoever opens a shot for the first time sees what it has come to.
    if (isNew && hasProof) useEditor.getState().show("proof");
  }, [isNew, hasProof]);
  const renders = data?.renders;
  const opened = useRef(false);
  useEffect(() => {
    if (!renders || opened.current) return;
    opened.current = true;
    // An option that was just made has no picture yet: it opens live.
    const { view, show } = useEditor.getState();
    const isSeen = renders.some((render) => render.quality === view);
    if (shotId.includes("~") && !isSeen && (view === "proof" || view === "master")) show("live");
  }, [shotId, renders]);
  if (error)
    return (
      <div className="p-14">
        <p className="mb-3 text-oxide">{error.message}</p>
        <Button onClick={() => go("/")}>All projects</Button>
      </div>
    );
  return shot ? <Bench projectId={projectId} shot={shot} /> : null;
}

function Bench({ projectId, shot }: { projectId: string; shot: ShotOut }) {
  const { change } = useChange(shot.id);
  const stand = (file: FileOut) => standModel(shot, file, change);
  const [wide, setWide] = useLedgerWidth();
  const { take, busy } = useTakeFiles(projectId, stand, (file) => {
    void change(litBy(shot.document, file), `lit by ${file.name}`);
    useEditor.getState().open("light");
  });
  const over = useDropAnywhere(take);
  useKeys(shot);
  useLiveFollows();
  useNews(shot);
  useProofFollows(shot);
  return (
    <div
      className={`relative grid h-full ${shot.document.take ? "grid-rows-[46px_minmax(0,1fr)_66px_92px]" : "grid-rows-[46px_minmax(0,1fr)_92px]"}`}
      style={{ gridTemplateColumns: `${wide}px minmax(0,1fr)` }}
    >
      <TitleStrip projectId={projectId} shot={shot} />
      <Ledger projectId={projectId} shot={shot} onFiles={take} onStand={stand} />
      <main className="relative overflow-hidden bg-surround">
        <Stage shot={shot} />
        <Plan shot={shot} />
        <Round shot={shot} />
        <Compare shot={shot} />
        {(over || busy) && (
          <div className="absolute inset-3 grid place-items-center rounded-xl border-2 border-dashed border-white bg-ink-900/55 text-[16px] text-white">
            {busy ? (
              <Reading key={busy} name={busy} />
            ) : (
              "Drop a model to stand it here, or a photograph or a film to begin a shot"
            )}
          </div>
        )}
      </main>
      {shot.document.take && <TimeLine shot={shot} />}
      <Strip projectId={projectId} shot={shot} />
      <OptionsSheet shot={shot} />
      <LedgerEdge wide={wide} onWide={setWide} low={shot.document.take ? 158 : 92} />
    </div>
  );
}

const NARROWEST = 320;
const WIDEST = 460;
const LEAST_PHOTOGRAPH = 820;

/** How wide the ledger is; remembered. */
function useLedgerWidth(): [number, (wide: number) => void] {
  const [wide, setWide] = useState(() => Number(localStorage.getItem("lithopos:ledger")) || NARROWEST);
  const most = Math.max(NARROWEST, Math.min(WIDEST, window.innerWidth - LEAST_PHOTOGRAPH));
  const set = (next: number) => {
    const fitting = Math.round(Math.min(Math.max(next, NARROWEST), most));
    localStorage.setItem("lithopos:ledger", String(fitting));
    setWide(fitting);
  };
  return [Math.min(wide, most), set];
}

/** The ledger's edge, to be pulled. */
function LedgerEdge({ wide, onWide, low }: { wide: number; onWide: (wide: number) => void; low: number }) {
  const held = useRef(false);
  return (
    <div
      role="separator"
      aria-orientation="vertical"
      aria-label="Width of the ledger"
      aria-valuenow={wide}
      aria-valuemin={NARROWEST}
      aria-valuemax={WIDEST}
      tabIndex={0}
      className="absolute top-[46px] z-10 w-2 -translate-x-1/2 cursor-col-resize hover:bg-verdigris/30"
      style={{ left: wide, bottom: low }}
      onPointerDown={(event) => {
        held.current = true;
        event.currentTarget.setPointerCapture(event.pointerId);
      }}
      onPointerMove={(event) => held.current && onWide(event.clientX)}
      onPointerUp={() => {
        held.current = false;
      }}
      onPointerCancel={() => {
        held.current = false;
      }}
      onKeyDown={(event) => {
        if (event.key === "ArrowLeft") onWide(wide - 10);
        if (event.key === "ArrowRight") onWide(wide + 10);
      }}
    />
  );
}

const ACROSS = [0.5, 0.68, 0.32, 0.82, 0.18];

/** Where the lower part of the photograph shows ground that nothing stands on yet; the middle is tried first. */
function freeGround(shot: ShotOut, file: FileOut): World | null {
  const answer = shot.derived.camera;
  const picture = shot.document.photograph;
  if (!answer || !picture) return null;
  const camera = cameraOf(answer);
  const apart = 0.6 + 0.5 * Math.hypot(file.size_m?.[0] ?? 1, file.size_m?.[1] ?? 1);
  const spots = ACROSS.map((share) => onPlane(camera, [picture.width * share, picture.height * 0.78], 0));
  const isFree = (at: World) =>
    shot.document.models.every(
      ({ position_m: [x, y] }) => Math.hypot((at[0] ?? 0) - x, (at[1] ?? 0) - y) > apart,
    );
  return spots.find((at) => at !== null && isFree(at)) ?? spots[0] ?? null;
}

/** Stand a model on free ground. */
function standModel(shot: ShotOut, file: FileOut, change: (patch: Patch, label: string) => Promise<unknown>) {
  const at = freeGround(shot, file);
  const placed = newThing(
    file,
    at && shot.derived.metric ? [at[0], at[1], 0] : [0, 0, 0],
    shot.document.models,
  );
  void change({ models: { [placed.id]: placed } }, `stand the ${placed.name}`);
  useEditor.setState({ step: "place", view: "live", selection: { kind: "model", id: placed.id } });
  if (!shot.derived.metric)
    say("The model is in the shot. It shows once the perspective and a yardstick are there.");
}

const VIEWS: { value: View; label: string }[] = [
  { value: "photo", label: "Photo" },
  { value: "live", label: "Live" },
  { value: "proof", label: "Proof" },
  { value: "master", label: "Master" },
];

function TitleStrip({ projectId, shot }: { projectId: string; shot: ShotOut }) {
  const { data: project } = useProject(projectId);
  const { data } = useRenders(shot.id);
  const { ask } = useRenderActions(shot.id);
  const { view, seam, show, round } = usePicked("view", "seam", "show", "round");
  const mayChange = useMayChange();
  const option = shot.options.find(({ id }) => id === shot.option);
  const shotName = shot.document.name || "Untitled shot";
  const ways = [{ says: project?.name ?? "…", to: projectPath(projectId) }];
  if (option) ways.push({ says: shotName, to: shotPath(projectId, shot.base) });
  const latest = data?.renders.find((render) => render.quality === "proof");
  const proving = latest !== undefined && isBusy(latest) && latest.revision === shot.revision;
  return (
    <header className="col-span-2 flex items-center gap-3 border-b border-lime-300 bg-lime-50 px-4">
      <Trail ways={ways} here={option ? option.name : shotName} />
      <span className="grow" />
      {mayChange && <Steps shot={shot} />}
      <OneOf label="View" look="joined" value={view} options={VIEWS} onValue={show} />
      <Tip text="Leave the photograph’s camera and look at what stands there from anywhere (R)">
        <Button active={round !== null} disabled={!shot.derived.metric} onClick={() => lookRound(shot)}>
          Look round
        </Button>
      </Tip>
      <Tip text="Compare two views by a seam that can be dragged">
        <Button
          active={seam !== null}
          onClick={() =>
            useEditor.setState({
              seam: seam ? null : { at: 0.5, other: view === "photo" ? "proof" : "photo" },
            })
          }
        >
          Seam
        </Button>
      </Tip>
      {mayChange && (
        <Button look="primary" disabled={proving} onClick={() => ask("proof")}>
          {proving ? "Proof under way" : "Make a proof"}
        </Button>
      )}
    </header>
  );
}

/** Back and forth among what was done. */
function Steps({ shot }: { shot: ShotOut }) {
  const { undo, redo } = useChange(shot.id);
  return (
    <>
      <Tip text={shot.undo ? `Take back: ${shot.undo} (Ctrl+Z)` : "Nothing to undo"}>
        <Button look="quiet" disabled={!shot.undo} onClick={undo}>
          Undo
        </Button>
      </Tip>
      <Tip text={shot.redo ? `Do again: ${shot.redo} (Ctrl+Y)` : "Nothing to redo"}>
        <Button look="quiet" disabled={!shot.redo} onClick={redo}>
          Redo
        </Button>
      </Tip>
    </>
  );
}

/** What others do to the shot shows here, too; not while something is in the hand, which is made to what was seen. */
function useNews(shot: ShotOut) {
  const queries = useQueryClient();
  const newest = useNewest(shot.id);
  const isIdle = useChanges(({ draft, pending }) => !draft && pending.length === 0);
  useEffect(() => {
    if (isIdle && newest !== undefined && newest !== shot.revision)
      void queries.invalidateQueries({ queryKey: ["shot"] });
  }, [newest, shot.revision, isIdle, queries]);
}

/** A picture that is traced already stands still while things are changed in Place: the live view goes along. */
function useLiveFollows() {
  useEffect(
    () =>
      useChanges.subscribe(({ draft, pending }) => {
        const { step, view, show } = useEditor.getState();
        if (step !== "place" || (view !== "proof" && view !== "master")) return;
        const touched = [...pending, ...(draft ? [draft] : [])].some(
          ({ patch }) => "models" in patch || "panes" in patch,
        );
        if (touched) show("live");
      }),
    [],
  );
}

/** While a proof is on show it is made anew where that needs no tracing: tones, grain and edges show in a second. */
function useProofFollows(shot: ShotOut) {
  const queries = useQueryClient();
  const { data } = useRenders(shot.id);
  const { follow } = useRenderActions(shot.id);
  const { view } = usePicked("view");
  const mayChange = useMayChange();
  const isIdle = useChanges(({ draft, pending }) => !draft && pending.length === 0);
  const asked = useRef("");
  const seen = view === "proof" && mayChange;
  useEffect(() => {
    if (seen && shot.revision) void queries.invalidateQueries({ queryKey: ["renders", shot.id] });
  }, [seen, shot.id, shot.revision, queries]);
  const newest = data?.renders.find((render) => render.quality === "proof");
  useEffect(() => {
    if (!seen || !isIdle || !newest?.follows) return;
    const now = `${newest.id} ${newest.revision} ${shot.revision}`;
    if (asked.current === now) return;
    asked.current = now;
    void follow(newest);
  }, [seen, isIdle, newest, shot.revision, follow]);
}

/** Look round, or come back to the photograph. */
function lookRound(shot: ShotOut) {
  const { round } = useEditor.getState();
  const answer = shot.derived.camera;
  if (round || !answer || !shot.derived.metric) return useEditor.setState({ round: null });
  useEditor.setState({ round: firstView(shot, cameraOf(answer)) });
}

/** Undo, redo, the bare photograph, and the way out of a tool. */
function useKeys(shot: ShotOut) {
  const { undo, redo } = useChange(shot.id);
  useEffect(() => {
    const TEXTS = "input:not([type=checkbox]):not([type=radio]):not([type=range]), textarea, select";
    const on = (event: KeyboardEvent, what: string) =>
      event.target instanceof HTMLElement && event.target.closest(what) !== null;
    const down = (event: KeyboardEvent) => {
      if (on(event, TEXTS)) return;
      const key = event.key.toLowerCase();
      if ((event.ctrlKey || event.metaKey) && (key === "z" || key === "y")) {
        event.preventDefault();
        void (key === "y" || event.shiftKey ? redo() : undo());
      }
      if (event.key === " " && !on(event, "button, input, [role=checkbox], [role=slider]")) {
        event.preventDefault();
        useEditor.setState({ bare: true });
      }
      const run = runOfKey(key);
      if (run && !event.ctrlKey && !event.metaKey && useEditor.getState().step === "perspective") {
        useEditor.getState().take({ kind: "edge", sort: run, marks: [] });
        document.querySelector<HTMLElement>("[data-testid=stage]")?.focus();
      }
      if (key === "r" && !event.ctrlKey && !event.metaKey) lookRound(shot);
      if (event.key === "Escape") useEditor.getState().escape();
    };
    const up = (event: KeyboardEvent) => {
      if (event.key === " ") useEditor.setState({ bare: false });
    };
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
    };
  }, [undo, redo, shot]);
}
