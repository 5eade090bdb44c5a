import { Canvas, useThree } from "@react-three/fiber";
import { useEffect, useMemo, useState } from "react";
import type { Vector3 } from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";
import type { ShotOut } from "../api/client";
import { type Camera, cameraOf } from "../geometry/camera";
import { newId, type World } from "../geometry/points";
import { footOf } from "../geometry/standing";
import { lens } from "../live/lens";
import { GL, Light, plain } from "../live/light";
import type { StepProps } from "../marks/props";
import { KINDS } from "../marks/registry";
import { shownShot, useChange, useChanges } from "../state/changes";
import { useEditor, usePicked } from "../state/editor";
import { useOnShow } from "../take/state";
import { Bin, Button } from "../ui/controls";
import { CameraGlyph } from "./CameraGlyph";
import { Ground } from "./Ground";

/** Look round: the placed things from anywhere, on the photographed ground; nothing here touches the matched camera. */
export function Round({ shot }: { shot: ShotOut }) {
  const { round } = usePicked("round");
  const { document, derived } = shownShot(
    shot,
    useChanges(),
    useOnShow((state) => state.frame),
  );
  const camera = useMemo(() => derived.camera && cameraOf(derived.camera), [derived.camera]);
  if (!round || !camera?.metric || !document.photograph) return null;
  const shown = { shot, document, derived };
  return (
    <div className="absolute inset-0 z-[5] bg-[#8a8c8e]" data-testid="round">
      <Canvas
        frameloop="demand"
        shadows={GL.shadows}
        dpr={plain() ? 1 : [1, 2]}
        gl={GL.gl()}
        camera={{ up: [0, 0, 1], position: [...round.eye], fov: 45, near: 0.05, far: 500 }}
      >
        <Orbit />
        <Light derived={derived} document={document} />
        <Ground camera={camera} photograph={document.photograph} />
        {KINDS.map(({ name, Live: Shown }) => Shown && <Shown key={name} {...shown} />)}
        <CameraGlyph camera={camera} photograph={document.photograph} />
      </Canvas>
      <Viewpoints {...shown} />
    </div>
  );
}

/** Where to look round from first: behind and above the photograph's camera, at what stands there. */
export function firstView(
  { document }: Pick<StepProps, "document">,
  camera: Camera,
): { eye: World; aim: World } {
  const feet = document.models.filter((one) => !one.hidden).map((one) => footOf(one, document.models).foot);
  const forward = camera.rotation[2] ?? [0, 1, 0];
  const [px, py, pz] = camera.position;
  const ahead: World = [px + 4 * (forward[0] ?? 0), py + 4 * (forward[1] ?? 0), 0];
  const mean = (axis: 0 | 1 | 2) => feet.reduce((sum, foot) => sum + foot[axis], 0) / feet.length;
  const aim: World = feet.length ? [mean(0), mean(1), mean(2) + 0.3] : ahead;
  const [dx, dy] = [px - aim[0], py - aim[1]];
  // Round by an eighth: what hides behind something in the photograph shows.
  const [c, s] = [Math.cos(0.6), Math.sin(0.6)];
  return { eye: [aim[0] + c * dx - s * dy, aim[1] + s * dx + c * dy, Math.max(2 * pz, 2.5)], aim };
}

/** The mouse goes round: drag turns, the wheel comes nearer, the right button shifts. */
function Orbit() {
  const { camera, gl, invalidate } = useThree();
  const { round } = usePicked("round");
  const controls = useMemo(() => new OrbitControls(camera, gl.domElement), [camera, gl]);
  useEffect(() => {
    lens.value = 0;
    controls.maxPolarAngle = Math.PI * 0.495;
    const moved = () => invalidate();
    const ended = () => {
      const triple = ({ x, y, z }: Vector3): World => [x, y, z];
      useEditor.setState({ round: { eye: triple(camera.position), aim: triple(controls.target) } });
    };
    controls.addEventListener("change", moved);
    controls.addEventListener("end", ended);
    return () => {
      controls.removeEventListener("change", moved);
      controls.removeEventListener("end", ended);
      controls.dispose();
    };
  }, [controls, camera, invalidate]);
  useEffect(() => {
    if (!round) return;
    camera.position.set(...round.eye);
    controls.target.set(...round.aim);
    controls.update();
    invalidate();
  }, [round, camera, controls, invalidate]);
  return null;
}

/** Kept viewpoints by name, and the way back. */
function Viewpoints({ shot, document }: StepProps) {
  const { round } = usePicked("round");
  const { change } = useChange(shot.id);
  const [name, setName] = useState("");
  const keep = () => {
    if (!round) return;
    const id = newId("v");
    const view = {
      id,
      name: name.trim() || `View ${document.viewpoints.length + 1}`,
      eye_m: round.eye,
      aim_m: round.aim,
    };
    setName("");
    void change(
      { viewpoints: { [id]: view as unknown as (typeof document.viewpoints)[number] } },
      "keep a viewpoint",
    );
  };
  return (
    <section
      aria-label="Look round"
      className="absolute bottom-4 left-4 w-64 rounded-xl bg-lime-50/97 p-3 shadow-[0_4px_18px_rgb(0_0_0/.28)]"
    >
      <Button look="primary" className="w-full" onClick={() => useEditor.setState({ round: null })}>
        Back to the photograph <kbd className="rounded bg-white/25 px-1 text-xs">R</kbd>
      </Button>
      <p className="pt-1.5 text-xs text-ink-500">
        Drag to go round, the wheel to come nearer, right button to shift.
      </p>
      {document.viewpoints.map((view) => (
        <div key={view.id} className="flex items-center gap-1 pt-1">
          <button
            type="button"
            className="min-w-0 grow truncate rounded px-1 py-0.5 text-left hover:bg-lime-200"
            onClick={() => useEditor.setState({ round: { eye: view.eye_m, aim: view.aim_m } })}
          >
            {view.name}
          </button>
          <Bin
            label={`Forget ${view.name}`}
            onClick={() => void change({ viewpoints: { [view.id]: null } }, "forget a viewpoint")}
          />
        </div>
      ))}
      <form
        className="flex gap-1.5 pt-2"
        onSubmit={(event) => {
          event.preventDefault();
          keep();
          // Keys belong to the view again: R comes back.
          (window.document.activeElement as HTMLElement | null)?.blur();
        }}
      >
        <input
          aria-label="Name of the viewpoint"
          placeholder="name this view"
          value={name}
          maxLength={200}
          className="min-w-0 grow rounded-md border border-lime-300 bg-white px-2 py-1 placeholder:text-ink-500"
          onChange={(event) => setName(event.target.value)}
        />
        <Button type="submit">Keep</Button>
      </form>
    </section>
  );
}
