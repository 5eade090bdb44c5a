import type { Shot, Upload } from "../api/client";
import { parseNumber } from "../geometry/measure";
import type { StepProps } from "../marks/props";
import { useChange } from "../state/changes";
import type { Patch } from "../state/patch";
import { Button, Field, Figure, Hint, Slider } from "../ui/controls";
import { LitBy } from "./LitBy";
import { KindSections, Section } from "./Section";

type Knob = {
  label: string;
  of: (document: Shot) => number;
  min: number;
  max: number;
  show: (value: number) => string;
  change: (value: number) => Patch;
};

const times = (v: number) => `${v.toFixed(2)} ×`;

/** What a clear day's light can be set to by hand, on top of what was measured. */
const KNOBS: readonly Knob[] = [
  {
    label: "Sun",
    of: ({ sun }) => sun.strength,
    min: 0,
    max: 3,
    show: times,
    change: (strength) => ({ sun: { strength } }),
  },
  {
    label: "Sky",
    of: ({ sky }) => sky.strength,
    min: 0,
    max: 3,
    show: times,
    change: (strength) => ({ sky: { strength } }),
  },
  {
    label: "Softness of the shadow’s edge",
    of: ({ sun }) => sun.softness_deg,
    min: 0.1,
    max: 8,
    show: (v) => `${v.toFixed(2)}°`,
    change: (softness_deg) => ({ sun: { softness_deg } }),
  },
  {
    label: "Haze",
    of: ({ sky }) => sky.turbidity,
    min: 1,
    max: 10,
    show: (v) => v.toFixed(1),
    change: (turbidity) => ({ sky: { turbidity } }),
  },
];

type Props = StepProps & { projectId: string; onFiles: (uploads: Upload[]) => void };

export function LightStep({ projectId, onFiles, ...props }: Props) {
  const { shot, document, derived } = props;
  const { move, keep, change } = useChange(shot.id);
  const { sun, sky } = document;
  const measured = derived.sun;
  const byHand = sun.kind === "hand";
  if (!derived.camera)
    return <Hint>The sun is found through the solved camera. Mark the perspective first.</Hint>;
  return (
    <>
      <LitBy {...props} projectId={projectId} onFiles={onFiles} />
      {byHand ? (
        <>
          <Field
            label="Azimuth from x"
            value={`${sun.azimuth_deg.toFixed(1)}°`}
            parse={parseNumber}
            min={-360}
            onValue={(v) => void change({ sun: { azimuth_deg: v } }, "sun by figure")}
          />
          <Field
            label="Elevation"
            value={`${sun.elevation_deg.toFixed(1)}°`}
            parse={parseNumber}
            min={0.1}
            onValue={(v) => void change({ sun: { elevation_deg: Math.min(v, 90) } }, "sun by figure")}
          />
          {!measured && (
            <Hint>
              Where it begins is a guess. Pull the tip of the model’s shadow until it runs as the shadows in
              the photograph do.
            </Hint>
          )}
          {measured && (
            <Button
              className="mt-1"
              onClick={() => void change({ sun: { kind: "gnomons" } }, "sun from the gnomons")}
            >
              Use the measured sun again
            </Button>
          )}
        </>
      ) : (
        measured && (
          <>
            <Figure
              name="Azimuth from x"
              value={`${measured.azimuth_deg.toFixed(1)}°`}
              range={`± ${(2 * (measured.sigma_deg.azimuth ?? 0)).toFixed(1)}`}
              from="measured"
            />
            <Figure
              name="Elevation"
              value={`${measured.elevation_deg.toFixed(1)}°`}
              range={`± ${(2 * (measured.sigma_deg.elevation ?? 0)).toFixed(1)}`}
              from="measured"
            />
          </>
        )
      )}
      <KindSections step="light" shot={shot} document={document} derived={derived} />
      {!derived.sun_shown && !document.models.length && (
        <Hint>Or stand a model and pull the tip of its shadow to where it should fall.</Hint>
      )}
      {!derived.sun_shown && document.models.length > 0 && (
        <Button className="mt-2" onClick={() => void change({ sun: { kind: "hand" } }, "sun by hand")}>
          Set the sun by hand
        </Button>
      )}
      <Section
        name="balance"
        title="By hand"
        fact={
          document.lit_by === "day"
            ? `sun ${sun.strength.toFixed(2)} ×, sky ${sky.strength.toFixed(2)} ×`
            : ""
        }
        open={!document.patches.length}
      >
        {document.lit_by === "day" &&
          KNOBS.map(({ label, of, min, max, show, change }) => (
            <Slider
              key={label}
              label={label}
              value={of(document)}
              min={min}
              max={max}
              step={0.05}
              show={show}
              onMove={(v) => move(change(v))}
              onKeep={() => keep(label.toLowerCase())}
            />
          ))}
        <Slider
          label="Things brighter or darker"
          value={document.exposure.stops}
          min={-2}
          max={2}
          step={0.05}
          show={(v) => (v === 0 ? "as measured" : `${v > 0 ? "+" : "−"}${Math.abs(v).toFixed(2)} stops`)}
          onMove={(stops) => move({ exposure: { stops } })}
          onKeep={() => keep("brightness of things")}
        />
        {document.lit_by === "day" && (
          <p className="text-xs text-ink-500">
            1 × is {derived.balance ? "as the patches tell" : "as the ground shows it"}; 0.53° a clear day’s
            own.
          </p>
        )}
      </Section>
    </>
  );
}
