import { useEffect, useMemo } from "react";
import { DoubleSide, Matrix4, Path, ShadowMaterial, Shape, ShapeGeometry, Vector2, Vector3 } from "three";
import type { Derived, Shot } from "../api/client";
import type { World } from "../geometry/points";
import { axesAcross, letting } from "../geometry/sun";

const SHEET_M = 40;
const AWAY_M = 15; // nearer than the light that stands for the sun
const WITHIN = 0.98; // of the floor's sunlit parts: clear of the sheet's own border
const LOWEST = 0.02;

type Outline = readonly (readonly [number, number])[];
type Props = { document: Shot; derived: Derived };

const points = (outline: Outline) => outline.map(([x, y]) => new Vector2(x, y));
const dot = (a: World, b: World) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

/** A geometry that is made again when what it is made of changes, and let go. */
function useGeometry<T>(from: T, make: (from: T) => ShapeGeometry): ShapeGeometry {
  const told = JSON.stringify(from);
  const geometry = useMemo(() => make(JSON.parse(told) as T), [told]);
  useEffect(() => () => geometry.dispose(), [geometry]);
  return geometry;
}

/** What keeps the sun out of a room: a sheet square to it, with the windows that let it in cut out; never seen. */
export function Shutter({ document, derived, about }: Props & { about: World }) {
  const sun: World = derived.sun_shown ?? [0, 0, 1];
  const geometry = useGeometry({ sun, about, windows: letting(document, derived) }, sheet);
  return derived.sun_shown ? (
    <mesh geometry={geometry} castShadow>
      <meshBasicMaterial colorWrite={false} depthWrite={false} side={DoubleSide} shadowSide={DoubleSide} />
    </mesh>
  ) : null;
}

function sheet({ sun, about, windows }: { sun: World; about: World; windows: World[][] }): ShapeGeometry {
  const [right, up] = axesAcross(sun);
  const half = SHEET_M / 2;
  const border = points([[-half, -half], [half, -half], [half, half], [-half, half]]); // biome-ignore format: corners
  const shape = new Shape(border);
  for (const corners of windows) {
    const away = corners.map((at): World => [at[0] - about[0], at[1] - about[1], at[2] - about[2]]);
    shape.holes.push(new Path(points(away.map((at) => [dot(right, at), dot(up, at)] as const))));
  }
  const turn = new Matrix4().makeBasis(new Vector3(...right), new Vector3(...up), new Vector3(...sun));
  turn.setPosition(new Vector3(...about).addScaledVector(new Vector3(...sun), AWAY_M));
  return new ShapeGeometry(shape).applyMatrix4(turn);
}

type PartsProps = Props & { height: number; depth: number };

/** What the sun reaches of a room's floor takes shadows; of light that is not there nothing is taken. */
export function SunlitParts({ document, derived, height, depth }: PartsProps) {
  const material = useMemo(() => new ShadowMaterial({ opacity: depth, color: "#10141f" }), [depth]);
  const sun = derived.sun_shown;
  const outlines = sun ? letting(document, derived).map((corners) => fallen(corners, sun, height)) : [];
  const geometry = useGeometry(
    outlines,
    (all) => new ShapeGeometry(all.map((one) => new Shape(points(one)))),
  );
  return <mesh receiveShadow position={[0, 0, height]} geometry={geometry} material={material} />;
}

/** Where light that passes a window's corners meets a level plane, a little further in. */
function fallen(corners: readonly World[], sun: World, height: number): Outline {
  const feet = corners.map(([x, y, z]) => {
    const fall = (z - height) / Math.max(sun[2], LOWEST);
    return new Vector2(x - fall * sun[0], y - fall * sun[1]);
  });
  const middle = new Vector2();
  for (const foot of feet) middle.addScaledVector(foot, 1 / feet.length);
  return feet.map((foot) => middle.clone().lerp(foot, WITHIN).toArray());
}
