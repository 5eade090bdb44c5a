import { levelHeight } from "../../checks/spots";
import { metres, parseMetres, parseMillimetres, parseNumber } from "../../geometry/measure";
import { footOf, rootOf, withinCarrier } from "../../geometry/standing";
import { distancesOf } from "../../marks/model/distances";
import type { StepProps } from "../../marks/props";
import { nameOf, toppedIn } from "../../marks/proxy/words";
import { useChange } from "../../state/changes";
import { askRest, carriersFor, putDown } from "../../state/things";
import { Field, OneOf } from "../../ui/controls";
import { Section } from "../Section";
import type { Setting } from "./setting";

/** Where a thing stands, on what, and how far from its neighbours. */
export function Whereabouts({ placed, set, ...shown }: Setting & StepProps) {
  const { document, derived } = shown;
  const [x, y, z] = placed.position_m;
  const root = rootOf(placed, document.models);
  const base = placed.on ? 0 : levelHeight(derived, root.level);
  const carrier = document.models.find(({ id }) => id === placed.on);
  const off = carrier
    ? `Above ${carrier.name}’s foot`
    : placed.level
      ? "Off what it stands on"
      : "Off the ground";
  return (
    <>
      <div className="grid grid-cols-2 gap-x-2">
        <Field
          stacked
          label="Along x"
          value={`${x.toFixed(3)} m`}
          parse={(text) => parseMetres(text)}
          onValue={(v) => set({ position_m: [v, y, z] }, "place by figure")}
        />
        <Field
          stacked
          label="Along y"
          value={`${y.toFixed(3)} m`}
          parse={(text) => parseMetres(text)}
          onValue={(v) => set({ position_m: [x, v, z] }, "place by figure")}
        />
        <Field
          stacked
          label={off}
          value={`${((z - base) * 1000).toFixed(1).replace(/\.0$/, "")} mm`}
          parse={parseMillimetres}
          onValue={(v) => set({ position_m: [x, y, base + v] }, "lift by figure")}
        />
        <Field
          stacked
          label="Turned"
          value={`${placed.turn_deg.toFixed(1)}°`}
          parse={parseNumber}
          onValue={(v) => set({ turn_deg: v }, "turn by figure")}
        />
      </div>
      <StandsOn placed={placed} set={set} {...shown} />
      <Neighbours placed={placed} set={set} {...shown} />
    </>
  );
}

function StandsOn({ placed, set, shot, document, derived }: Setting & StepProps) {
  const { change } = useChange(shot.id);
  const carriers = carriersFor(placed, document.models);
  const tops = toppedIn(document.proxies);
  if (!document.levels.length && !carriers.length && !tops.length) return null;
  const onPlane = (level: string | null) => {
    const values = putDown(placed, document.models, level);
    const [x, y] = values.position_m ?? placed.position_m;
    const lift = placed.on ? 0 : placed.position_m[2] - levelHeight(derived, placed.level);
    set({ ...values, position_m: [x, y, levelHeight(derived, level) + lift] }, "what it stands on");
  };
  const onThing = async (id: string) => {
    const answer = await askRest(shot.id, { how: "fall", thing: placed.id, other: id });
    const carrier = document.models.find((one) => one.id === id);
    if (answer?.values)
      void change({ models: { [placed.id]: answer.values } }, `stand it on the ${carrier?.name ?? "other"}`);
  };
  return (
    <div className="flex flex-wrap items-center gap-1.5 py-1 text-xs text-ink-700">
      Stands on
      <OneOf
        label={`What the ${placed.name} stands on`}
        value={placed.on ? `on ${placed.on}` : (placed.level ?? "")}
        options={[
          { value: "", label: "Ground" },
          ...document.levels.map(({ id, name }) => ({ value: id, label: name || "Level" })),
          ...tops.map((proxy) => ({ value: proxy.id, label: `${nameOf(proxy)}’s top` })),
          ...carriers.map(({ id, name }) => ({ value: `on ${id}`, label: name })),
        ]}
        onValue={(id) => (id.startsWith("on ") ? void onThing(id.slice(3)) : onPlane(id || null))}
      />
    </div>
  );
}

/** How far its neighbours are; a distance typed moves it straight towards or away from that one. */
function Neighbours({ placed, set, document, derived }: Setting & StepProps) {
  const found = distancesOf(placed, document, derived);
  const nearest = found[0];
  if (!nearest) return null;
  return (
    <Section
      name={`neighbours-${placed.id}`}
      title="Distances"
      fact={`${metres(nearest.metres)} to ${nearest.name.split(",")[0]}`}
    >
      {found.map((one) => (
        <Field
          key={one.id}
          label={`to ${one.name}`}
          value={metres(one.metres, 3)}
          parse={(text) => parseMetres(text)}
          min={0}
          onValue={(wanted) => {
            if (one.metres <= 0) return;
            const { foot } = footOf(placed, document.models);
            const share = (one.metres - wanted) / one.metres;
            const at = [
              foot[0] + share * (one.to[0] - one.from[0]),
              foot[1] + share * (one.to[1] - one.from[1]),
              foot[2],
            ] as const;
            set({ position_m: [...withinCarrier(placed, document.models, at)] }, "distance by figure");
          }}
        />
      ))}
    </Section>
  );
}
