import { useEffect, useRef, useState } from "react";
import type { FileOut, Placed } from "../api/client";
import { useMaterials } from "../api/hooks";
import { hexOf, linearOf } from "../geometry/colour";
import { useChange } from "../state/changes";
import { OneOf, Slider } from "../ui/controls";
import { Section } from "./Section";

type Surface = NonNullable<Placed["surfaces"]>[string];
type Props = { shotId: string; placed: Placed; file: FileOut };

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
};

/** What each of a model's materials is made of: as it came, or one of our kinds. */
export function Surfaces({ shotId, placed, file }: Props) {
  const [open, setOpen] = useState<string | null>(null);
  const changed = Object.keys(placed.surfaces ?? {}).length;
  return (
    <Section
      name={`surfaces-${placed.id}`}
      title="Surfaces"
      fact={changed ? `${changed} of ${file.materials.length} changed` : AS_IT_CAME}
    >
      {file.materials.map((name) => (
        <One
          key={name}
          name={name}
          shotId={shotId}
          placed={placed}
          open={open === name}
          onOpen={() => setOpen(open === name ? null : name)}
        />
      ))}
    </Section>
  );
}

type OneProps = { name: string; shotId: string; placed: Placed; open: boolean; onOpen: () => void };

function One({ name, shotId, placed, open, onOpen }: OneProps) {
  const { data } = useMaterials();
  const { change } = useChange(shotId);
  const surface = placed.surfaces?.[name];
  const kinds = data?.surfaces ?? {};
  const choose = (kind: string) => {
    const next = kind === AS_IT_CAME ? null : { kind, colour: null, parameters: {} };
    void change(
      { models: { [placed.id]: { surfaces: { [name]: next } } as unknown as Partial<Placed> } },
      `${name}: ${kind}`,
    );
  };
  return (
    <div className="border-b border-dotted border-lime-300 last:border-0">
      <button
        type="button"
        aria-expanded={open}
        className="flex w-full items-center justify-between gap-2 py-1.5 text-left"
        onClick={onOpen}
      >
        <span className="truncate">{name}</span>
        <span className="flex items-center gap-1.5 text-xs whitespace-nowrap text-ink-500">
          {surface?.kind ?? AS_IT_CAME}
          {surface && (
            <i
              className="h-3.5 w-3.5 rounded-sm border border-lime-300"
              style={{ background: hexOf(surface.colour ?? kinds[surface.kind]?.colour) }}
            />
          )}
        </span>
      </button>
      {open && (
        <div className="pb-2">
          <OneOf
            label={`What ${name} is made of`}
            value={surface?.kind ?? AS_IT_CAME}
            options={[AS_IT_CAME, ...Object.keys(kinds)].map((kind) => ({ value: kind, label: kind }))}
            onValue={choose}
          />
          {surface && <Figures name={name} shotId={shotId} placed={placed} surface={surface} />}
        </div>
      )}
    </div>
  );
}

type FiguresProps = { name: string; shotId: string; placed: Placed; surface: Surface };

function Figures({ name, shotId, placed, surface }: FiguresProps) {
  const { data } = useMaterials();
  const { move, keep } = useChange(shotId);
  const kind = data?.surfaces[surface.kind];
  if (!kind) return null;
  const set = (values: Partial<Surface>) =>
    move({ models: { [placed.id]: { surfaces: { [name]: values } } as unknown as Partial<Placed> } });
  return (
    <div className="pt-2">
      <Colour
        label={surface.kind === "glass" ? "Tint" : "Colour"}
        value={hexOf(surface.colour ?? kind.colour)}
        onMove={(hex) => set({ colour: linearOf(hex) })}
        onKeep={() => keep(`colour of ${name}`)}
      />
      {Object.entries(kind.parameters).map(([parameter, { low, high, default: usual, unit }]) => (
        <Slider
          key={parameter}
          label={WORDS[parameter] ?? parameter}
          value={surface.parameters?.[parameter] ?? usual}
          min={low}
          max={high}
          step={unit ? 0.5 : 0.01}
          show={(v) => (unit ? `${v.toFixed(1)} ${unit}` : `${Math.round(v * 100)} %`)}
          onMove={(v) => set({ parameters: { [parameter]: v } })}
          onKeep={() => keep(`${(WORDS[parameter] ?? parameter).toLowerCase()} of ${name}`)}
        />
      ))}
    </div>
  );
}

type ColourProps = { label: string; value: string; onMove: (hex: string) => void; onKeep: () => void };

/** A colour that shows while it is sought and is kept when the picker is left. */
function Colour({ label, value, onMove, onKeep }: ColourProps) {
  const input = useRef<HTMLInputElement>(null);
  const kept = useRef(onKeep);
  kept.current = onKeep;
  useEffect(() => {
    // React's own change event comes with every move; the browser's comes once, at the end.
    const element = input.current;
    const end = () => kept.current();
    element?.addEventListener("change", end);
    return () => element?.removeEventListener("change", end);
  }, []);
  return (
    <label className="flex items-center justify-between gap-3 py-1 text-ink-700">
      {label}
      <input
        ref={input}
        type="color"
        className="h-7 w-16 cursor-pointer rounded-md border border-lime-300 bg-white p-0.5"
        value={value}
        onInput={(event) => onMove(event.currentTarget.value)}
        onChange={() => undefined}
      />
    </label>
  );
}
