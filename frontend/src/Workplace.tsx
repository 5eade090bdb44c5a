import { useCallback, useEffect, useState } from "react";
import type { FileOut, Placed, ShotOut } from "./api/client";
import { isBusy, useProject, useRenderActions, useRenders, useShot, useShotChange } from "./api/hooks";
import { Stage } from "./canvas/Stage";
import { runOfKey } from "./canvas/strokes";
import { cameraOf, onPlane } from "./geometry/camera";
import { newId } from "./geometry/points";
import { Ledger } from "./ledger/Ledger";
import { Plan } from "./plan/Plan";
import { go, projectPath } from "./state/address";
import { isKnownPlace, rememberPlace, useEditor, usePicked, type View } from "./state/editor";
import { useDropAnywhere, useTakeFiles } from "./state/files";
import { say } from "./state/notices";
import { Strip } from "./strip/Strip";
import { Button, Tip } from "./ui/controls";

/** One shot: title strip, ledger, photograph with the plan, strip. */
export function Workplace({ projectId, shotId }: { projectId: string; shotId: string }) {
  const { data: shot, error } = useShot(shotId);
  const { data } = useRenders(shotId);
  const [isNew] = useState(() => !isKnownPlace(shotId));
  useEffect(() => rememberPlace(shotId), [shotId]);
  const hasProof = data?.renders.some((render) => render.has_picture);
  useEffect(() => {
    // Whoever opens a shot for the first time sees what it has come to.
    if (isNew && hasProof) useEditor.getState().show("proof");
  }, [isNew, hasProof]);
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
  const { change } = useShotChange(shot.id);
  const stand = useCallback((file: FileOut) => void standModel(shot, file, change), [shot, change]);
  const { take, busy } = useTakeFiles(projectId, stand);
  const over = useDropAnywhere(take);
  useKeys(shot.id);
  return (
    <div className="grid h-full grid-cols-[320px_minmax(0,1fr)] grid-rows-[46px_minmax(0,1fr)_92px]">
      <TitleStrip projectId={projectId} shot={shot} />
      <Ledger projectId={projectId} shot={shot} onFiles={take} onStand={stand} />
      <main className="relative overflow-hidden bg-surround">
        <Stage shot={shot} />
        <Plan shot={shot} />
        {(over || busy) && (
          <div className="absolute inset-3 grid place-items-center rounded-xl border-2 border-dashed border-white bg-ink-900/55 text-[16px] text-white">
            {busy ? `Reading ${busy} …` : "Drop a model to stand it here, or a photograph to begin a shot"}
          </div>
        )}
      </main>
      <Strip projectId={projectId} shot={shot} />
    </div>
  );
}

/** Stand a model where the lower middle of the photograph shows ground. */
async function standModel(
  shot: ShotOut,
  file: FileOut,
  change: (patch: { models: Placed[] }, label: string) => Promise<unknown>,
) {
  const answer = shot.derived.camera;
  const picture = shot.document.photograph;
  const at =
    answer && picture ? onPlane(cameraOf(answer), [picture.width / 2, picture.height * 0.78], 0) : null;
  const name = file.name.replace(/\.\w+$/, "").replace(/[-_]+/g, " ");
  const placed: Placed = {
    id: newId("m"),
    file: `sha256:${file.sha256}`,
    name: name.charAt(0).toUpperCase() + name.slice(1),
    position_m: at && shot.derived.metric ? [at[0], at[1], 0] : [0, 0, 0],
    turn_deg: 0,
    size: 1,
  };
  await change({ models: [...shot.document.models, placed] }, `stand the ${placed.name}`);
  useEditor.setState({ step: "place", view: "live", selection: { kind: "model", id: placed.id } });
  if (!shot.derived.metric)
    say("The model is in the shot. It shows once the perspective and a yardstick are there.");
}

function TitleStrip({ projectId, shot }: { projectId: string; shot: ShotOut }) {
  const { data: project } = useProject(projectId);
  const { undo, redo } = useShotChange(shot.id);
  const { data } = useRenders(shot.id);
  const { ask } = useRenderActions(shot.id);
  const { view, seam, show } = usePicked("view", "seam", "show");
  const latest = data?.renders.find((render) => render.quality === "proof");
  const proving = latest !== undefined && isBusy(latest) && latest.revision === shot.revision;
  const views: [View, string][] = [
    ["photo", "Photo"],
    ["live", "Live"],
    ["proof", "Proof"],
    ["master", "Master"],
  ];
  return (
    <header className="col-span-2 flex items-center gap-3 border-b border-lime-300 bg-lime-50 px-4">
      <button type="button" className="text-[15px] font-semibold tracking-wide" onClick={() => go("/")}>
        Lithopos
      </button>
      <nav className="flex min-w-0 items-center gap-1.5 text-ink-500">
        <button
          type="button"
          className="truncate hover:text-ink-900"
          onClick={() => go(projectPath(projectId))}
        >
          {project?.name ?? "…"}
        </button>
        <span>/</span>
        <b className="truncate font-medium text-ink-900">{shot.document.name || "Untitled shot"}</b>
      </nav>
      <span className="grow" />
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
      <fieldset className="flex overflow-hidden rounded-md border border-lime-300 bg-white" aria-label="View">
        {views.map(([name, label]) => (
          <button
            type="button"
            key={name}
            aria-pressed={view === name}
            onClick={() => show(name)}
            className={`px-3 py-1 ${view === name ? "bg-ink-900 text-white" : "text-ink-700 hover:bg-lime-100"}`}
          >
            {label}
          </button>
        ))}
      </fieldset>
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
      <Button look="primary" disabled={proving} onClick={() => ask("proof")}>
        {proving ? "Proof under way" : "Make a proof"}
      </Button>
    </header>
  );
}

/** Undo, redo, the bare photograph, and the way out of a tool. */
function useKeys(shotId: string) {
  const { undo, redo } = useShotChange(shotId);
  useEffect(() => {
    const typing = (event: KeyboardEvent) =>
      event.target instanceof HTMLElement && event.target.closest("input, textarea, select, [role=slider]");
    const down = (event: KeyboardEvent) => {
      if (typing(event)) return;
      const key = event.key.toLowerCase();
      if ((event.ctrlKey || event.metaKey) && (key === "z" || key === "y")) {
        event.preventDefault();
        void (key === "y" || event.shiftKey ? redo() : undo());
      }
      if (event.key === " " && !(event.target instanceof HTMLButtonElement)) {
        event.preventDefault();
        useEditor.setState({ bare: true });
      }
      const run = runOfKey(key);
      if (run && !event.ctrlKey && !event.metaKey && useEditor.getState().step === "perspective") {
        useEditor.getState().take({ kind: "edge", run });
        document.querySelector<HTMLElement>("[data-testid=stage]")?.focus();
      }
      if (event.key === "Escape") {
        if (useEditor.getState().cross) useEditor.getState().endDraft();
        useEditor.setState({ tool: { kind: "none" }, selection: null, cross: null, proposals: null });
      }
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
  }, [undo, redo]);
}
