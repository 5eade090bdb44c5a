import { pictureUrl, type ShotOut } from "../api/client";
import type { Zoom } from "../geometry/frame";
import { Placed } from "../stage/Placed";
import { madeFrameUrl, takeFrameUrl, useTake } from "./hooks";
import { useOnShow } from "./state";

type Props = { shot: ShotOut; zoom: Zoom };

const ONION = 0.3;

/** The take's frame that is on show, under what is drawn live; with its neighbours, faint, where that is asked for. */
export function TakeFrame({ shot, zoom }: Props) {
  const { frame, onion } = useOnShow();
  const { take, photograph } = shot.document;
  if (!take || !photograph || frame === null) return null;
  const near = onion ? [frame - onion, frame + onion].filter((one) => one >= 0 && one < take.frames) : [];
  return (
    <>
      {[frame, ...near].map((one, place) => (
        <Placed
          key={place === 0 ? "frame" : one}
          src={takeFrameUrl(shot.id, one)}
          picture={photograph}
          zoom={zoom}
          alt={`Frame ${one} of the take`}
          testid={place === 0 ? "take-frame" : undefined}
          style={place === 0 ? undefined : { opacity: ONION, mixBlendMode: "multiply" }}
        />
      ))}
    </>
  );
}

/** The clean plate, hatched where nothing was ever seen empty. */
export function Hatched({ shot, zoom }: Props) {
  const { hatched, frame } = useOnShow();
  const plate = useTake(shot)?.work.plate;
  const { photograph } = shot.document;
  if (!hatched || frame !== null || !photograph || plate?.state !== "done") return null;
  return (
    <Placed
      src={pictureUrl(plate)}
      picture={photograph}
      zoom={zoom}
      alt="The clean plate, hatched where the place was never seen empty"
      testid="hatched"
    />
  );
}

/** What was made of the frame: who is in front laid over it, or the finished frame in its stead. */
export function MadeFrame({ shot, zoom }: Props) {
  const { frame, shown } = useOnShow();
  const take = useTake(shot);
  const { photograph } = shot.document;
  if (!take || !photograph || frame === null || shown === "take") return null;
  const render = take.work[shown];
  if (!render || !take[shown].includes(frame))
    return (
      <p className="pointer-events-none absolute top-3 left-1/2 -translate-x-1/2 rounded-md bg-ink-900/85 px-3 py-1.5 text-xs whitespace-nowrap text-white">
        Frame {frame} is not made yet
      </p>
    );
  return (
    <Placed
      src={madeFrameUrl(render, frame)}
      picture={photograph}
      zoom={zoom}
      alt={shown === "front" ? `Who is in front in frame ${frame}` : `Finished frame ${frame}`}
      testid="made-frame"
    />
  );
}
