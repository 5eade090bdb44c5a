import { useState } from "react";
import type { Placed, RestAnswer } from "../../api/client";
import { parseNumber } from "../../geometry/measure";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { useEditor, usePicked } from "../../state/editor";
import { say } from "../../state/notices";
import { askRest, carriersFor } from "../../state/things";
import { Button, Field, OneOf } from "../../ui/controls";
import { Section } from "../Section";
import type { Setting } from "./setting";

/** How it lies and leans: settle, rest against, lean by hand. */
export function Rest({ placed, set, shot, document }: Setting & StepProps) {
  const { change } = useChange(shot.id);
  const { leaning } = usePicked("leaning");
  const [sides, setSides] = useState<RestAnswer | null>(null);
  const ask = async (question: Parameters<typeof askRest>[1], label: string) => {
    const answer = await askRest(shot.id, { thing: placed.id, ...question });
    if (!answer?.values) return;
    if (answer.sides.length) setSides(answer);
    if (!answer.held) say("It touches, but would not stay so: its weight is not over what holds it.");
    await change({ models: { [placed.id]: answer.values as Partial<Placed> } }, label);
  };
  const others = carriersFor(placed, document.models).filter((one) => !one.hidden && one.id !== placed.on);
  const lies = placed.pose ? "laid down" : "upright";
  const fact = placed.lean_deg ? `${lies}, leans ${placed.lean_deg.toFixed(1)}°` : lies;
  return (
    <Section name={`rest-${placed.id}`} title="How it rests" fact={fact}>
      <div className="flex flex-wrap gap-1.5 py-1">
        <Button onClick={() => void ask({ how: "settle" }, "settle")}>Settle</Button>
        <Button onClick={() => void ask({ how: "fall" }, "let it down")}>Let it down</Button>
        <Button
          active={leaning}
          onClick={() =>
            useEditor.setState({ leaning: !leaning, selection: { kind: "model", id: placed.id } })
          }
        >
          Lean
        </Button>
        {(placed.pose || placed.lean_deg > 0) && (
          <Button look="quiet" onClick={() => set({ pose: null, lean_deg: 0 }, "upright")}>
            Upright
          </Button>
        )}
      </div>
      {sides && sides.sides.length > 1 && (
        <div className="flex flex-wrap items-center gap-1.5 py-1 text-xs text-ink-700">
          Stays lying
          <OneOf
            label={`How the ${placed.name} stays lying`}
            value={String(sides.side ?? 0)}
            options={sides.sides.map(({ name }, i) => ({
              value: String(i),
              label: numbered(sides.sides, name, i),
            }))}
            onValue={(side) => void ask({ how: "settle", side: Number(side) }, "settle on another side")}
          />
        </div>
      )}
      {leaning && (
        <>
          <Field
            label="Leans by"
            value={`${placed.lean_deg.toFixed(1)}°`}
            parse={parseNumber}
            min={0}
            onValue={(v) => set({ lean_deg: Math.min(v, 180) }, "lean by figure")}
          />
          <Field
            label="towards, from its x"
            value={`${placed.lean_toward_deg.toFixed(0)}°`}
            parse={parseNumber}
            onValue={(v) => set({ lean_toward_deg: v }, "lean by figure")}
          />
        </>
      )}
      {others.length > 0 && (
        <div className="flex flex-wrap items-center gap-1.5 py-1 text-xs text-ink-700">
          Rest it against
          {others.map(({ id, name }) => (
            <Button
              key={id}
              className="text-xs"
              onClick={() => void ask({ how: "against", other: id }, `rest against the ${name}`)}
            >
              {name}
            </Button>
          ))}
        </div>
      )}
    </Section>
  );
}

/** A side's name, numbered where several are called alike. */
function numbered(sides: RestAnswer["sides"], name: string, i: number): string {
  const alike = sides.filter((one) => one.name === name).length;
  return alike > 1 ? `${name} ${sides.slice(0, i + 1).filter((one) => one.name === name).length}` : name;
}
