import { Canvas, useThree } from "@react-three/fiber";
import { memo, useEffect, useMemo, useRef } from "react";
import {
  type DirectionalLight,
  NoToneMapping,
  Object3D,
  PCFShadowMap,
  PerspectiveCamera,
  ShadowMaterial,
} from "three";
import type { Derived, Shot } from "../api/client";
import { levelHeight } from "../checks/spots";
import { type Camera, cameraOf } from "../geometry/camera";
import type { Frame } from "../geometry/frame";
import type { StepProps } from "../marks/props";
import { KINDS } from "../marks/registry";
import { bending, lens } from "./lens";
import { useModelsReady } from "./models";

type Props = StepProps & { frame: Frame };

/** The rasterised view in the browser: the models and their shadow, through the matched camera. */
export const Live = memo(function Live({ frame, ...shown }: Props) {
  const { document, derived } = shown;
  const camera = derived.camera && cameraOf(derived.camera);
  if (!camera?.metric) return <Missing derived={derived} />;
  return (
    <div className="pointer-events-none absolute inset-0" data-testid="live">
      <Canvas
        frameloop="demand"
        shadows={{ type: PCFShadowMap }}
        dpr={plain() ? 1 : [1, 2]}
        gl={{ alpha: true, antialias: !plain(), toneMapping: NoToneMapping }}
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

const ORIGIN = [0, 0, 0] as const;
let software: boolean | null = null;

/** Whether to draw plainly: the renderer's name says that it has no graphics card behind it. */
function plain(): boolean {
  if (software === null) {
    const context = document.createElement("canvas").getContext("webgl2");
    const told = context?.getExtension("WEBGL_debug_renderer_info");
    const name = told ? String(context?.getParameter(told.UNMASKED_RENDERER_WEBGL)) : "";
    software = /swiftshader|llvmpipe|software/i.test(name);
    context?.getExtension("WEBGL_lose_context")?.loseContext();
  }
  return software;
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

/** Sun and sky as the live view draws them: a directional light with a shadow, and a hemisphere. */
function Light({ derived, document }: { derived: Derived; document: Shot }) {
  const light = useRef<DirectionalLight>(null);
  const target = useMemo(() => new Object3D(), []);
  const { invalidate } = useThree();
  const sun = derived.sun_shown ?? [0.3, -0.5, 0.8];
  const about = document.models[0]?.position_m ?? ORIGIN;
  useEffect(() => {
    target.position.set(about[0], about[1], 0);
    target.updateMatrixWorld();
    if (light.current) {
      light.current.target = target;
      light.current.shadow.needsUpdate = true;
    }
    invalidate();
  }, [document, derived, about, target, invalidate]);
  const size = plain() ? 512 : 2048;
  return (
    <>
      <hemisphereLight args={["#dfe9f5", "#b9ab93", 2.3 * document.sky.strength]} position={[0, 0, 1]} />
      <directionalLight
        ref={light}
        castShadow
        position={[about[0] + sun[0] * 20, about[1] + sun[1] * 20, sun[2] * 20]}
        intensity={Math.min(2.5 / Math.max(sun[2], 0.15), 9) * document.sun.strength}
        color="#fff3df"
        shadow-mapSize={[size, size]}
        shadow-camera-left={-6}
        shadow-camera-right={6}
        shadow-camera-top={6}
        shadow-camera-bottom={-6}
        shadow-camera-far={60}
        shadow-normalBias={0.02}
      />
    </>
  );
}

/** Every plane that something stands on takes its shadow. */
function ShadowedGrounds({ bent, document, derived }: StepProps & { bent: boolean }) {
  const heights = [...new Set(document.models.map((one) => levelHeight(derived, one.level)))];
  return heights.map((height) => {
    const first = document.models.find((one) => levelHeight(derived, one.level) === height);
    return <ShadowedGround key={height} bent={bent} height={height} about={first?.position_m ?? [0, 0, 0]} />;
  });
}

type GroundProps = { bent: boolean; height: number; about: readonly number[] };

/** A plane that takes shadows; a bent lens bends it only where it has vertices. */
function ShadowedGround({ bent, height, about }: GroundProps) {
  const material = useMemo(() => bending(new ShadowMaterial({ opacity: 0.62, color: "#10141f" })), []);
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
