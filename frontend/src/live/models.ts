import { useSyncExternalStore } from "react";
import { Box3, Group, Mesh, MeshStandardMaterial, Vector3 } from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";
import { liveUrl } from "../api/client";
import type { Read } from "../geometry/standing";
import { say } from "../state/notices";
import { LIVE_METAL } from "./dressing";
import { bending } from "./lens";

/** A read model, z up, its foot's middle at the origin as the renderer has it. */
export type LoadedModel = Read & { root: Group };

const loaded = new Map<string, LoadedModel | "reading" | "failed">();
const listeners = new Set<() => void>();

async function read(file: string) {
  loaded.set(file, "reading");
  try {
    const gltf = await new GLTFLoader().loadAsync(liveUrl(file));
    const upright = new Group();
    upright.rotation.x = Math.PI / 2;
    upright.add(gltf.scene);
    upright.updateMatrixWorld(true);
    const box = new Box3().setFromObject(upright, true);
    const size = box.getSize(new Vector3());
    upright.position.set(-(box.min.x + box.max.x) / 2, -(box.min.y + box.max.y) / 2, -box.min.z);
    const root = new Group();
    root.add(upright);
    root.traverse((thing) => {
      thing.castShadow = true;
      thing.receiveShadow = true;
      if (thing instanceof Mesh) [thing.material].flat().forEach(bending);
      if (thing instanceof Mesh && thing.material instanceof MeshStandardMaterial) {
        thing.material.metalness *= LIVE_METAL;
      }
    });
    const told = gltf.asset.extras as { unit_m: number; up: "y" | "z" };
    loaded.set(file, { root, size: [size.x, size.y, size.z], unit_m: told.unit_m, up: told.up });
  } catch {
    loaded.set(file, "failed");
    say("The model can’t be shown in the live view; the proof still shows it.", "wrong");
  }
  for (const tell of listeners) tell();
}

const subscribe = (tell: () => void) => {
  listeners.add(tell);
  return () => listeners.delete(tell);
};

/** Whether every one of some models is read. */
export const useModelsReady = (files: string[]) =>
  useSyncExternalStore(subscribe, () => files.every((file) => typeof loaded.get(file) === "object"));

/** A model for drawing; null until it is read. */
export function useModel(file: string | undefined): LoadedModel | null {
  const state = useSyncExternalStore(subscribe, () => (file ? loaded.get(file) : undefined));
  if (file && state === undefined) void read(file);
  return typeof state === "object" ? state : null;
}
