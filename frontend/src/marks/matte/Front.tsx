import { fileUrl, type Matte } from "../../api/client";
import { onPlane } from "../../geometry/camera";
import { footOf, rowOf } from "../../geometry/standing";
import type { MarkProps } from "../props";
import { pathOf, ringsOf } from "./shape";

/** The photograph once more where a matte lies, over the live view's things. */
export function MatteFronts({ document, frame, camera }: MarkProps) {
  const picture = document.photograph;
  if (!picture || !camera) return null;
  const feet = document.models
    .filter((one) => !one.hidden)
    .flatMap((one) => rowOf(one).map((copy) => footOf(copy, document.models).foot));
  const away = (p: readonly number[]) =>
    Math.hypot(...[0, 1, 2].map((k) => (p[k] ?? 0) - (camera.position[k] ?? 0)));
  const nearest = Math.min(...feet.map(away));
  const distanceOf = (matte: Matte) => {
    const at = matte.foot && onPlane(camera, matte.foot, 0);
    return matte.distance_m ?? (at ? away(at) : 0);
  };
  const shown = document.mattes.filter((matte) => !matte.hidden && distanceOf(matte) <= nearest);
  const { scale, x, y } = frame.zoom;
  const to = (p: readonly [number, number]) => frame.toScreen(p);
  return shown.map((matte) => (
    <g key={matte.id}>
      <mask id={`matte-${matte.id}`} maskUnits="userSpaceOnUse" x={0} y={0} width={frame.width} height="100%">
        <path
          d={ringsOf(matte)
            .map((ring) => pathOf(ring, to))
            .join("")}
          fill="#fff"
          fillRule="evenodd"
        />
        {matte.kind === "brush" &&
          matte.strokes.map((stroke, i) => (
            <path
              key={i}
              d={pathOf(stroke.points, to, false)}
              fill="none"
              stroke={stroke.adds ? "#fff" : "#000"}
              strokeWidth={2 * stroke.radius_px * scale}
              strokeLinecap="round"
              strokeLinejoin="round"
            />
          ))}
      </mask>
      <image
        href={fileUrl(picture.file)}
        x={x}
        y={y}
        width={picture.width * scale}
        height={picture.height * scale}
        mask={`url(#matte-${matte.id})`}
      />
    </g>
  ));
}
