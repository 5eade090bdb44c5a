import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import {
  BufferAttribute,
  BufferGeometry,
  MeshBasicMaterial,
  MeshStandardMaterial,
  SRGBColorSpace,
  type Texture,
  TextureLoader,
} from "three";
import { graphicUrl, type Pane, type PaneAnswer } from "../../api/client";
import { bending } from "../../live/lens";
import type { StepProps } from "../props";

/** Panes where they hang. */
export function HungPanes({ document, derived }: StepProps) {
  return document.panes.map((pane) => {
    const answer = derived.panes.find(({ id }) => id === pane.id);
    return pane.hidden || !answer?.corners_m ? null : (
      <Hung key={pane.id} pane={pane} corners={answer.corners_m} />
    );
  });
}

type Props = { pane: Pane; corners: NonNullable<PaneAnswer["corners_m"]> };

const FIELDS = 12;

function Hung({ pane, corners }: Props) {
  const { invalidate } = useThree();
  const place = JSON.stringify(corners);
  const geometry = useMemo(() => sheetOf(JSON.parse(place)), [place]);
  const shines = pane.lit === "by itself";
  const material = useMemo(
    () => bending(shines ? new MeshBasicMaterial() : new MeshStandardMaterial()),
    [shines],
  );
  const url = pane.file ? graphicUrl(pane.file, pane.time_s) : null;
  useEffect(() => {
    if (!url) return;
    let gone = false;
    let texture: Texture | null = null;
    new TextureLoader().load(url, (loaded) => {
      if (gone) return loaded.dispose();
      loaded.colorSpace = SRGBColorSpace;
      loaded.flipY = false;
      texture = loaded;
      material.map = loaded;
      material.transparent = true;
      material.needsUpdate = true;
      invalidate();
    });
    return () => {
      gone = true;
      texture?.dispose();
      material.map = null;
    };
  }, [url, material, invalidate]);
  useEffect(() => () => geometry.dispose(), [geometry]);
  useEffect(() => () => material.dispose(), [material]);
  useEffect(() => {
    const bright = shines ? Math.min(pane.brightness_in === "white" ? pane.brightness : 1, 1) : 1;
    material.color.setScalar(bright);
    invalidate();
  });
  return <mesh geometry={geometry} material={material} renderOrder={2} />;
}

/** The sheet between four corners, in fields: a bent lens bends it only where it has vertices. */
function sheetOf(corners: Props["corners"]): BufferGeometry {
  const [a, b, c, d] = corners as [Corner, Corner, Corner, Corner];
  const places: number[] = [];
  const uv: number[] = [];
  const faces: number[] = [];
  for (let j = 0; j <= FIELDS; j++)
    for (let i = 0; i <= FIELDS; i++) {
      const [u, v] = [i / FIELDS, j / FIELDS];
      for (const k of [0, 1, 2] as const)
        places.push((1 - u) * (1 - v) * a[k] + u * (1 - v) * b[k] + u * v * c[k] + (1 - u) * v * d[k]);
      uv.push(u, v);
      const n = j * (FIELDS + 1) + i;
      if (i < FIELDS && j < FIELDS)
        faces.push(n, n + FIELDS + 1, n + 1, n + 1, n + FIELDS + 1, n + FIELDS + 2);
    }
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(new Float32Array(places), 3));
  geometry.setAttribute("uv", new BufferAttribute(new Float32Array(uv), 2));
  geometry.setIndex(faces);
  geometry.computeVertexNormals();
  return geometry;
}

type Corner = [number, number, number];
