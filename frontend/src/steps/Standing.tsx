import type { Placed } from "../api/client";
import { levelHeight } from "../checks/spots";
import type { StepProps } from "../marks/props";
import { nameOf } from "../marks/proxy/words";
import { useChange } from "../state/changes";
import { Button } from "../ui/controls";
import { Section } from "./Section";

/** Less than this nobody sees [m]. */
const UNSEEN_M = 0.0005;

type Off = { placed: Placed; lift: number; base: number; under: string };

/** Things that do not touch what they stand on, by how much. */
function offTheGround({ document, derived }: StepProps): Off[] {
  return document.models
    .filter(({ hidden, on }) => !hidden && !on)
    .map((placed) => {
      const level = document.levels.find(({ id }) => id === placed.level);
      const base = derived.bases[placed.id] ?? levelHeight(derived, placed.level);
      const proxy = document.proxies.find(({ id }) => id === placed.level);
      const under = proxy ? `${nameOf(proxy)}’s top` : level ? level.name || "the level" : "the ground";
      return { placed, lift: placed.position_m[2] - base, base, under };
    })
    .filter(({ lift }) => Math.abs(lift) > UNSEEN_M);
}

const millimetres = (m: number) => {
  const mm = Math.abs(m) * 1000;
  return mm < 1000 ? `${mm.toFixed(mm < 10 ? 1 : 0)} mm` : `${(mm / 1000).toFixed(2)} m`;
};

/** Whether things touch what they stand on; one click sets down what floats or is sunk. */
export function Standing(props: StepProps) {
  const { change } = useChange(props.shot.id);
  const off = offTheGround(props);
  if (!props.document.models.length) return null;
  return (
    <Section
      name="standing"
      title="How things stand"
      fact={off.length ? `${off.length} off what they stand on` : "all touch"}
      open={off.length > 0}
    >
      {!off.length && <p className="text-xs text-ink-500">All that stands here touches what it stands on.</p>}
      {off.map(({ placed, lift, base, under }) => (
        <div key={placed.id} className="flex items-center justify-between gap-2 py-0.5 text-xs">
          <span className="min-w-0 text-ink-700">
            <b className="font-medium">{placed.name}</b> {lift > 0 ? "floats" : "is sunk"} {millimetres(lift)}{" "}
            {lift > 0 ? "over" : "into"} {under}
          </span>
          <Button
            onClick={() => {
              const [x, y] = placed.position_m;
              const at: [number, number, number] = [x, y, base];
              void change({ models: { [placed.id]: { position_m: at } } }, `set the ${placed.name} down`);
            }}
          >
            Set it down
          </Button>
        </div>
      ))}
    </Section>
  );
}
