import { useState } from "react";
import type { Grade } from "../../api/client";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { Button, OneOf, Slider } from "../../ui/controls";
import { Knobs } from "../../ui/Knobs";
import { Section } from "../Section";
import { Curve } from "./Curve";
import { LutFields } from "./LutFields";
import { isPlain, PLAIN } from "./plain";

type Part = "model" | "place" | "whole";
const PARTS: { value: Part; label: string; says: string }[] = [
  { value: "model", label: "Model", says: "What is rendered alone; the photograph stays as it is." },
  { value: "place", label: "Place", says: "The photograph with the shadow on it; the model stays as it is." },
  { value: "whole", label: "Whole", says: "The finished picture, after all else." },
];

const stops = (v: number) => (v === 0 ? "0" : `${v > 0 ? "+" : "−"}${Math.abs(v).toFixed(2)} stops`);
const share = (less: string, more: string) => (v: number) =>
  v === 0 ? "0" : `${Math.round(100 * Math.abs(v))} % ${v < 0 ? less : more}`;

/** In the order in which they are applied. */
const KNOBS = [
  { field: "exposure_stops", label: "Exposure", zero: 0, min: -2, max: 2, step: 0.05, show: stops },
  { field: "warmth", label: "Warmth", zero: 0, min: -1, max: 1, step: 0.02, show: share("cooler", "warmer") },
  { field: "tint", label: "Tint", zero: 0, min: -1, max: 1, step: 0.02, show: share("greener", "pinker") },
  {
    field: "contrast",
    label: "Contrast",
    zero: 0,
    min: -1,
    max: 1,
    step: 0.02,
    show: share("flatter", "steeper"),
  },
  {
    field: "saturation",
    label: "Saturation",
    zero: 1,
    min: 0,
    max: 2,
    step: 0.02,
    show: (v: number) => (v === 1 ? "0" : share("less", "more")(v - 1)),
  },
] as const;

const TONES = [
  { field: "lift", label: "Dark tones" },
  { field: "gamma", label: "Middle tones" },
  { field: "gain", label: "Bright tones" },
] as const;

const CHANNELS = [
  { value: "all", label: "All" },
  { value: "0", label: "Red" },
  { value: "1", label: "Green" },
  { value: "2", label: "Blue" },
] as const;

/** Tones of the model, of the place, and of the whole. */
export function GradeSection({ shot, document }: StepProps) {
  const { change, move, keep } = useChange(shot.id);
  const [part, setPart] = useState<Part>("model");
  const { blend } = document;
  const grade = blend[part];
  const changed = PARTS.filter(({ value }) => !isPlain(blend[value])).map(({ label }) => label.toLowerCase());
  const set = (values: Partial<Grade>) => ({ blend: { [part]: { ...grade, ...values } } });
  return (
    <Section name="grade" title="Tones" fact={changed.join(", ") || "untouched"}>
      <OneOf look="joined" label="Tones of" value={part} options={PARTS} onValue={setPart} />
      <p className="pt-1.5 pb-1 text-xs text-ink-500">{PARTS.find(({ value }) => value === part)?.says}</p>
      <Knobs
        knobs={KNOBS}
        values={grade}
        onMove={(field, v) => move(set({ [field]: v }))}
        onKeep={({ label }) => keep(`${label.toLowerCase()} of the ${part}`)}
        onZero={({ field, label, zero }) =>
          void change(set({ [field]: zero }), `${label.toLowerCase()} of the ${part}: untouched`)
        }
      />
      <Section
        name="tones-curve"
        title="Curve"
        fact={grade.curve.length ? `${grade.curve.length} points` : ""}
      >
        <Curve points={grade.curve} onMove={(curve) => move(set({ curve }))} onKeep={keep} />
      </Section>
      <Tones part={part} grade={grade} onMove={(values) => move(set(values))} onKeep={keep} />
      <LutFields shot={shot} part={part} grade={grade} onMove={(values) => move(set(values))} onKeep={keep} />
      {!isPlain(grade) && (
        <Button className="mt-1" onClick={() => void change(set(PLAIN), `tones of the ${part}: untouched`)}>
          Leave the {part} untouched
        </Button>
      )}
    </Section>
  );
}

type TonesProps = {
  part: Part;
  grade: Grade;
  onMove: (values: Partial<Grade>) => void;
  onKeep: (label: string) => void;
};

/** Dark, middle and bright tones, of all channels together or of one. */
function Tones({ part, grade, onMove, onKeep }: TonesProps) {
  const [channel, setChannel] = useState<(typeof CHANNELS)[number]["value"]>("all");
  const value = (field: (typeof TONES)[number]["field"]) =>
    channel === "all"
      ? (grade[field][0] + grade[field][1] + grade[field][2]) / 3
      : (grade[field][Number(channel)] ?? 0);
  const moved = (field: (typeof TONES)[number]["field"], v: number) => {
    const by = v - value(field);
    const next = grade[field].map((one, n) =>
      channel === "all" || n === Number(channel) ? Math.min(Math.max(one + by, -1), 1) : one,
    );
    onMove({ [field]: next as [number, number, number] });
  };
  return (
    <Section name="tones-finer" title="Dark, middle and bright" fact="">
      <OneOf label="Channel" value={channel} options={CHANNELS} onValue={setChannel} />
      {TONES.map(({ field, label }) => (
        <Slider
          key={field}
          label={label}
          value={value(field)}
          min={-0.5}
          max={0.5}
          step={0.01}
          show={share("darker", "brighter")}
          onMove={(v) => moved(field, v)}
          onKeep={() => onKeep(`${label.toLowerCase()} of the ${part}`)}
          onZero={() => {
            moved(field, 0);
            onKeep(`${label.toLowerCase()} of the ${part}`);
          }}
        />
      ))}
    </Section>
  );
}
