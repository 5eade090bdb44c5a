import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import {
  Matrix3,
  ShaderMaterial,
  ShadowMaterial,
  SRGBColorSpace,
  type Texture,
  TextureLoader,
  Vector2,
  Vector3,
} from "three";
import { fileUrl, type Shot } from "../api/client";
import type { Camera } from "../geometry/camera";

type Props = { camera: Camera; photograph: NonNullable<Shot["photograph"]> };

const VERTEX = `
varying vec3 place;
void main() {
  place = (modelMatrix * vec4(position, 1.0)).xyz;
  gl_Position = projectionMatrix * viewMatrix * vec4(place, 1.0);
}`;

/** The photograph looked up at each point of the ground, through the camera and its lens; a metre grid elsewhere. */
const FRAGMENT = `
uniform sampler2D photograph;
uniform bool there;
uniform mat3 turn;
uniform vec3 eye;
uniform vec2 centre, size;
uniform float focal, k1;
varying vec3 place;
void main() {
  vec3 seen = turn * (place - eye);
  vec2 plane = seen.xy / max(seen.z, 1e-6);
  vec2 pixel = centre + focal * plane * (1.0 + k1 * dot(plane, plane));
  bool inside = there && seen.z > 0.05 && all(greaterThan(pixel, vec2(0.0))) && all(lessThan(pixel, size));
  vec2 line = abs(fract(place.xy - 0.5) - 0.5) / fwidth(place.xy);
  float grid = 1.0 - min(min(line.x, line.y), 1.0);
  float far = clamp(length(place.xy - eye.xy) / 60.0, 0.0, 1.0);
  vec3 bare = mix(vec3(0.62, 0.61, 0.59), vec3(0.54, 0.55, 0.56), far) - 0.08 * grid * (1.0 - far);
  vec3 shown = inside ? texture2D(photograph, vec2(pixel.x / size.x, 1.0 - pixel.y / size.y)).rgb : pow(bare, vec3(2.2));
  gl_FragColor = vec4(shown, 1.0);
  #include <colorspace_fragment>
}`;

export function Ground({ camera, photograph }: Props) {
  const { invalidate } = useThree();
  const material = useMemo(
    () =>
      new ShaderMaterial({
        vertexShader: VERTEX,
        fragmentShader: FRAGMENT,
        uniforms: {
          photograph: { value: null },
          there: { value: false },
          turn: { value: new Matrix3() },
          eye: { value: new Vector3() },
          centre: { value: new Vector2() },
          size: { value: new Vector2() },
          focal: { value: 1 },
          k1: { value: 0 },
        },
      }),
    [],
  );
  const shadow = useMemo(() => new ShadowMaterial({ opacity: 0.55, color: "#10141f" }), []);
  const u = material.uniforms as Record<string, { value: unknown }>;
  const put = (name: string, value: unknown) => {
    if (u[name]) u[name].value = value;
  };
  const [a, b, c] = camera.rotation as [World, World, World];
  put("turn", new Matrix3().set(...a, ...b, ...c));
  put("eye", new Vector3(...camera.position));
  put("centre", new Vector2(camera.cx, camera.cy));
  put("size", new Vector2(photograph.width, photograph.height));
  put("focal", camera.focal);
  put("k1", camera.k1);
  const file = photograph.file;
  useEffect(() => {
    let texture: Texture | null = null;
    new TextureLoader().load(fileUrl(file), (loaded) => {
      loaded.colorSpace = SRGBColorSpace;
      texture = loaded;
      for (const [name, value] of [
        ["photograph", loaded],
        ["there", true],
      ] as const)
        if (material.uniforms[name]) material.uniforms[name].value = value;
      invalidate();
    });
    return () => texture?.dispose();
  }, [file, material, invalidate]);
  useEffect(() => () => material.dispose(), [material]);
  return (
    <>
      <mesh material={material} position={[0, 0, -0.001]}>
        <planeGeometry args={[240, 240]} />
      </mesh>
      <mesh material={shadow} receiveShadow position={[0, 0, 0.001]}>
        <planeGeometry args={[60, 60]} />
      </mesh>
    </>
  );
}

type World = [number, number, number];
