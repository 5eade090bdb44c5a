import { useMaterials } from "../api/hooks";
import { Slider } from "./controls";

type Chosen = { material: string; coat: number | null; roughness: number | null };
type Props = {
  /** What mirrors, for the names of changes. */
  of: string;
  chosen: Chosen;
  onMove: (values: Partial<Omit<Chosen, "material">>) => void;
  onKeep: (label: string) => void;
  onChange: (values: Partial<Omit<Chosen, "material">>, label: string) => void;
};

const percent = (v: number) => `${Math.round(100 * v)} %`;

/** How strongly and how sharply a receiver mirrors: as its material does, or by hand. */
export function Sheen({ of, chosen, onMove, onKeep, onChange }: Props) {
  const { data } = useMaterials();
  const usual = data?.receivers[chosen.material] ?? { coat: 0, roughness: 0.8 };
  const told = (value: number, by: number | null) => `${percent(value)}${by === null ? "" : " · by hand"}`;
  return (
    <>
      <Slider
        label="Mirrors"
        value={chosen.coat ?? usual.coat}
        min={0}
        max={1}
        step={0.05}
        show={(v) => told(v, chosen.coat)}
        onMove={(coat) => onMove({ coat })}
        onKeep={() => onKeep(`how much ${of} mirrors`)}
        onZero={() => onChange({ coat: null }, `how much ${of} mirrors`)}
      />
      <Slider
        label="Blurred"
        value={chosen.roughness ?? usual.roughness}
        min={0}
        max={1}
        step={0.02}
        show={(v) => told(v, chosen.roughness)}
        onMove={(roughness) => onMove({ roughness })}
        onKeep={() => onKeep(`how blurred ${of} mirrors`)}
        onZero={() => onChange({ roughness: null }, `how blurred ${of} mirrors`)}
      />
    </>
  );
}
