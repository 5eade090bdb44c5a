import type { Shot } from "../../api/client";
import { useChange } from "../../state/changes";
import { type Key, keyAt, valueAt } from "../../take/keys";
import { useOnShow } from "../../take/state";
import { Bin, Button, Field, OneOf } from "../../ui/controls";
import type { StepProps } from "../props";

export type Track = {
  path: string;
  label: string;
  /** What holds without keys. */
  now: number | number[];
  show: (value: number | number[]) => string;
  /** Typed; only of single numbers. */
  parse?: (text: string) => number | null;
  min?: number;
};

const EASINGS: { value: Key["easing"]; label: string }[] = [
  { value: "soft", label: "softly" },
  { value: "even", label: "evenly" },
  { value: "hold", label: "not before" },
];

/** Things that can be set at frames, each with its keys. */
export function Tracks({ shot, tracks }: Pick<StepProps, "shot"> & { tracks: Track[] }) {
  const frame = useOnShow((state) => state.frame);
  return (
    <>
      <p className="mb-1 text-xs leading-[1.55] text-ink-500">
        {frame === null
          ? "Choose a frame in the time line, then set what shall be so at that frame."
          : `Set at frame ${frame}; between two frames that are set it goes from one to the other.`}
      </p>
      {tracks.map((track) => (
        <One key={track.path} shot={shot} track={track} />
      ))}
    </>
  );
}

const keysOf = (document: Shot, path: string) =>
  document.keys.filter((key) => key.path === path).sort((a, b) => a.frame - b.frame);

function One({ shot, track }: Pick<StepProps, "shot"> & { track: Track }) {
  const { change } = useChange(shot.id);
  const frame = useOnShow((state) => state.frame);
  const keys = keysOf(shot.document, track.path);
  const here = frame === null ? undefined : keys.find((key) => key.frame === frame);
  const value = keys.length && frame !== null ? valueAt(keys, frame) : track.now;
  const put = (next: number | number[]) => {
    if (frame === null) return;
    const key = keyAt(shot.document, track.path, frame, next);
    void change({ keys: { [key.id]: key } }, `${track.label.toLowerCase()} at frame ${frame}`);
  };
  return (
    <div className="border-b border-dotted border-lime-300 py-1 last:border-0">
      <div className="flex items-center gap-2">
        {track.parse && typeof value === "number" ? (
          <div className="grow">
            <Field
              label={track.label}
              value={track.show(value)}
              parse={track.parse}
              min={track.min}
              onValue={(next) => put(next)}
            />
          </div>
        ) : (
          <span className="grow text-ink-700">
            {track.label} <span className="text-xs text-ink-500">{track.show(value)}</span>
          </span>
        )}
        <Button
          disabled={frame === null || here !== undefined}
          onClick={() => put(value)}
          aria-label={`Set ${track.label} here`}
        >
          {here ? "set" : "Set"}
        </Button>
      </div>
      {keys.map((key, place) => (
        <div key={key.id} className="flex items-center gap-1.5 py-0.5 text-xs text-ink-500">
          <button
            type="button"
            className={`w-[74px] text-left ${key.frame === frame ? "font-medium text-ink-900" : ""}`}
            onClick={() => useOnShow.setState({ frame: key.frame })}
          >
            frame {key.frame}
          </button>
          <span className="grow truncate">{track.show(key.value as number | number[])}</span>
          {place < keys.length - 1 && (
            <OneOf
              label={`How ${track.label} leaves frame ${key.frame}`}
              look="joined"
              value={key.easing}
              options={EASINGS}
              onValue={(easing) => void change({ keys: { [key.id]: { easing } } }, `leaves ${easing}`)}
            />
          )}
          <Bin
            label={`Remove ${track.label} at frame ${key.frame}`}
            onClick={() => void change({ keys: { [key.id]: null } }, "a key removed")}
          />
        </div>
      ))}
    </div>
  );
}
