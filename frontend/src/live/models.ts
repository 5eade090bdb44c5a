import { useEffect, useRef, useSyncExternalStore } from "react";
import { Box3, Group, Mesh, MeshStandardMaterial, Texture, Vector3 } from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";
import { liveUrl, lookUrl, type Placed } from "../api/client";
import type { World } from "../geometry/points";
import type { Read } from "../geometry/standing";
import { say } from "../state/notices";
import { LIVE_METAL } from "./dressing";
import { bending } from "./lens";

/**
 * A read model, z up, its foot's middle at the origin; `foot` is where that is in the model as its reader gives it,
 * `points` are its vertices as they lie here.
 */
export type LoadedModel = Read & { root: Group; foot: World; points: Float32Array };

const loaded = new Map<string, LoadedModel | "reading" | "failed">();
const listeners = new Set<() => void>();

async function read(key: string, url: string) {
  loaded.set(key, "reading");
  try {
    const gltf = await new GLTFLoader().loadAsync(url);
    const upright = new Group();
    upright.rotation.x = Math.PI / 2;
    upright.add(gltf.scene);
    upright.updateMatrixWorld(true);
    const box = new Box3().setFromObject(upright, true);
    const size = box.getSize(new Vector3());
    const foot: World = [(box.min.x + box.max.x) / 2, (box.min.y + box.max.y) / 2, box.min.z];
    upright.position.set(-foot[0], -foot[1], -foot[2]);
    const root = new Group();
    root.add(upright);
    root.updateMatrixWorld(true);
    root.traverse((thing) => {
      thing.castShadow = true;
      thing.receiveShadow = true;
      if (thing instanceof Mesh) [thing.material].flat().forEach(bending);
      if (thing instanceof Mesh && thing.material instanceof MeshStandardMaterial) {
        thing.material.metalness *= LIVE_METAL;
      }
    });
    const told = gltf.asset.extras as { unit_m: number; up: "y" | "z" };
    const points = pointsOf(root);
    loaded.set(key, { root, foot, points, size: [size.x, size.y, size.z], unit_m: told.unit_m, up: told.up });
  } catch {
    loaded.set(key, "failed");
    say("The model can’t be shown in the live view; the proof still shows it.", "wrong");
  }
  for (const tell of listeners) tell();
}

function pointsOf(root: Group): Float32Array {
  const found: number[] = [];
  const point = new Vector3();
  root.traverse((thing) => {
    if (!(thing instanceof Mesh)) return;
    const places = thing.geometry.getAttribute("position");
    for (let i = 0; i < places.count; i++) {
      point.fromBufferAttribute(places, i).applyMatrix4(thing.matrixWorld);
      found.push(point.x, point.y, point.z);
    }
  });
  return new Float32Array(found);
}

const subscribe = (tell: () => void) => {
  listeners.add(tell);
  return () => listeners.delete(tell);
};

function useLoaded(key: string | undefined, url: string): LoadedModel | null {
  const state = useSyncExternalStore(subscribe, () => (key ? loaded.get(key) : undefined));
  if (key && state === undefined) void read(key, url);
  return typeof state === "object" ? state : null;
}

/** Whether every one of some models is read. */
export const useModelsReady = (files: string[]) =>
  useSyncExternalStore(subscribe, () => files.every((file) => typeof loaded.get(file) === "object"));

/** A model for drawing, as it came; null until it is read. */
export const useModel = (file: string | undefined) => useLoaded(file, file ? liveUrl(file) : "");

/** The same outside of drawing. */
export function modelOf(file: string): LoadedModel | null {
  const state = loaded.get(file);
  return typeof state === "object" ? state : null;
}

/** What a thing's look is made of: as long as it stays, so does what the server made of it. */
function lookOf(placed: Placed): string | null {
  const laid = Object.values(placed.surfaces).some((one) => one.texture);
  if (!laid && !Object.keys(placed.prints).length) return null;
  const { file, size, unit, up, surfaces, prints } = placed;
  return hashed(JSON.stringify([file, size, unit, up, surfaces, prints]));
}

/** A short name for a text (FNV-1a): tells looks apart in addresses. */
function hashed(text: string): string {
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193) >>> 0;
  return hash.toString(36) + text.length.toString(36);
}

/**
 * A thing with the textures and prints that are accepted, as the server lays them; while a new look is on its way the
 * last one stays. Null where it has none.
 */
export function useLook(shotId: string, accepted: Placed | undefined): LoadedModel | null {
  const look = accepted ? lookOf(accepted) : null;
  const key = look && accepted ? `look:${accepted.id}:${look}` : undefined;
  // One look of a thing at a time: while many changes come, the server is asked for the last one only.
  const turn = useSyncExternalStore(subscribe, () => !accepted || isTurn(accepted.id, key));
  const fresh = useLoaded(
    turn ? key : undefined,
    key && accepted && look ? lookUrl(shotId, accepted.id, look) : "",
  );
  const last = useRef<{ key: string; model: LoadedModel } | null>(null);
  useEffect(() => {
    if (!fresh || !key) return;
    const old = last.current;
    last.current = { key, model: fresh };
    if (old && old.key !== key) forget(old.key);
  }, [fresh, key]);
  return look ? (fresh ?? last.current?.model ?? null) : null;
}

/** Whether no other look of a thing is being read. */
function isTurn(thing: string, key: string | undefined): boolean {
  for (const [other, state] of loaded)
    if (other !== key && state === "reading" && other.startsWith(`look:${thing}:`)) return false;
  return true;
}

function forget(key: string) {
  const state = loaded.get(key);
  loaded.delete(key);
  if (typeof state !== "object") return;
  state.root.traverse((thing) => {
    if (!(thing instanceof Mesh)) return;
    thing.geometry.dispose();
    for (const material of [thing.material].flat()) {
      for (const value of Object.values(material)) if (value instanceof Texture) value.dispose();
      material.dispose();
    }
  });
}
