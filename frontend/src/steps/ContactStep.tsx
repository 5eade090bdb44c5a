import { useMaterials } from "../api/hooks";
import { parseNumber } from "../geometry/measure";
import type { StepProps } from "../marks/props";
import { useChange } from "../state/changes";
import { Field, OneOf } from "../ui/controls";

/** What the ground is made of: it sets how bright the model stands beside it. */
export function ContactStep({ shot, document }: StepProps) {
  const { data } = useMaterials();
  const { change } = useChange(shot.id);
  const { ground } = document;
  return (
    <>
      <p className="mb-2 text-xs leading-[1.55] text-ink-500">
        What the ground is made of. Its tint and pattern come from the photograph; the material says how much
        light it throws back, and so how bright a white thing is beside it.
      </p>
      <OneOf
        label="Ground material"
        look="cards"
        value={ground.material}
        options={Object.entries(data?.ground ?? {}).map(([name, reflectance]) => ({
          value: name,
          label: (
            <>
              <i
                className="h-4 w-4 shrink-0 rounded-sm border border-lime-300"
                style={{ background: grey(reflectance) }}
              />
              <span className="truncate">{name}</span>
            </>
          ),
        }))}
        onValue={(name) => void change({ ground: { material: name, reflectance: null } }, `ground: ${name}`)}
      />
      <div className="mt-2">
        <Field
          label="Reflectance"
          value={`${((ground.reflectance ?? data?.ground[ground.material] ?? 0) * 100).toFixed(0)} %`}
          parse={parseNumber}
          min={1}
          onValue={(v) =>
            void change({ ground: { reflectance: Math.min(v, 95) / 100 } }, "reflectance of the ground")
          }
        />
      </div>
    </>
  );
}

const grey = (linear: number) => {
  const code = Math.round(255 * (1.055 * linear ** (1 / 2.4) - 0.055));
  return `rgb(${code} ${code} ${code})`;
};
