import { useMemo } from "react";
import { BufferAttribute, BufferGeometry } from "three";
import type { Shot } from "../api/client";
import { type Camera, ray } from "../geometry/camera";

type Props = { camera: Camera; photograph: NonNullable<Shot["photograph"]> };

const LONG_M = 0.6;

/** Where the photograph was taken from, and what it saw: a small pyramid. */
export function CameraGlyph({ camera, photograph: { width, height } }: Props) {
  const lines = useMemo(() => {
    const eye = camera.position;
    const corners = (
      [
        [0, 0],
        [width, 0],
        [width, height],
        [0, height],
      ] as const
    ).map((p) => {
      const way = ray(camera, p);
      const share = LONG_M / (Math.hypot(...way) || 1);
      return way.map((v, i) => (eye[i] ?? 0) + share * v);
    });
    const ends = corners.flatMap((corner, i) => [
      ...eye,
      ...corner,
      ...corner,
      ...(corners[(i + 1) % 4] ?? corner),
    ]);
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", new BufferAttribute(new Float32Array(ends), 3));
    return geometry;
  }, [camera, width, height]);
  return (
    <lineSegments geometry={lines}>
      <lineBasicMaterial color="#22262b" />
    </lineSegments>
  );
}
