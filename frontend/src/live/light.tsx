import { useThree } from "@react-three/fiber";
import { useEffect, useMemo, useRef } from "react";
import { type DirectionalLight, NoToneMapping, Object3D, PCFShadowMap } from "three";
import type { Derived, Shot } from "../api/client";
import { footOf, rowOf } from "../geometry/standing";

export const ORIGIN = [0, 0, 0] as const;

/** The middle of what stands there: the shadow's picture is drawn about it. */
function middleOf({ models }: Shot): readonly [number, number, number] {
  const shown = models.filter((one) => !one.hidden);
  if (!shown.length) return ORIGIN;
  const feet = shown.flatMap((one) => rowOf(one).map((copy) => footOf(copy, models).foot));
  const mean = (axis: 0 | 1) => feet.reduce((sum, foot) => sum + foot[axis], 0) / feet.length;
  return [mean(0), mean(1), 0];
}
let software: boolean | null = null;

/** Whether to draw plainly: the renderer's name says that it has no graphics card behind it. */
export function plain(): boolean {
  if (software === null) {
    const context = document.createElement("canvas").getContext("webgl2");
    const told = context?.getExtension("WEBGL_debug_renderer_info");
    const name = told ? String(context?.getParameter(told.UNMASKED_RENDERER_WEBGL)) : "";
    software = /swiftshader|llvmpipe|software/i.test(name);
    context?.getExtension("WEBGL_lose_context")?.loseContext();
  }
  return software;
}

/** How every picture of things is drawn: no second curve of tones. */
export const GL = {
  shadows: { type: PCFShadowMap },
  gl: () => ({ alpha: true, antialias: !plain(), toneMapping: NoToneMapping }),
} as const;

/** Sun and sky as the live view draws them: a directional light with a shadow, and a hemisphere. */
export function Light({ derived, document }: { derived: Derived; document: Shot }) {
  const light = useRef<DirectionalLight>(null);
  const target = useMemo(() => new Object3D(), []);
  const { invalidate } = useThree();
  const sun = derived.sun_shown ?? [0.3, -0.5, 0.8];
  const about = middleOf(document);
  useEffect(() => {
    target.position.set(about[0], about[1], 0);
    target.updateMatrixWorld();
    if (light.current) {
      light.current.target = target;
      light.current.shadow.needsUpdate = true;
    }
    invalidate();
  }, [document, derived, about[0], about[1], target, invalidate]);
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
