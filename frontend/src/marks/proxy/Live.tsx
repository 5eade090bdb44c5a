import { useEffect, useMemo } from "react";
import {
  BufferAttribute,
  BufferGeometry,
  DoubleSide,
  MeshBasicMaterial,
  MeshStandardMaterial,
  ShadowMaterial,
  ShapeUtils,
  Vector2,
  Vector3,
} from "three";
import type { ProxyAnswer } from "../../api/client";
import { bending } from "../../live/lens";
import { shadowDepth } from "../../live/light";
import { useEditor } from "../../state/editor";
import type { StepProps } from "../props";

/** Proxies in the live view: they take shadows and hide what is behind them; looked round at, they are grey. */
export function StoodProxies({ document, derived }: StepProps) {
  const round = useEditor((state) => state.round !== null);
  const depth = shadowDepth(document, derived);
  return document.proxies.map((proxy) => {
    const answer = derived.proxies.find(({ id }) => id === proxy.id);
    // In a room all but what the sun reaches by a window is shade already.
    const receives = proxy.receives && document.lit_by !== "room";
    return proxy.hidden || !answer?.faces.length ? null : (
      <Stood key={proxy.id} {...proxy} receives={receives} faces={answer.faces} depth={depth} round={round} />
    );
  });
}

type Props = {
  receives: boolean;
  hides: boolean;
  faces: ProxyAnswer["faces"];
  depth: number;
  round: boolean;
};

function Stood({ receives, hides, faces, depth, round }: Props) {
  const place = JSON.stringify(faces);
  const geometry = useMemo(() => geometryOf(JSON.parse(place)), [place]);
  useEffect(() => () => geometry.dispose(), [geometry]);
  const shade = useMemo(
    () => bending(new ShadowMaterial({ opacity: depth, color: "#10141f", side: DoubleSide })),
    [depth],
  );
  const screen = useMemo(() => bending(new MeshBasicMaterial({ colorWrite: false, side: DoubleSide })), []);
  const body = useMemo(
    () => new MeshStandardMaterial({ color: "#b9b6ae", transparent: true, opacity: 0.75, side: DoubleSide }),
    [],
  );
  if (round) return <mesh geometry={geometry} material={body} receiveShadow />;
  return (
    <>
      {hides && <mesh geometry={geometry} material={screen} renderOrder={-2} />}
      {receives && <mesh geometry={geometry} material={shade} receiveShadow />}
    </>
  );
}

/** Flat sides of any number of corners as triangles. */
function geometryOf(faces: ProxyAnswer["faces"]): BufferGeometry {
  const [places, normals, triangles]: [number[], number[], number[]] = [[], [], []];
  for (const face of faces) {
    const corners = face.map(([x, y, z]) => new Vector3(x, y, z));
    const normal = normalOf(corners);
    const first = places.length / 3;
    for (const corner of corners) {
      places.push(corner.x, corner.y, corner.z);
      normals.push(normal.x, normal.y, normal.z);
    }
    const across = new Vector3().subVectors(corners[1] ?? normal, corners[0] ?? normal).normalize();
    const along = new Vector3().crossVectors(normal, across);
    const flat = corners.map((corner) => new Vector2(corner.dot(across), corner.dot(along)));
    for (const triangle of ShapeUtils.triangulateShape(flat, []))
      triangles.push(...triangle.map((i) => first + i));
  }
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(new Float32Array(places), 3));
  geometry.setAttribute("normal", new BufferAttribute(new Float32Array(normals), 3));
  geometry.setIndex(triangles);
  return geometry;
}

/** The unit normal of a flat ring of corners, by Newell's method. */
function normalOf(corners: readonly Vector3[]): Vector3 {
  const total = new Vector3();
  corners.forEach((corner, i) => {
    total.add(new Vector3().crossVectors(corner, corners[(i + 1) % corners.length] ?? corner));
  });
  return total.normalize();
}
