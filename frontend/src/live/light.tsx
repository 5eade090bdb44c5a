import { useThree } from "@react-three/fiber";
import { useEffect, useMemo, useRef } from "react";
import { type DirectionalLight, NoToneMapping, Object3D, PCFShadowMap } from "three";
import type { Derived, Shot } from "../api/client";
import { footOf, rowOf } from "../geometry/standing";
import { hasSun } from "../geometry/sun";
import { Shutter } from "./shutter";

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

type Colour = [number, number, number];
const CLEAR = { white: [0.98, 0.95, 0.92], shade: [0.17, 0.23, 0.32] };
const ROOM = { white: [0.5, 0.48, 0.45], shade: [0.2, 0.19, 0.18] };
const GROUND = 0.3;

/**
 * What level white shows, lit and in shade, as the lights of the live view: a light of 1 shows white as 1/π.
 * A clear day's where no patches tell.
 */
function daylight(document: Shot, { balance }: Derived, rise: number) {
  const inRoom = document.lit_by === "room";
  const { white, shade } = balance ?? (inRoom ? ROOM : CLEAR);
  const taken = Math.PI * 2 ** document.exposure.stops;
  const by = (of: (white: number, shade: number) => number) =>
    white.map((w, channel) => taken * of(w, shade[channel] ?? 0)) as Colour;
  const { strength } = document.sky;
  return {
    sky: by((_, s) => s * strength),
    bounce: by((w) => w * GROUND),
    direct: inRoom
      ? letIn(document, balance, taken)
      : by((w, s) => (document.sun.strength * Math.max(w - s, 0)) / Math.max(rise, 0.12)),
  };
}

/** The sun that comes into a room by its windows, which are lights of their own. */
function letIn(document: Shot, balance: Derived["balance"], taken: number): Colour {
  const sun = balance?.lights.find(({ kind }) => kind === "sun");
  const strength = sun?.strength ?? (hasSun(document) ? [9, 8.5, 7.5] : [0, 0, 0]);
  return strength.map((v) => (taken * document.sun.strength * v) / Math.PI) as Colour;
}

/** How dark a shadow is drawn: what is taken of a code where only the shade's light is left. */
export function shadowDepth(document: Shot, { balance, sun_shown }: Derived): number {
  const { white, shade } = balance ?? CLEAR;
  const direct = balance && document.lit_by === "room" ? letIn(document, balance, sun_shown?.[2] ?? 0) : null;
  const lit = direct ? direct.map((v, channel) => v + (shade[channel] ?? 0)) : white;
  const left = shade.reduce((sum, v, channel) => sum + v / Math.max(lit[channel] ?? 1, 1e-6), 0) / 3;
  return 1 - Math.min(left, 1) ** (1 / 2.2);
}

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
  const { sky, bounce, direct } = daylight(document, derived, sun[2]);
  return (
    <>
      <hemisphereLight color={sky} groundColor={bounce} intensity={1} position={[0, 0, 1]} />
      <directionalLight
        ref={light}
        castShadow={hasSun(document)}
        position={[about[0] + sun[0] * 20, about[1] + sun[1] * 20, sun[2] * 20]}
        intensity={1}
        color={direct}
        shadow-mapSize={[size, size]}
        shadow-camera-left={-6}
        shadow-camera-right={6}
        shadow-camera-top={6}
        shadow-camera-bottom={-6}
        shadow-camera-far={60}
        shadow-normalBias={0.02}
      />
      {document.lit_by === "room" && <Shutter document={document} derived={derived} about={about} />}
    </>
  );
}
