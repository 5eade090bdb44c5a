import type { Derived, FileOut, Shot, Upload } from "../../api/client";
import { hasSun } from "../../geometry/sun";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import type { Patch } from "../../state/patch";
import { Hint, Slider } from "../../ui/controls";
import { KindSections, Section } from "../Section";
import { CheckPieces } from "./CheckPieces";
import { LightCard } from "./LightCard";
import { Lights } from "./Lights";
import { LitBy } from "./LitBy";
import { SunBy } from "./SunBy";

type Knob = {
  label: string;
  of: (document: Shot, derived: Derived) => number;
  min: number;
  max: number;
  show: (value: number, document: Shot, derived: Derived) => string;
  change: (value: number) => Patch;
  /** Back to what is measured. */
  free?: Patch;
};

const fallsBy = ({ photograph }: Shot, { falloff_measured }: Derived) =>
  photograph?.falloff != null ? " · by hand" : falloff_measured ? " · by the sky seen" : "";

const times = (v: number) => `${v.toFixed(2)} ×`;

const SUN: Knob = {
  label: "Sun",
  of: ({ sun }) => sun.strength,
  min: 0,
  max: 3,
  show: times,
  change: (strength) => ({ sun: { strength } }),
};

/** What a day's light can be set to by hand, on top of what was measured. */
const KNOBS: readonly Knob[] = [
  SUN,
  {
    label: "Sky",
    of: ({ sky }) => sky.strength,
    min: 0,
    max: 3,
    show: times,
    change: (strength) => ({ sky: { strength } }),
  },
  {
    label: "Haze",
    of: ({ sky }, { haze }) => sky.turbidity ?? haze,
    min: 1,
    max: 10,
    show: (v, { sky }, { haze_measured }) =>
      `${v.toFixed(1)}${haze_measured ? " · by the sky seen" : sky.turbidity === null ? "" : " · by hand"}`,
    change: (turbidity) => ({ sky: { turbidity } }),
    free: { sky: { turbidity: null } },
  },
  {
    label: "Overcast",
    of: ({ sky }) => sky.cover,
    min: 0,
    max: 1,
    show: (v) => (v === 0 ? "clear" : v === 1 ? "whole" : `${Math.round(100 * v)} %`),
    change: (cover) => ({ sky: { cover } }),
  },
];

/** And what a room's can. */
const ROOM_KNOBS: readonly Knob[] = [
  {
    label: "From walls and ceiling",
    of: ({ sky }) => sky.strength,
    min: 0,
    max: 3,
    show: times,
    change: (strength) => ({ sky: { strength } }),
  },
];

type Props = StepProps & {
  projectId: string;
  onFiles: (uploads: Upload[]) => void;
  onStand: (file: FileOut) => void;
};

export function LightStep({ projectId, onFiles, onStand, ...props }: Props) {
  const { shot, document, derived } = props;
  const { move, keep, change } = useChange(shot.id);
  const { sun, sky } = document;
  if (!derived.camera)
    return <Hint>The sun is found through the solved camera. Mark the perspective first.</Hint>;
  return (
    <>
      <LitBy {...props} projectId={projectId} onFiles={onFiles} />
      {hasSun(document) && <SunBy {...props} />}
      <Lights {...props} />
      <KindSections step="light" {...props} />
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
        {document.lit_by !== "panorama" &&
          (document.lit_by === "day" ? KNOBS : hasSun(document) ? [SUN, ...ROOM_KNOBS] : ROOM_KNOBS).map(
            ({ label, of, min, max, show, change: by, free }) => (
              <Slider
                key={label}
                label={label}
                value={of(document, derived)}
                min={min}
                max={max}
                step={0.05}
                show={(v) => show(v, document, derived)}
                onMove={(v) => move(by(v))}
                onKeep={() => keep(label.toLowerCase())}
                onZero={free && (() => void change(free, label.toLowerCase()))}
              />
            ),
          )}
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
        <Slider
          label="Lens darkens the corners"
          value={document.photograph?.falloff ?? derived.falloff}
          min={0}
          max={0.6}
          step={0.01}
          show={(v) => `by ${Math.round(100 * v)} %${fallsBy(document, derived)}`}
          onMove={(falloff) => move({ photograph: { falloff } })}
          onKeep={() => keep("what the lens loses in the corners")}
          onZero={() => void change({ photograph: { falloff: null } }, "what the lens loses, as measured")}
        />
        {document.lit_by !== "panorama" && (
          <p className="text-xs text-ink-500">
            1 × is {derived.balance ? "as the patches tell" : "as the ground shows it"}.
          </p>
        )}
      </Section>
      <Section name="light-card" title="Light card" fact="known things in this light">
        <LightCard {...props} />
      </Section>
      <CheckPieces projectId={projectId} onStand={onStand} metric={derived.metric} />
    </>
  );
}
