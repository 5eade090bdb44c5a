import { useMemo } from "react";
import type { Placed } from "../../api/client";
import { useMaterials } from "../../api/hooks";
import { type Camera, project } from "../../geometry/camera";
import type { ImagePoint, World } from "../../geometry/points";
import { boxSheet, onSheet, pulledTo, turnedSheet } from "../../geometry/sheet";
import { after, apply, carrierOf, standOf, stood, transposed, uprightOf } from "../../geometry/standing";
import { type Hit, hitUnder } from "../../live/hit";
import { useModel } from "../../live/models";
import { RoundGrip, SquareGrip } from "../../stage/Grips";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { usePicked } from "../../state/editor";
import { repeatOf } from "../../state/textures";
import type { MarkProps, MatchedProps } from "../props";

type Surface = Placed["surfaces"][string];
type Laid = NonNullable<Surface["texture"]>;

/** One repeat of the chosen surface's texture, where the surface is seen: pulled, it sizes and turns the texture. */
export function TextureOverlay({ camera, ...props }: MarkProps) {
  const { selection } = usePicked("selection");
  if (!camera?.metric || selection?.kind !== "texture") return null;
  const cut = selection.id.indexOf("/");
  const [thing, material] = [selection.id.slice(0, cut), selection.id.slice(cut + 1)];
  const placed = props.document.models.find((one) => one.id === thing);
  const surface = placed?.surfaces[material];
  if (!placed || !surface?.texture || surface.texture.lay !== "box") return null;
  return (
    <Repeat
      {...props}
      camera={camera}
      placed={placed}
      material={material}
      surface={surface}
      laid={surface.texture}
    />
  );
}

type Props = MatchedProps & { placed: Placed; material: string; surface: Surface; laid: Laid };

const ACROSS = 15;

/** Where a surface is seen best: of a net of pixels over the thing, the one of its middle. */
function seenPlace(
  camera: Camera,
  placed: Placed,
  material: string,
  document: MarkProps["document"],
): Hit | null {
  const { width, height } = document.photograph ?? { width: 1, height: 1 };
  const found: { pixel: ImagePoint; hit: Hit }[] = [];
  for (let i = 0; i < 3 * ACROSS; i++)
    for (let j = 0; j < 2 * ACROSS; j++) {
      const pixel: ImagePoint = [((i + 0.5) / (3 * ACROSS)) * width, ((j + 0.5) / (2 * ACROSS)) * height];
      const hit = hitUnder(camera, pixel, document.models);
      if (hit?.placed.id === placed.id && hit.material === material) found.push({ pixel, hit });
    }
  if (!found.length) return null;
  const mean = (axis: 0 | 1) => found.reduce((sum, one) => sum + one.pixel[axis], 0) / found.length;
  const [x, y] = [mean(0), mean(1)];
  const away = ({ pixel }: { pixel: ImagePoint }) => Math.hypot(pixel[0] - x, pixel[1] - y);
  return found.reduce((a, b) => (away(b) < away(a) ? b : a)).hit;
}

function Repeat({ shot, document, frame, camera, placed, material, surface, laid }: Props) {
  const { move, keep } = useChange(shot.id);
  const { data } = useMaterials();
  const model = useModel(placed.file);
  const still = JSON.stringify([
    placed.position_m,
    placed.turn_deg,
    placed.size,
    placed.pose,
    placed.lean_deg,
    !!model,
  ]);
  const hit = useMemo(() => seenPlace(camera, placed, material, document), [still, material]);
  if (!model || !hit) return null;
  const stand = after(carrierOf(placed, document.models), standOf(placed, model));
  const local: World = [hit.at[0] - model.foot[0], hit.at[1] - model.foot[1], hit.at[2] - model.foot[2]];
  // Sides are those of a box about the model as it stands upright, before it is posed or turned.
  const upright = uprightOf(placed, model);
  const onto = (v: World) => apply(stand.turn, apply(transposed(upright), v));
  const sheet = turnedSheet(boxSheet(local, apply(upright, hit.facing)), onto, stood(stand, local));
  const repeat = repeatOf(surface, laid, data) / 1000;
  const angle = (laid.turn_deg * Math.PI) / 180;
  const [along, across] = [
    onSheet(sheet, repeat * Math.cos(angle), repeat * Math.sin(angle)),
    onSheet(sheet, -repeat * Math.sin(angle), repeat * Math.cos(angle)),
  ];
  const seen = [sheet.at, along, across].map((p) => project(camera, p));
  const [middle, end, side] = seen;
  if (!middle || !end || !side) return null;
  const set = (values: Partial<Laid>) =>
    move({
      models: {
        [placed.id]: { surfaces: { [material]: { texture: values } } as unknown as Placed["surfaces"] },
      },
    });
  const pull = (to: ImagePoint, free: boolean) => {
    const pulled = pulledTo(sheet, camera, to);
    if (!pulled) return;
    const turned = (Math.atan2(pulled[1], pulled[0]) * 180) / Math.PI;
    const square = Math.round(turned / 90) * 90;
    const turn_deg = !free && Math.abs(turned - square) < 5 ? square : Math.round(turned);
    set({ repeat_mm: Math.max(Math.round(1000 * Math.hypot(...pulled)), 1), turn_deg });
  };
  const shift = (to: ImagePoint) => {
    const pulled = pulledTo(sheet, camera, to);
    if (!pulled) return;
    const shown = shot.document.models.find(({ id }) => id === placed.id)?.surfaces[material]?.texture;
    const [x, y] = shown?.shift_mm ?? [0, 0];
    set({ shift_mm: [Math.round(x + 1000 * pulled[0]), Math.round(y + 1000 * pulled[1])] });
  };
  const [m, e, s] = [middle, end, side].map((p) => frame.toScreen(p)) as [
    readonly [number, number],
    readonly [number, number],
    readonly [number, number],
  ];
  const d = `M${s[0]} ${s[1]}L${m[0]} ${m[1]}L${e[0]} ${e[1]}`;
  return (
    <g>
      <path d={d} fill="none" stroke="#fff" strokeOpacity={0.8} strokeWidth={4} />
      <path d={d} fill="none" stroke="var(--color-verdigris-deep)" strokeWidth={1.8} />
      <Handle
        frame={frame}
        at={middle}
        label={`Shift the texture of ${material}`}
        onMove={shift}
        onKeep={() => keep(`shift the texture of ${material}`)}
      >
        <RoundGrip at={m} tone="var(--color-verdigris-deep)" filled />
      </Handle>
      <Handle
        frame={frame}
        at={end}
        label={`Repeat of the texture of ${material}`}
        onMove={pull}
        onKeep={() => keep(`repeat of the texture of ${material}`)}
      >
        <SquareGrip at={e} tone="var(--color-verdigris-deep)" />
      </Handle>
      <Tag x={e[0] + 12} y={e[1] + 4} text={`one repeat ${Math.round(1000 * repeat)} mm`} />
    </g>
  );
}
