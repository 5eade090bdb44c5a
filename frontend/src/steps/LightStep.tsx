import { parseNumber } from "../geometry/measure";
import type { StepProps } from "../marks/props";
import { useChange } from "../state/changes";
import { Button, Field, Figure, Hint, Slider } from "../ui/controls";
import { KindSections, Section } from "./Section";

export function LightStep({ shot, document, derived }: StepProps) {
  const { move, keep, change } = useChange(shot.id);
  const { sun, sky } = document;
  const measured = derived.sun;
  const byHand = sun.kind === "hand";
  if (!derived.camera)
    return <Hint>The sun is found through the solved camera. Mark the perspective first.</Hint>;
  const setSun = (values: Partial<typeof sun>) => move({ sun: values });
  return (
    <>
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
        title="Balance"
        fact={`sun ${sun.strength.toFixed(2)} ×, sky ${sky.strength.toFixed(2)} ×`}
        open
      >
        <Slider
          label="Sun"
          value={sun.strength}
          min={0}
          max={3}
          step={0.05}
          show={(v) => `${v.toFixed(2)} ×`}
          onMove={(strength) => setSun({ strength })}
          onKeep={() => keep("strength of the sun")}
        />
        <Slider
          label="Sky"
          value={sky.strength}
          min={0}
          max={3}
          step={0.05}
          show={(v) => `${v.toFixed(2)} ×`}
          onMove={(strength) => move({ sky: { strength } })}
          onKeep={() => keep("strength of the sky")}
        />
        <Slider
          label="Softness of the shadow’s edge"
          value={sun.softness_deg}
          min={0.1}
          max={8}
          step={0.05}
          show={(v) => `${v.toFixed(2)}°`}
          onMove={(softness_deg) => setSun({ softness_deg })}
          onKeep={() => keep("softness of the shadow")}
        />
        <Slider
          label="Haze"
          value={sky.turbidity}
          min={1}
          max={10}
          step={0.1}
          show={(v) => v.toFixed(1)}
          onMove={(turbidity) => move({ sky: { turbidity } })}
          onKeep={() => keep("haze")}
        />
        <p className="text-xs text-ink-500">1 × and 0.53° are a clear day’s own.</p>
      </Section>
    </>
  );
}
