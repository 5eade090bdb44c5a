import { useEffect, useMemo, useRef } from "react";
import { changesUrl, fileUrl, pictureUrl, type RenderOut, type ShotOut } from "../api/client";
import { useRenders } from "../api/hooks";
import { type Frame, fitted, frameOf, zoomedAbout } from "../geometry/frame";
import type { ScreenPoint } from "../geometry/points";
import { Live } from "../live/Live";
import { refinedIn } from "../marks/registry";
import { shownShot, useChanges } from "../state/changes";
import { useEditor, usePicked, type View } from "../state/editor";
import { Hatched, MadeFrame, TakeFrame } from "../take/Layer";
import { useOnShow } from "../take/state";
import { exposeHook } from "./hook";
import { Loupe } from "./Loupe";
import { Fronts, Overlays } from "./Overlays";
import { Placed } from "./Placed";
import { Seam } from "./Seam";
import { useSize } from "./size";
import { useStrokes } from "./strokes";

const VIEW_NAMES: Record<View, string> = { photo: "Photo", live: "Live", proof: "Proof", master: "Master" };

/** The photograph, as large as it goes, with what is laid over it. */
export function Stage({ shot }: { shot: ShotOut }) {
  const box = useRef<HTMLDivElement>(null);
  const stage = useSize(box);
  const {
    zoom: chosen,
    view,
    seam,
    bare,
    checks,
    step,
    faded,
    round,
    changes: shownChanges,
  } = usePicked("zoom", "view", "seam", "bare", "checks", "step", "faded", "round", "changes");
  const inHand = useEditor((state) => state.tool !== null);
  const { data } = useRenders(shot.id);
  const picture = shot.document.photograph;

  const width = picture?.width ?? 1;
  const height = picture?.height ?? 1;
  const frame = useMemo(
    () => frameOf(chosen ?? fitted(width, height, stage), stage),
    [chosen, width, height, stage],
  );
  const changes = useChanges();
  const { frame: taken, shown } = useOnShow();
  const { document, derived } = useMemo(() => shownShot(shot, changes, taken), [shot, changes, taken]);
  const refined = useMemo(() => refinedIn(document), [document]);
  const strokes = useStrokes({ shot, document, derived }, frame);
  useWheel(box, frame);
  useEffect(() => exposeHook(frame, derived, shot));

  if (!picture) return null;
  const latest = (quality: View) =>
    data?.renders.find((render) => render.quality === quality && render.has_picture);
  const layer = (name: View) => {
    // What looks round draws the same things through another lens.
    if (name === "live" && round) return null;
    if (name === "live")
      return (
        <>
          <Live shot={shot} document={document} derived={derived} frame={frame} />
          <Fronts shot={shot} document={document} derived={derived} frame={frame} />
        </>
      );
    const render = latest(name);
    if (name === "photo" || !render) return null;
    return (
      <Placed
        src={shownChanges > 0 && step === "contact" ? changesUrl(render, shownChanges) : pictureUrl(render)}
        picture={picture}
        zoom={frame.zoom}
        alt={`${VIEW_NAMES[name]} of revision ${render.revision}`}
      />
    );
  };
  // A finished frame is all there is to see.
  const finished = taken !== null && (shown === "walk" || shown === "film");
  const at = seam ? seam.at * stage.width : stage.width;
  return (
    <div
      ref={box}
      data-testid="stage"
      // The photograph takes keys itself, so that edges can be marked without a mouse.
      // biome-ignore lint/a11y/noNoninteractiveTabindex: it is an application area
      tabIndex={0}
      role="application"
      aria-label="Photograph: with a tool in hand, arrow keys move a cross and Enter sets a point"
      className={`absolute inset-0 touch-none overflow-hidden outline-offset-[-3px] ${inHand ? "cursor-crosshair" : ""}`}
      {...strokes}
    >
      {stage.width > 0 && (
        <>
          <Placed
            src={fileUrl(picture.file)}
            picture={picture}
            zoom={frame.zoom}
            alt={picture.name}
            testid="photograph"
            grey={checks.grey && !bare && (step === "perspective" || step === "ground")}
          />
          {!bare && <TakeFrame shot={shot} zoom={frame.zoom} />}
          {!bare && <Hatched shot={shot} zoom={frame.zoom} />}
          {faded > 0 && !bare && view === "photo" && (
            <div className="pointer-events-none absolute inset-0 bg-white" style={{ opacity: faded }} />
          )}
          {!bare && (
            <>
              <div className="absolute inset-0" style={{ clipPath: `inset(0 ${stage.width - at}px 0 0)` }}>
                {!finished && layer(view)}
                <MadeFrame shot={shot} zoom={frame.zoom} />
              </div>
              {seam && seam.other !== view && (
                <div className="absolute inset-0" style={{ clipPath: `inset(0 0 0 ${at}px)` }}>
                  <Placed src={fileUrl(picture.file)} picture={picture} zoom={frame.zoom} alt="" />
                  {layer(seam.other)}
                </div>
              )}
              <Overlays shot={shot} document={document} derived={derived} frame={frame} />
              {seam && (
                <Seam
                  at={seam.at}
                  width={frame.width}
                  onMove={(next) => useEditor.setState({ seam: { ...seam, at: next } })}
                  left={VIEW_NAMES[view]}
                  right={VIEW_NAMES[seam.other]}
                />
              )}
              {!finished && <Caption view={view} render={latest(view)} />}
            </>
          )}
          <Loupe src={fileUrl(picture.file)} frame={frame} refined={refined} />
        </>
      )}
    </div>
  );
}

/** What the picture on show is, where that is not plain: none yet, growing, or out of date. */
function Caption({ view, render }: { view: View; render: RenderOut | undefined }) {
  if (view === "photo" || view === "live") return null;
  const word = VIEW_NAMES[view].toLowerCase();
  const text = !render
    ? `There is no ${word} yet. ${view === "proof" ? "“Make a proof” path-traces the shot as it stands." : "Make one in the Deliver step."}`
    : render.state === "running" || render.state === "stopping"
      ? `Part ${render.passes_done} of ${render.passes}, growing finer`
      : !render.current
        ? `This ${word} is of revision ${render.revision}; the shot has changed since`
        : null;
  if (!text) return null;
  return (
    <p className="pointer-events-none absolute top-3 left-1/2 -translate-x-1/2 rounded-md bg-ink-900/85 px-3 py-1.5 text-xs whitespace-nowrap text-white">
      {text}
    </p>
  );
}

/** The wheel zooms about the pointer; a pinch on a touchpad comes as a wheel with Ctrl, in smaller steps. */
function useWheel(box: React.RefObject<HTMLDivElement | null>, frame: Frame) {
  const now = useRef(frame);
  now.current = frame;
  useEffect(() => {
    const node = box.current;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      const edge = (event.currentTarget as HTMLElement).getBoundingClientRect();
      const at: ScreenPoint = [event.clientX - edge.left, event.clientY - edge.top];
      const grow = Math.exp(-event.deltaY * (event.ctrlKey ? 0.01 : 0.0015));
      useEditor.setState({ zoom: zoomedAbout(now.current.zoom, at, grow) });
    };
    node?.addEventListener("wheel", onWheel, { passive: false });
    return () => node?.removeEventListener("wheel", onWheel);
  }, [box]);
}
