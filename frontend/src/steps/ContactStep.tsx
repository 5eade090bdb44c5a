import { useMaterials } from "../api/hooks";
import { parseNumber } from "../geometry/measure";
import { useDraft } from "../state/draft";
import { Field } from "../ui/controls";
import type { StepProps } from "./props";

/** What the ground is made of: it sets how bright the model stands beside it. */
export function ContactStep({ shot, document }: StepProps) {
  const { data } = useMaterials();
  const { change } = useDraft(shot.id);
  const { ground } = document;
  return (
    <>
      <p className="mb-2 text-xs leading-[1.55] text-ink-500">
        What the ground is made of. Its tint and pattern come from the photograph; the material says how much
        light it throws back, and so how bright a white thing is beside it.
      </p>
      <div role="radiogroup" aria-label="Ground material" className="grid grid-cols-2 gap-1">
        {Object.entries(data?.ground ?? {}).map(([name, reflectance]) => (
          <button
            type="button"
            key={name}
            role="radio"
            aria-checked={ground.material === name}
            onClick={() => void change({ ground: { material: name, reflectance: null } }, `ground: ${name}`)}
            className={`flex items-center gap-2 rounded-md border px-2 py-1 text-left ${ground.material === name ? "border-verdigris bg-verdigris-soft" : "border-lime-300 bg-white hover:border-lime-500"}`}
          >
            <i
              className="h-4 w-4 shrink-0 rounded-sm border border-lime-300"
              style={{ background: grey(reflectance) }}
            />
            <span className="truncate">{name}</span>
          </button>
        ))}
      </div>
      <div className="mt-2">
        <Field
          label="Reflectance"
          value={`${((ground.reflectance ?? data?.ground[ground.material] ?? 0) * 100).toFixed(0)} %`}
          parse={parseNumber}
          min={1}
          onValue={(v) =>
            void change(
              { ground: { ...ground, reflectance: Math.min(v, 95) / 100 } },
              "reflectance of the ground",
            )
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
