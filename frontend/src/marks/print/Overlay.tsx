import type { Placed, Print } from "../../api/client";
import { useAspect } from "../../api/hooks";
import { project } from "../../geometry/camera";
import type { ImagePoint, World } from "../../geometry/points";
import { onSheet, pulledTo, sheetOn, turnedSheet } from "../../geometry/sheet";
import { after, apply, carrierOf, standOf, stood, transposed, uprightOf } from "../../geometry/standing";
import { hitUnder } from "../../live/hit";
import { useModel } from "../../live/models";
import { RoundGrip, SquareGrip } from "../../stage/Grips";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { usePicked } from "../../state/editor";
import type { MarkProps, MatchedProps } from "../props";

/** The chosen print's outline: its middle slides it over the thing, its side sizes and turns it. */
export function PrintOverlay({ camera, ...props }: MarkProps) {
  const { selection } = usePicked("selection");
  if (!camera?.metric || selection?.kind !== "print") return null;
  const [thing, id] = selection.id.split("/");
  const placed = props.document.models.find((one) => one.id === thing);
  const print = id ? placed?.prints[id] : undefined;
  if (!placed || !print || !id || print.lay !== "patch") return null;
  return <Patch {...props} camera={camera} placed={placed} print={print} id={id} />;
}

type Props = MatchedProps & { placed: Placed; print: Print; id: string };

function Patch({ shot, document, frame, camera, placed, print, id }: Props) {
  const { move, keep, change } = useChange(shot.id);
  const model = useModel(placed.file);
  const aspect = useAspect(shot.project_id, print.file);
  if (!model) return null;
  const stand = after(carrierOf(placed, document.models), standOf(placed, model));
  const local: World = [
    print.at[0] - model.foot[0],
    print.at[1] - model.foot[1],
    print.at[2] - model.foot[2],
  ];
  const up = apply(transposed(uprightOf(placed, model)), [0, 0, 1]);
  const sheet = turnedSheet(
    sheetOn(local, print.facing, up),
    (v) => apply(stand.turn, v),
    stood(stand, local),
  );
  const [width, angle] = [print.width_mm / 1000, (print.turn_deg * Math.PI) / 180];
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const [sx, sy] = [print.shift_mm[0] / 1000, print.shift_mm[1] / 1000];
  const at = (u: number, v: number) => onSheet(sheet, sx + c * u - s * v, sy + s * u + c * v);
  const screen = (p: World) => {
    const seen = project(camera, p);
    return seen && frame.toScreen(seen);
  };
  const [hw, hh] = [width / 2, (width * aspect) / 2];
  const outline = (
    [
      [-hw, -hh],
      [hw, -hh],
      [hw, hh],
      [-hw, hh],
    ] as const
  ).map(([u, v]) => screen(at(u, v)));
  const middle = project(camera, at(0, 0));
  const side = project(camera, at(hw, 0));
  if (outline.some((p) => !p) || !middle || !side) return null;
  const d = `M${outline.map((p) => `${p?.[0].toFixed(1)} ${p?.[1].toFixed(1)}`).join("L")}Z`;
  const set = (values: Partial<Print>) =>
    move({ models: { [placed.id]: { prints: { [id]: values } as Placed["prints"] } } });
  const slide = (to: ImagePoint) => {
    const hit = hitUnder(camera, to, document.models);
    if (hit?.placed.id === placed.id) set({ at: [...hit.at], facing: [...hit.facing], shift_mm: [0, 0] });
  };
  const pull = (to: ImagePoint, free: boolean) => {
    const pulled = pulledTo(sheet, camera, to);
    if (!pulled) return;
    const [x, y] = [pulled[0] - sx, pulled[1] - sy];
    const turned = (Math.atan2(y, x) * 180) / Math.PI;
    const square = Math.round(turned / 90) * 90;
    const turn_deg = !free && Math.abs(turned - square) < 4 ? square : Math.round(turned * 10) / 10;
    set({ turn_deg, width_mm: Math.max(Math.round(2000 * Math.hypot(x, y)), 1) });
  };
  const [m, r] = [frame.toScreen(middle), frame.toScreen(side)];
  return (
    <g>
      <path d={d} fill="none" stroke="#fff" strokeOpacity={0.8} strokeWidth={3.6} />
      <path d={d} fill="none" stroke="var(--color-verdigris)" strokeWidth={1.6} strokeDasharray="5 3" />
      <Handle
        frame={frame}
        at={middle}
        label={`Slide the print ${print.name}`}
        onMove={slide}
        onKeep={() => keep(`slide the print ${print.name}`)}
        onDelete={() => void change(struckOut(placed.id, id), "take a print off")}
      >
        <RoundGrip at={m} filled />
      </Handle>
      <Handle
        frame={frame}
        at={side}
        label={`Size and turn the print ${print.name}`}
        onMove={pull}
        onKeep={() => keep(`size the print ${print.name}`)}
      >
        <SquareGrip at={r} />
      </Handle>
      <Tag x={r[0] + 12} y={r[1] + 4} text={`${Math.round(print.width_mm)} mm wide`} />
    </g>
  );
}

/** A print taken off. */
export const struckOut = (thing: string, id: string) => ({
  models: { [thing]: { prints: { [id]: null } as unknown as Placed["prints"] } },
});
