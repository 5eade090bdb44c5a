import { useCallback, useEffect, useLayoutEffect, useRef, useState } from "react";
import { fileUrl, pictureUrl, type RenderOut, type ShotOut } from "../api/client";
import { useRenders } from "../api/hooks";
import type { ImagePoint, ScreenPoint } from "../geometry/points";
import { Live } from "../live/Live";
import { shown } from "../state/draft";
import { useEditor, usePicked, type View, type Zoom } from "../state/editor";
import { exposeHook } from "./hook";
import { Loupe } from "./Loupe";
import { Marks } from "./Marks";
import { Seam } from "./Seam";
import { useStrokes } from "./strokes";

const VIEW_NAMES: Record<View, string> = { photo: "Photo", live: "Live", proof: "Proof", master: "Master" };

export type Frame = {
  zoom: Zoom;
  width: number;
  height: number;
  toScreen(p: ImagePoint): ScreenPoint;
  toImage(p: ScreenPoint): ImagePoint;
};

function fit(width: number, height: number, stage: { width: number; height: number }): Zoom {
  const scale = Math.min((stage.width - 40) / width, (stage.height - 36) / height);
  return { scale, x: (stage.width - width * scale) / 2, y: (stage.height - height * scale) / 2 };
}

/** The photograph, as large as it goes, with what is laid over it. */
export function Stage({ shot }: { shot: ShotOut }) {
  const box = useRef<HTMLDivElement>(null);
  const [stage, setStage] = useState({ width: 0, height: 0 });
  const {
    zoom: chosen,
    view,
    seam,
    bare,
    draft,
    draftDerived,
    loupe,
    tool,
    checks,
    step,
  } = usePicked("zoom", "view", "seam", "bare", "draft", "draftDerived", "loupe", "tool", "checks", "step");
  const { data } = useRenders(shot.id);
  const picture = shot.document.photograph;

  useLayoutEffect(() => {
    const node = box.current;
    if (!node) return;
    const watch = new ResizeObserver(() => setStage({ width: node.clientWidth, height: node.clientHeight }));
    watch.observe(node);
    return () => watch.disconnect();
  }, []);

  const zoom = chosen ?? fit(picture?.width ?? 1, picture?.height ?? 1, stage);
  const frame: Frame = {
    zoom,
    ...stage,
    toScreen: (p) => [p[0] * zoom.scale + zoom.x, p[1] * zoom.scale + zoom.y],
    toImage: (p) => [(p[0] - zoom.x) / zoom.scale, (p[1] - zoom.y) / zoom.scale],
  };
  const document = shown(shot, draft);
  const derived = draftDerived ?? shot.derived;
  const strokes = useStrokes(shot, document, frame);
  usePanAndZoom(box, frame);
  useEffect(() => exposeHook(frame, derived, shot));

  if (!picture) return null;
  const latest = (quality: View) =>
    data?.renders.find((render) => render.quality === quality && render.has_picture);
  const layer = (name: View) => {
    if (name === "live") return <Live document={document} derived={derived} frame={frame} />;
    const render = latest(name);
    if (name === "photo" || !render) return null;
    return (
      <Placed
        src={pictureUrl(render)}
        picture={picture}
        frame={frame}
        alt={`${VIEW_NAMES[name]} of revision ${render.revision}`}
      />
    );
  };
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
      className={`absolute inset-0 touch-none overflow-hidden outline-offset-[-3px] ${tool.kind === "none" ? "" : "cursor-crosshair"}`}
      {...strokes}
    >
      {stage.width > 0 && (
        <>
          <Placed
            src={fileUrl(picture.file)}
            picture={picture}
            frame={frame}
            alt={picture.name}
            testid="photograph"
            grey={checks.grey && !bare && (step === "perspective" || step === "ground")}
          />
          {!bare && (
            <>
              <div className="absolute inset-0" style={{ clipPath: `inset(0 ${stage.width - at}px 0 0)` }}>
                {layer(view)}
              </div>
              {seam && seam.other !== view && (
                <div className="absolute inset-0" style={{ clipPath: `inset(0 0 0 ${at}px)` }}>
                  <Placed src={fileUrl(picture.file)} picture={picture} frame={frame} alt="" />
                  {layer(seam.other)}
                </div>
              )}
              <Marks shot={shot} document={document} derived={derived} frame={frame} />
              {seam && <Seam frame={frame} left={VIEW_NAMES[view]} right={VIEW_NAMES[seam.other]} />}
              <Caption view={view} render={latest(view)} shot={shot} />
            </>
          )}
          <Loupe src={fileUrl(picture.file)} frame={frame} at={loupe} />
        </>
      )}
    </div>
  );
}

type PlacedProps = {
  src: string;
  picture: { width: number; height: number };
  frame: Frame;
  alt: string;
  testid?: string;
  /** Without its colours and with more contrast: lines are seen better. */
  grey?: boolean;
};

/** A picture laid exactly over the photograph's place; pixels stay square when looked at closely. */
function Placed({ src, picture, frame, alt, testid, grey }: PlacedProps) {
  const { scale, x, y } = frame.zoom;
  return (
    <img
      src={src}
      alt={alt}
      data-testid={testid}
      draggable={false}
      className="pointer-events-none absolute max-w-none select-none"
      style={{
        left: x,
        top: y,
        width: picture.width * scale,
        height: picture.height * scale,
        imageRendering: scale > 2.5 ? "pixelated" : "auto",
        filter: grey ? "grayscale(1) contrast(1.25)" : undefined,
      }}
    />
  );
}

/** What the picture on show is, where that is not plain: none yet, growing, or out of date. */
function Caption({ view, render, shot }: { view: View; render: RenderOut | undefined; shot: ShotOut }) {
  if (view === "photo" || view === "live") return null;
  const word = VIEW_NAMES[view].toLowerCase();
  const text = !render
    ? `There is no ${word} yet. ${view === "proof" ? "“Make a proof” path-traces the shot as it stands." : "Make one in the Deliver step."}`
    : render.state === "running" || render.state === "stopping"
      ? `Pass ${render.passes_done} of ${render.passes}, growing finer`
      : render.revision !== shot.revision
        ? `This ${word} is of revision ${render.revision}; the shot has changed since`
        : null;
  if (!text) return null;
  return (
    <p className="pointer-events-none absolute top-3 left-1/2 -translate-x-1/2 rounded-md bg-ink-900/85 px-3 py-1.5 text-xs whitespace-nowrap text-white">
      {text}
    </p>
  );
}

/** The wheel zooms about the pointer; the middle button, or a drag with no tool in hand, pans. */
function usePanAndZoom(box: React.RefObject<HTMLDivElement | null>, frame: Frame) {
  const now = useRef(frame);
  now.current = frame;
  const onWheel = useCallback((event: WheelEvent) => {
    event.preventDefault();
    const { zoom } = now.current;
    const node = event.currentTarget as HTMLElement;
    const edge = node.getBoundingClientRect();
    const [px, py] = [event.clientX - edge.left, event.clientY - edge.top];
    const scale = Math.min(Math.max(zoom.scale * Math.exp(-event.deltaY * 0.0015), 0.03), 24);
    const grow = scale / zoom.scale;
    useEditor.setState({ zoom: { scale, x: px - (px - zoom.x) * grow, y: py - (py - zoom.y) * grow } });
  }, []);
  useEffect(() => {
    const node = box.current;
    node?.addEventListener("wheel", onWheel, { passive: false });
    return () => node?.removeEventListener("wheel", onWheel);
  }, [box, onWheel]);
}
