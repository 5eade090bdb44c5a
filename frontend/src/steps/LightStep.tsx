import { parseNumber } from "../geometry/measure";
import { useDraft } from "../state/draft";
import { usePicked } from "../state/editor";
import { Bin, Button, Field, Figure, Heading, Hint, Slider } from "../ui/controls";
import type { StepProps } from "./props";

export function LightStep({ shot, document, derived }: StepProps) {
  const { tool, take } = usePicked("tool", "take");
  const { move, keep, change } = useDraft(shot.id);
  const { sun, sky } = document;
  const measured = derived.sun;
  const byHand = sun.kind === "hand";
  if (!derived.camera)
    return <Hint>The sun is found through the solved camera. Mark the perspective first.</Hint>;
  const setSun = (values: Partial<typeof sun>) => move({ sun: { ...sun, ...values } });
  return (
    <>
      {byHand ? (
        <>
          <Field
            label="Direction from x"
            value={`${sun.azimuth_deg.toFixed(1)}°`}
            parse={parseNumber}
            min={-360}
            onValue={(v) => void change({ sun: { ...sun, azimuth_deg: v } }, "sun by figure")}
          />
          <Field
            label="Height"
            value={`${sun.elevation_deg.toFixed(1)}°`}
            parse={parseNumber}
            min={0.1}
            onValue={(v) => void change({ sun: { ...sun, elevation_deg: Math.min(v, 90) } }, "sun by figure")}
          />
          {measured && (
            <Button
              className="mt-1"
              onClick={() => void change({ sun: { ...sun, kind: "gnomons" } }, "sun from the gnomons")}
            >
              Use the measured sun again
            </Button>
          )}
        </>
      ) : (
        measured && (
          <>
            <Figure
              name="Direction"
              value={`${measured.azimuth_deg.toFixed(1)}°`}
              range={`± ${(2 * (measured.sigma_deg.azimuth ?? 0)).toFixed(1)}`}
              from="measured"
            />
            <Figure
              name="Height"
              value={`${measured.elevation_deg.toFixed(1)}°`}
              range={`± ${(2 * (measured.sigma_deg.elevation ?? 0)).toFixed(1)}`}
              from="measured"
            />
          </>
        )
      )}
      <Heading
        aside={
          <Button
            active={tool.kind === "gnomon"}
            onClick={() => take(tool.kind === "gnomon" ? { kind: "none" } : { kind: "gnomon", marks: [] })}
          >
            Mark a gnomon
          </Button>
        }
      >
        Gnomons
      </Heading>
      {document.gnomons.length === 0 && (
        <p className="text-xs leading-[1.55] text-ink-500">
          A thing in the photograph that throws a shadow on the ground, such as a post: click its foot, its
          top, and the tip of its shadow.
        </p>
      )}
      <ul>
        {document.gnomons.map((gnomon, index) => (
          <li key={gnomon.id} className="flex items-center gap-2 py-[3px] text-xs">
            <span className="w-4 text-oxide">{index + 1}</span>
            <span className="grow text-ink-700">
              {gnomon.foot ? "foot, top and tip" : "point and its shadow"}
            </span>
            <span className="text-ink-500">
              {measured?.gnomons[index] ? `off by ${measured.gnomons[index].residual_px.toFixed(1)} px` : ""}
            </span>
            <Bin
              label={`Remove gnomon ${index + 1}`}
              onClick={() =>
                void change(
                  { gnomons: document.gnomons.filter((g) => g.id !== gnomon.id) },
                  `remove gnomon ${index + 1}`,
                )
              }
            />
          </li>
        ))}
      </ul>
      {derived.sun_reason && document.gnomons.length > 0 && <Hint kind="wrong">{derived.sun_reason}</Hint>}
      {measured?.warnings.map((warning) => (
        <Hint key={warning}>{warning}</Hint>
      ))}
      {!derived.sun_shown && !document.models.length && (
        <Hint>Or stand a model and pull the tip of its shadow to where it should fall.</Hint>
      )}
      {!derived.sun_shown && document.models.length > 0 && (
        <Button
          className="mt-2"
          onClick={() => void change({ sun: { ...sun, kind: "hand" } }, "sun by hand")}
        >
          Set the sun by hand
        </Button>
      )}
      <Heading>Balance</Heading>
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
        onMove={(strength) => move({ sky: { ...sky, strength } })}
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
        onMove={(turbidity) => move({ sky: { ...sky, turbidity } })}
        onKeep={() => keep("haze")}
      />
      <p className="text-xs text-ink-500">1 × and 0.53° are a clear day’s own.</p>
    </>
  );
}
