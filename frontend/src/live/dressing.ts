import { DoubleSide, type Group, Mesh, MeshStandardMaterial } from "three";
import type { Materials, Placed } from "../api/client";
import { bending } from "./lens";

export type Surfaces = NonNullable<Placed["surfaces"]>;
type Surface = Surfaces[string];
type Kinds = Materials["surfaces"];

/** Nothing is there to be mirrored in the live view: a full metal would be black. */
export const LIVE_METAL = 0.35;

/**
 * A copy of a model with other surfaces on some of its materials, as near to the proof as rasterising allows. On one
 * that the server has laid (`laid`) textures and prints stay as they are.
 */
export function dressed(root: Group, surfaces: Surfaces, kinds: Kinds, laid: boolean): Group {
  const copy = root.clone();
  const made = new Map<string, MeshStandardMaterial>();
  copy.traverse((thing) => {
    if (!(thing instanceof Mesh) || Array.isArray(thing.material)) return;
    const name: string = thing.material.name;
    const surface = surfaces[name];
    const kind = surface && kinds[surface.kind];
    if (!surface || !kind || (laid && thing.material.map)) return;
    const material = made.get(name) ?? bending(liveMaterial(surface, kind));
    made.set(name, material);
    thing.material = material;
  });
  return copy;
}

/** Lets go of what was made for a dressed copy; what it shares with the model stays. */
export function undressed(copy: Group) {
  copy.traverse((thing) => {
    if (thing instanceof Mesh && thing.material.userData.dressed) thing.material.dispose();
  });
}

function liveMaterial(surface: Surface, kind: Kinds[string]): MeshStandardMaterial {
  const told = (name: string, otherwise: number) =>
    surface.parameters?.[name] ?? kind.parameters[name]?.default ?? otherwise;
  const [r, g, b] = surface.colour ?? kind.colour;
  const material = new MeshStandardMaterial({
    roughness: 1 - told("gloss", told("polish", 0.1)),
    metalness: surface.kind === "metal" ? LIVE_METAL : told("flake", 0) * LIVE_METAL,
    side: DoubleSide,
  });
  material.userData.dressed = true;
  material.color.setRGB(r ?? 0.5, g ?? 0.5, b ?? 0.5);
  if (surface.kind === "glass" || surface.kind === "water") {
    material.roughness = told("frost", 0);
    material.transparent = true;
    material.opacity = 0.3 + 0.5 * told("frost", 0);
    material.depthWrite = false;
  }
  return material;
}
