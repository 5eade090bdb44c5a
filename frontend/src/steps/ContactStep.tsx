import { useMaterials } from "../api/hooks";
import { parseNumber } from "../geometry/measure";
import type { StepProps } from "../marks/props";
import { useChange } from "../state/changes";
import { toggleTool, useEditor, usePicked } from "../state/editor";
import { Button, Field, Hint, OneOf } from "../ui/controls";
import { Knobs } from "../ui/Knobs";
import { Sheen } from "../ui/Sheen";
import { KindSections, Section } from "./Section";
import { Standing } from "./Standing";

/** What takes the model's shadow and reflection, and what stands before it. */
export function ContactStep(props: StepProps) {
  if (!props.derived.camera)
    return <Hint>What stands there is drawn through the solved camera. Mark the perspective first.</Hint>;
  return (
    <>
      {!props.derived.metric && (
        <Hint>Draw a yardstick in the Ground step: without it a wall has no size.</Hint>
      )}
      <Standing {...props} />
      <KindSections step="contact" {...props} />
      <Section name="ground-made" title="The ground" fact={props.document.ground.material} open>
        <GroundMade {...props} />
      </Section>
      <OnlyChanges />
      <Section name="contact-by-hand" title="By hand" fact={byHand(props) ? "changed" : "as computed"}>
        <ByHand {...props} />
      </Section>
    </>
  );
}

/** The proof's work on the place by itself: shadow darker than grey, light brighter. */
function OnlyChanges() {
  const { changes, view } = usePicked("changes", "view");
  const shown = view === "proof" || view === "master";
  return (
    <Section name="only-changes" title="Only what changes" fact={changes ? `${changes} × as strong` : "off"}>
      <div className="flex items-center gap-2">
        <OneOf
          label="Only what changes"
          look="joined"
          value={String(changes)}
          options={[
            { value: "0", label: "off" },
            ...["1", "3", "8"].map((times) => ({ value: times, label: `${times} ×` })),
          ]}
          onValue={(times) =>
            useEditor.setState({ changes: Number(times), ...(!shown && { view: "proof" }) })
          }
        />
      </div>
      <p className="pt-1 text-xs leading-[1.5] text-ink-500">
        What the model does to the photograph, on grey: darker is taken away, brighter is added.
      </p>
    </Section>
  );
}

/** What the ground is made of: it sets how bright the model stands beside it, and how it gleams. */
function GroundMade({ shot, document }: StepProps) {
  const { data } = useMaterials();
  const { change, move, keep } = useChange(shot.id);
  const { tool } = usePicked("tool");
  const { ground } = document;
  return (
    <>
      <p className="mb-2 text-xs leading-[1.55] text-ink-500">
        Its tint and pattern come from the photograph; the material says how much light it throws back, and
        how it gleams.
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
        onValue={(name) =>
          void change(
            { ground: { material: name, reflectance: null, coat: null, roughness: null } },
            `ground: ${name}`,
          )
        }
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
        <Sheen
          of="the ground"
          chosen={ground}
          onMove={(values) => move({ ground: values })}
          onKeep={keep}
          onChange={(values, label) => void change({ ground: values }, label)}
        />
        <Button active={tool?.kind === "gleam"} onClick={() => toggleTool("gleam")}>
          Measure it by a mirror image
        </Button>
      </div>
    </>
  );
}

const byHand = ({ document: { contact } }: StepProps) =>
  KNOBS.some(({ field, zero }) => contact[field] !== zero);

const times = (v: number) => (v === 1 ? "as computed" : `${v.toFixed(2)} ×`);
const more = (less: string, most: string) => (v: number) =>
  v === 0 ? "as computed" : `${Math.round(100 * Math.abs(v))} % ${v < 0 ? less : most}`;

const uneven = (v: number) => (v === 0 ? "even" : `± ${v.toFixed(1)} mm by its stones`);

/** What each control means, its physical value, and how far it goes. */
const KNOBS = [
  { field: "shadow", label: "Shadows", zero: 1, min: 0, max: 2, step: 0.05, show: times },
  {
    field: "warmth",
    label: "Shadows’ tint",
    zero: 0,
    min: -1,
    max: 1,
    step: 0.05,
    show: more("cooler", "warmer"),
  },
  { field: "reflection", label: "Reflections", zero: 1, min: 0, max: 2, step: 0.05, show: times },
  {
    field: "blur",
    label: "Reflections’ blur",
    zero: 0,
    min: -0.5,
    max: 0.5,
    step: 0.05,
    show: more("sharper", "softer"),
  },
  { field: "uneven_mm", label: "Uneven ground", zero: 0, min: 0, max: 30, step: 0.5, show: uneven },
] as const;

function ByHand({ shot, document }: StepProps) {
  const { change, move, keep } = useChange(shot.id);
  return (
    <>
      <Knobs
        knobs={KNOBS}
        values={document.contact}
        onMove={(field, v) => move({ contact: { [field]: v } })}
        onKeep={({ label }) => keep(label.toLowerCase())}
        onZero={({ field, label, zero }) =>
          void change({ contact: { [field]: zero } }, `${label.toLowerCase()}: as computed`)
        }
      />
      <p className="text-xs text-ink-500">On top of what is computed. A double click goes back to that.</p>
    </>
  );
}

const grey = (linear: number) => {
  const code = Math.round(255 * (1.055 * linear ** (1 / 2.4) - 0.055));
  return `rgb(${code} ${code} ${code})`;
};
