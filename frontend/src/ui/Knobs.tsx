import { Slider } from "./controls";

/** What a control means, its zero, and how far it goes. */
export type Knob<Field extends string> = {
  field: Field;
  label: string;
  zero: number;
  min: number;
  max: number;
  step: number;
  show: (value: number) => string;
};

type Props<Field extends string> = {
  knobs: readonly Knob<Field>[];
  values: Record<Field, number>;
  onMove: (field: Field, value: number) => void;
  onKeep: (knob: Knob<Field>) => void;
  onZero: (knob: Knob<Field>) => void;
};

/** Controls by hand, each with its zero, to which a double click goes back. */
export function Knobs<Field extends string>({ knobs, values, onMove, onKeep, onZero }: Props<Field>) {
  return knobs.map((knob) => (
    <Slider
      key={knob.field}
      label={knob.label}
      value={values[knob.field]}
      min={knob.min}
      max={knob.max}
      step={knob.step}
      show={knob.show}
      onMove={(value) => onMove(knob.field, value)}
      onKeep={() => onKeep(knob)}
      onZero={() => onZero(knob)}
    />
  ));
}
