import { aroundUrl } from "../../api/client";
import { pair } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { useChange } from "../../state/changes";
import { usePicked } from "../../state/editor";
import type { MarkProps } from "../props";

/** The panorama over the photograph, as the camera would see it, and what was pointed at. */
export function PointingOverlay({ shot, document, derived, frame }: MarkProps) {
  const { around } = usePicked("around");
  const { move, keep, change } = useChange(shot.id);
  const picture = document.photograph;
  const lit = document.lit_by === "panorama" && document.panorama;
  if (!around || !derived.around || !lit || !picture) return null;
  const [x, y] = frame.toScreen([0, 0]);
  const { scale } = frame.zoom;
  return (
    <g>
      <image
        href={aroundUrl(shot.id, derived.around)}
        x={x}
        y={y}
        width={picture.width * scale}
        height={picture.height * scale}
        preserveAspectRatio="none"
        opacity={0.6}
      />
      {document.pointings.map((pointing, number) => {
        const [px, py] = frame.toScreen(pointing.at);
        return (
          <Handle
            key={pointing.id}
            frame={frame}
            at={pointing.at}
            loupe
            label={`Pointing ${number + 1}`}
            onMove={(to) => move({ pointings: { [pointing.id]: { at: pair(to) } } })}
            onKeep={() => keep(`move pointing ${number + 1}`)}
            onDelete={() =>
              void change({ pointings: { [pointing.id]: null } }, `remove pointing ${number + 1}`)
            }
          >
            <circle cx={px} cy={py} r={12} fill="transparent" />
            <path
              d={`M${px - 9} ${py}H${px + 9}M${px} ${py - 9}V${py + 9}`}
              stroke="#fff"
              strokeWidth={4.5}
            />
            <path
              d={`M${px - 9} ${py}H${px + 9}M${px} ${py - 9}V${py + 9}`}
              stroke="var(--color-verdigris)"
              strokeWidth={2}
            />
          </Handle>
        );
      })}
    </g>
  );
}
