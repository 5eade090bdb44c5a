import { type Placed, type SurfaceOf, textureUrl } from "../../api/client";
import { useMaterials, usePieces } from "../../api/hooks";
import { hexOf, linearOf } from "../../geometry/colour";
import { useChange } from "../../state/changes";
import { useEditor, usePicked } from "../../state/editor";
import { ColourField } from "../../ui/ColourField";
import { Button, OneOf, Slider } from "../../ui/controls";
import { PiecePicture } from "../../ui/PiecePicture";
import { Section } from "../Section";
import { FromPhotograph } from "./FromPhotograph";
import type { SurfaceProps } from "./setting";
import { TextureFields } from "./TextureFields";
import { Wardrobe } from "./Wardrobe";

const AS_IT_CAME = "as it came";
const WORDS: Record<string, string> = {
  gloss: "Gloss",
  flake: "Flake",
  polish: "Polish",
  brushed: "Brushed",
  brush_turn_deg: "Brushed along",
  wear: "Wear",
  pile: "Pile",
  thickness_mm: "Thickness",
  frost: "Frost",
  varnish: "Varnish",
  weave_mm: "A thread’s width",
  wet: "Wet",
  smooth: "Smooth",
  translucent: "Translucent",
  depth_mm: "Depth",
};

/** What each of a model's materials is made of: as it came, or one of our kinds. */
export function Surfaces(props: SurfaceProps) {
  const { placed, file } = props;
  const open = useOpenSurface(placed.id);
  const changed = Object.keys(placed.surfaces).length;
  return (
    <Section
      name={`surfaces-${placed.id}`}
      title="Surfaces"
      fact={changed ? `${changed} of ${file.materials.length} changed` : AS_IT_CAME}
    >
      {file.materials.map((name) => (
        <One key={name} name={name} {...props} open={open === name} />
      ))}
      <PickSurface />
      <Wardrobe {...props} />
    </Section>
  );
}

/** The surface whose row is unfolded: the chosen one, in the picture or in the list. */
const useOpenSurface = (thing: string) =>
  useEditor(({ selection }) => {
    if (selection?.kind !== "texture" || !selection.id.startsWith(`${thing}/`)) return null;
    return selection.id.slice(thing.length + 1);
  });

function PickSurface() {
  const { tool, take } = usePicked("tool", "take");
  const inHand = tool?.kind === "surface";
  return (
    <div className="pt-2">
      <Button active={inHand} onClick={() => take(inHand ? null : { kind: "surface", marks: [] })}>
        Point at one in the picture
      </Button>
    </div>
  );
}

function One({ name, open, ...props }: SurfaceProps & { name: string; open: boolean }) {
  const { shot, placed } = props;
  const { data } = useMaterials();
  const { change } = useChange(shot.id);
  const { select } = usePicked("select");
  const surface = placed.surfaces[name];
  const kinds = data?.surfaces ?? {};
  const bareOf = (kind: string) => {
    const all = Object.entries(data?.textures ?? {});
    const suits =
      all.find(([, one]) => one.kinds[0] === kind) ?? all.find(([, one]) => one.kinds.includes(kind));
    const texture = suits && TEXTURED.includes(kind) ? { ...LAID, file: `shipped:${suits[0]}` } : null;
    return { kind, colour: null, parameters: {}, texture } as unknown as SurfaceOf;
  };
  const choose = (kind: string) => {
    const bare = kind === AS_IT_CAME ? null : bareOf(kind);
    // A colour that was set, or taken from the photograph, is kept; a texture has colours of its own.
    const next = bare && { ...bare, colour: bare.texture ? null : (surface?.colour ?? null) };
    void change(
      { models: { [placed.id]: { surfaces: { [name]: next } as unknown as Placed["surfaces"] } } },
      `${name}: ${kind}`,
    );
  };
  return (
    <div className="border-b border-dotted border-lime-300 last:border-0">
      <button
        type="button"
        aria-expanded={open}
        className="flex w-full items-center justify-between gap-2 py-1.5 text-left"
        onClick={() =>
          select(open ? { kind: "model", id: placed.id } : { kind: "texture", id: `${placed.id}/${name}` })
        }
      >
        <span className="truncate">{name}</span>
        <span className="flex items-center gap-1.5 text-xs whitespace-nowrap text-ink-500">
          {surface?.kind ?? AS_IT_CAME}
          {surface && <Swatch surface={surface} colour={kinds[surface.kind]?.colour} />}
        </span>
      </button>
      {open && (
        <div className="pb-2">
          <Kinds name={name} surface={surface} bare={bareOf} onValue={choose} {...props} />
          {surface && <Figures name={name} surface={surface} {...props} />}
        </div>
      )}
    </div>
  );
}

type KindsProps = Omit<SurfaceProps, "files"> & {
  name: string;
  surface: SurfaceOf | undefined;
  bare: (kind: string) => SurfaceOf;
  onValue: (kind: string) => void;
};

/** The kinds to choose from, each as a sample piece in the light of the shot; the chosen one as it is set. */
function Kinds({ name, surface, bare, onValue, shot, placed, file }: KindsProps) {
  const { data } = useMaterials();
  const kinds = Object.keys(data?.surfaces ?? {});
  // As it is kept, not at every step of a slider: each picture is traced.
  const kept = shot.document.models.find(({ id }) => id === placed.id)?.surfaces[name];
  const surfaces = kinds.map((kind) => (kept?.kind === kind ? kept : bare(kind)));
  const pieces = usePieces(shot, { surfaces, models: [file.sha256] });
  return (
    <OneOf
      look="tiles"
      label={`What ${name} is made of`}
      value={surface?.kind ?? AS_IT_CAME}
      options={[AS_IT_CAME, ...kinds].map((kind, number) => ({
        value: kind,
        label: (
          <>
            <PiecePicture piece={number ? pieces.surfaces[number - 1] : pieces.models[0]} />
            {kind}
          </>
        ),
      }))}
      onValue={onValue}
    />
  );
}

/** Kinds that nobody takes for what they are without their pattern. */
const TEXTURED = ["wood", "cloth", "leather", "stone", "concrete"];
const LAID = { repeat_mm: null, turn_deg: 0, shift_mm: [0, 0], lay: "box" };

function Swatch({ surface, colour }: { surface: SurfaceOf; colour: number[] | undefined }) {
  const shipped = surface.texture?.file.startsWith("shipped:") ? surface.texture.file.slice(8) : null;
  const look = shipped
    ? { backgroundImage: `url(${textureUrl(shipped)})`, backgroundSize: "180%" }
    : { background: hexOf(surface.colour ?? colour) };
  return <i className="h-3.5 w-3.5 rounded-sm border border-lime-300" style={look} />;
}

function Figures({ name, surface, ...props }: SurfaceProps & { name: string; surface: SurfaceOf }) {
  const { shot, placed } = props;
  const { data } = useMaterials();
  const { move, keep } = useChange(shot.id);
  const kind = data?.surfaces[surface.kind];
  if (!kind) return null;
  const set = (values: Partial<SurfaceOf>) =>
    move({ models: { [placed.id]: { surfaces: { [name]: values } as unknown as Placed["surfaces"] } } });
  return (
    <div className="pt-2">
      <ColourField
        label={
          surface.texture
            ? "Tinted to"
            : surface.kind === "glass" || surface.kind === "water"
              ? "Tint"
              : "Colour"
        }
        value={hexOf(surface.colour ?? kind.colour)}
        onMove={(hex) => set({ colour: linearOf(hex) })}
        onKeep={() => keep(`colour of ${name}`)}
      />
      <FromPhotograph shotId={shot.id} thing={placed.id} name={name} />
      {Object.entries(kind.parameters).map(([parameter, { low, high, default: usual, unit }]) => (
        <Slider
          key={parameter}
          label={WORDS[parameter] ?? parameter}
          value={surface.parameters?.[parameter] ?? usual}
          min={low}
          max={high}
          step={unit ? (high > 100 ? 1 : 0.1) : 0.01}
          show={(v) => (unit ? `${v.toFixed(1)} ${unit}` : `${Math.round(v * 100)} %`)}
          onMove={(v) => set({ parameters: { [parameter]: v } })}
          onKeep={() => keep(`${(WORDS[parameter] ?? parameter).toLowerCase()} of ${name}`)}
        />
      ))}
      <TextureFields name={name} surface={surface} {...props} />
    </div>
  );
}
