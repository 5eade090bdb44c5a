import { Canvas, useThree } from "@react-three/fiber";
import { memo, useEffect, useMemo } from "react";
import { PerspectiveCamera, ShadowMaterial } from "three";
import type { Derived, Placed, Shot } from "../api/client";
import { levelHeight } from "../checks/spots";
import { type Camera, cameraOf } from "../geometry/camera";
import type { Frame } from "../geometry/frame";
import { footOf, rootOf } from "../geometry/standing";
import type { StepProps } from "../marks/props";
import { KINDS } from "../marks/registry";
import { useChanges } from "../state/changes";
import { bending, lens } from "./lens";
import { GL, Light, ORIGIN, plain, shadowDepth } from "./light";
import { useModelsReady } from "./models";
import { SunlitParts } from "./shutter";

type Props = StepProps & { frame: Frame };

/** Without a graphics card, the share of the screen's points that are drawn while something is pulled. */
const WHILE_MOVED = 0.5;

/** The rasterised view in the browser: the models and their shadow, through the matched camera. */
export const Live = memo(function Live({ frame, ...shown }: Props) {
  const { document, derived } = shown;
  const moving = useChanges(({ draft }) => draft !== null);
  const camera = derived.camera && cameraOf(derived.camera);
  if (!camera?.metric) return <Missing derived={derived} />;
  return (
    <div className="pointer-events-none absolute inset-0" data-testid="live">
      <Canvas
        frameloop="demand"
        shadows={GL.shadows}
        dpr={plain() ? (moving ? WHILE_MOVED : 1) : [1, 2]}
        gl={GL.gl()}
        style={{ position: "absolute", inset: 0 }}
      >
        <Matched camera={camera} frame={frame} />
        <Light derived={derived} document={document} />
        <ShadowedGrounds bent={camera.k1 !== 0} {...shown} />
        {KINDS.map(({ name, Live: Shown }) => Shown && <Shown key={name} {...shown} />)}
        <Ready document={document} />
      </Canvas>
    </div>
  );
});

function Missing({ derived }: { derived: Derived }) {
  const text = derived.camera
    ? "Draw a yardstick in the Ground step: without a known length nothing has a size here."
    : "The live view needs the perspective first: mark edges in two runs.";
  return (
    <p className="absolute top-3 left-1/2 -translate-x-1/2 rounded-md bg-ink-900/85 px-3 py-1.5 text-xs text-white">
      {text}
    </p>
  );
}

/** A camera whose projection is the solved one, shifted and scaled as the photograph is on the stage. */
class MatchedCamera extends PerspectiveCamera {
  manual = true;
  told: { fx: number; cx: number; cy: number; width: number; height: number } | null = null;

  override updateProjectionMatrix() {
    if (!this.told) return;
    const { fx, cx, cy, width, height } = this.told;
    const [near, far] = [0.05, 500];
    this.projectionMatrix.set(
      (2 * fx) / width, 0, 1 - (2 * cx) / width, 0,
      0, (2 * fx) / height, (2 * cy) / height - 1, 0,
      0, 0, -(far + near) / (far - near), (-2 * far * near) / (far - near),
      0, 0, -1, 0,
    ); // biome-ignore format: a matrix reads by rows
    this.projectionMatrixInverse.copy(this.projectionMatrix).invert();
  }
}

function Matched({ camera, frame }: { camera: Camera; frame: Frame }) {
  const { set, size, invalidate } = useThree();
  const matched = useMemo(() => new MatchedCamera(), []);
  useEffect(
    () => set({ camera: matched as unknown as PerspectiveCamera & { manual?: boolean } }),
    [set, matched],
  );
  useEffect(() => {
    const { scale, x, y } = frame.zoom;
    matched.told = {
      fx: camera.focal * scale,
      cx: camera.cx * scale + x,
      cy: camera.cy * scale + y,
      width: size.width,
      height: size.height,
    };
    matched.fov = (2 * Math.atan(size.height / 2 / (camera.focal * scale)) * 180) / Math.PI;
    matched.aspect = size.width / size.height;
    const [right, down, forward] = camera.rotation as [number[], number[], number[]];
    const row = (v: number[], sign: number) => v.map((n) => n * sign) as [number, number, number];
    const [r, u, b] = [row(right, 1), row(down, -1), row(forward, -1)];
    matched.matrixAutoUpdate = false;
    matched.matrix.set(
      r[0], u[0], b[0], camera.position[0],
      r[1], u[1], b[1], camera.position[1],
      r[2], u[2], b[2], camera.position[2],
      0, 0, 0, 1,
    ); // biome-ignore format: a matrix reads by rows
    lens.value = camera.k1;
    matched.matrixWorldNeedsUpdate = true;
    matched.updateMatrixWorld(true);
    matched.updateProjectionMatrix();
    invalidate();
  }, [camera, frame, matched, size, invalidate]);
  return null;
}

/** Every plane that something stands on takes its shadow. */
function ShadowedGrounds({ bent, document, derived }: StepProps & { bent: boolean }) {
  const shown = document.models.filter((one) => !one.hidden);
  const heightOf = (one: Placed) => levelHeight(derived, rootOf(one, document.models).level);
  const heights = [...new Set(shown.map(heightOf))];
  return heights.map((height) => {
    const first = shown.find((one) => heightOf(one) === height);
    const about = first ? footOf(first, document.models).foot : ORIGIN;
    const depth = shadowDepth(document, derived);
    return document.lit_by === "room" ? (
      <SunlitParts key={height} document={document} derived={derived} height={height} depth={depth} />
    ) : (
      <ShadowedGround key={height} bent={bent} height={height} about={about} depth={depth} />
    );
  });
}

type GroundProps = { bent: boolean; height: number; about: readonly number[]; depth: number };

/** A plane that takes shadows; a bent lens bends it only where it has vertices. */
function ShadowedGround({ bent, height, about, depth }: GroundProps) {
  const material = useMemo(() => bending(new ShadowMaterial({ opacity: depth, color: "#10141f" })), [depth]);
  return (
    <mesh
      receiveShadow
      position={bent ? [about[0] ?? 0, about[1] ?? 0, height] : [0, 0, height]}
      material={material}
    >
      <planeGeometry key={String(bent)} args={bent ? [24, 24, 96, 96] : [200, 200]} />
    </mesh>
  );
}

/** Tells the test hook when everything asked for has been drawn. */
function Ready({ document }: { document: Shot }) {
  const files = document.models.map((placed) => placed.file);
  const all = useModelsReady(files);
  useEffect(() => {
    if (window.lithopos) window.lithopos.ready = all;
    return () => {
      if (window.lithopos) window.lithopos.ready = false;
    };
  }, [all]);
  return null;
}
