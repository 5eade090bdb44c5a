import { lazy, Suspense } from "react";
import type { Almanac, Shot } from "../../api/client";
import { parseNumber } from "../../geometry/measure";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { Button, Field, Figure, Hint, TextField } from "../../ui/controls";

// The coasts of the world are loaded by those who look at them.
const WorldMap = lazy(() => import("./WorldMap"));

/** Date and place as the camera wrote them; what it did not write begins as a guess. */
export function newAlmanac({ photograph }: Shot): Almanac {
  const notes = photograph?.notes;
  const taken = notes?.taken_at ?? `${new Date().toISOString().slice(0, 10)}T12:00:00`;
  return {
    date: taken.slice(0, 10),
    time: taken.slice(11, 19),
    zone: taken.slice(19).match(/[+-]\d\d:\d\d$/)?.[0] ?? null,
    latitude_deg: notes?.latitude_deg ?? 45,
    longitude_deg: notes?.longitude_deg ?? 0,
    bearing_deg: null,
  };
}

/** The sun by the almanac; and back: at which times it stood as high as the shadows tell. */
export function DateAndPlace({ shot, document, derived }: StepProps) {
  const { move, keep, change } = useChange(shot.id);
  const { almanac, photograph } = document;
  const answer = derived.almanac;
  if (!almanac) return null;
  const set = (values: Partial<Almanac>, label: string) => void change({ almanac: values }, label);
  const notes = photograph?.notes;
  const guessed = [
    notes?.taken_at ? null : "date and time",
    notes?.latitude_deg === null || notes?.latitude_deg === undefined ? "the place" : null,
  ].filter((one) => one !== null);
  return (
    <>
      {answer?.direction && (
        <>
          <Figure
            name="Towards"
            value={`${answer.compass_deg.toFixed(1)}° from north`}
            from="date and place"
          />
          <Figure name="Elevation" value={`${answer.elevation_deg.toFixed(1)}°`} from="date and place" />
        </>
      )}
      {(answer?.reason ?? derived.almanac_reason) && (
        <Hint kind="wrong">{answer?.reason ?? derived.almanac_reason}</Hint>
      )}
      <div className="grid grid-cols-2 gap-x-2">
        <When type="date" label="Date" value={almanac.date} onValue={(date) => set({ date }, "date")} />
        <When
          type="time"
          label="Time"
          value={almanac.time.slice(0, 5)}
          onValue={(time) => set({ time }, "time")}
        />
      </div>
      <TextField
        label="Time zone"
        value={almanac.zone ?? ""}
        placeholder={answer ? `${answer.zone}, by the place` : "by the place"}
        onValue={(zone) => set({ zone }, "time zone")}
        onClear={() => set({ zone: null }, "time zone")}
      />
      <Suspense fallback={<div className="my-1 h-[144px] rounded-md bg-lime-100" />}>
        <WorldMap
          latitude_deg={almanac.latitude_deg}
          longitude_deg={almanac.longitude_deg}
          onMove={(place) => move({ almanac: place })}
          onKeep={() => keep("place")}
        />
      </Suspense>
      <div className="grid grid-cols-2 gap-x-2">
        <Field
          stacked
          label="Latitude, north"
          value={`${almanac.latitude_deg.toFixed(3)}°`}
          parse={parseNumber}
          min={-90}
          onValue={(v) => set({ latitude_deg: Math.min(v, 90) }, "latitude")}
        />
        <Field
          stacked
          label="Longitude, east"
          value={`${almanac.longitude_deg.toFixed(3)}°`}
          parse={parseNumber}
          min={-180}
          onValue={(v) => set({ longitude_deg: Math.min(v, 180) }, "longitude")}
        />
      </div>
      <Field
        label="Run A points, from north"
        value={almanac.bearing_deg === null ? "" : `${almanac.bearing_deg.toFixed(1)}°`}
        placeholder={
          answer?.bearing_deg === null || answer?.bearing_deg === undefined
            ? "not known"
            : `${answer.bearing_deg.toFixed(1)}°`
        }
        parse={parseNumber}
        min={-360}
        onValue={(bearing_deg) => set({ bearing_deg }, "bearing of run A")}
        onClear={() => set({ bearing_deg: null }, "bearing of run A")}
      />
      {answer && answer.times.length > 0 && (
        <div className="pt-1 text-xs text-ink-700">
          <p className="pb-1">By its measured height the sun stood so at</p>
          <div className="flex flex-wrap gap-1.5">
            {answer.times.map(({ time, bearing_deg }) => (
              <Button
                key={time}
                onClick={() =>
                  set({ time, bearing_deg: Math.round(bearing_deg * 10) / 10 }, `taken at ${time}`)
                }
              >
                {time}, run A at {bearing_deg.toFixed(0)}°
              </Button>
            ))}
          </div>
        </div>
      )}
      {derived.sun && answer?.times.length === 0 && (
        <Hint>On that day and there the sun never stood as high as the shadows tell.</Hint>
      )}
      {guessed.length > 0 && (
        <Hint>The camera did not write {guessed.join(" and ")}: see that they are right.</Hint>
      )}
    </>
  );
}

type WhenProps = { type: "date" | "time"; label: string; value: string; onValue: (value: string) => void };

function When({ type, label, value, onValue }: WhenProps) {
  return (
    <label className="flex min-w-0 flex-col py-1 text-xs text-ink-700">
      {label}
      <input
        type={type}
        value={value}
        className="w-full rounded-md border border-lime-300 bg-white px-2 py-1 text-ink-900"
        onKeyDown={(event) => event.stopPropagation()}
        onChange={(event) => event.target.value && onValue(event.target.value)}
      />
    </label>
  );
}
