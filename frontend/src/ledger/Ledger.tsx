import { type ReactNode, useEffect, useRef } from "react";
import type { FileOut, ShotOut, Upload } from "../api/client";
import { useRenders } from "../api/hooks";
import { shownShot, useChanges } from "../state/changes";
import { STEPS, type Step, usePicked } from "../state/editor";
import { BlendStep } from "../steps/blend/BlendStep";
import { ContactStep } from "../steps/ContactStep";
import { DeliverStep } from "../steps/deliver/DeliverStep";
import { GroundStep } from "../steps/GroundStep";
import { LightStep } from "../steps/light/LightStep";
import { PhotoStep } from "../steps/PhotoStep";
import { PerspectiveStep } from "../steps/perspective/PerspectiveStep";
import { PlaceStep } from "../steps/place/PlaceStep";
import { useOnShow } from "../take/state";
import { facts, STEP_NAMES } from "./facts";
import { Mark } from "./Mark";

type Props = {
  projectId: string;
  shot: ShotOut;
  onFiles: (uploads: Upload[]) => void;
  onStand: (file: FileOut) => void;
};

/** The spine: a row a step with its state and its one figure; the open step unfolds in place. */
export function Ledger({ projectId, shot, onFiles, onStand }: Props) {
  const { step, open } = usePicked("step", "open");
  const { document, derived } = shownShot(
    shot,
    useChanges(),
    useOnShow((state) => state.frame),
  );
  const { data } = useRenders(shot.id);
  const told = facts(document, derived, data?.renders ?? []);
  const props = { shot, document, derived };
  const option = shot.options.find(({ id }) => id === shot.option);
  const bodies: Record<Step, ReactNode> = {
    photo: <PhotoStep {...props} onFiles={onFiles} />,
    perspective: <PerspectiveStep {...props} />,
    ground: <GroundStep {...props} />,
    place: <PlaceStep {...props} projectId={projectId} onFiles={onFiles} onStand={onStand} />,
    light: <LightStep {...props} projectId={projectId} onFiles={onFiles} onStand={onStand} />,
    contact: <ContactStep {...props} />,
    blend: <BlendStep {...props} />,
    deliver: <DeliverStep {...props} renders={data?.renders ?? []} />,
  };
  const list = useRef<HTMLElement>(null);
  useEffect(() => {
    // The step that was opened is seen from its head on.
    const [aside, section] = [list.current, list.current?.querySelector(`[data-section=${step}]`)];
    if (!aside || !section) return;
    const [outer, inner] = [aside.getBoundingClientRect(), section.getBoundingClientRect()];
    if (inner.top < outer.top || inner.bottom > outer.bottom) aside.scrollTop += inner.top - outer.top;
  }, [step]);
  return (
    <aside ref={list} className="overflow-y-auto border-r border-lime-300 bg-lime-100" aria-label="Steps">
      {option && (
        <p className="border-b border-lime-300 bg-verdigris-soft px-4 py-2 text-xs leading-[1.5] text-verdigris-deep">
          <b className="font-medium">{option.name}</b>:{" "}
          {option.differs.length
            ? option.differs.map(({ says }) => says).join(", ")
            : "as the shot so far; what you change in things, light and tones is this option’s own"}
        </p>
      )}
      {STEPS.map((name) => {
        const isOpen = name === step;
        return (
          <section
            key={name}
            data-section={name}
            className={
              isOpen ? "border-l-[3px] border-verdigris bg-lime-50" : "border-l-[3px] border-transparent"
            }
          >
            <h2 className={isOpen ? "sticky top-0 z-10 bg-lime-50" : ""}>
              <button
                type="button"
                data-step={name}
                aria-expanded={isOpen}
                onClick={() => open(name)}
                className={`grid min-h-[38px] w-full grid-cols-[26px_auto_1fr] items-center gap-1 px-3 py-2 text-left outline-offset-[-3px] ${isOpen ? "" : "border-b border-lime-200 hover:bg-lime-200/60"}`}
              >
                <Mark state={told[name].state} />
                <span className="font-medium">{STEP_NAMES[name]}</span>
                <span className="truncate text-right text-xs text-ink-500">{told[name].text}</span>
              </button>
            </h2>
            {isOpen && <div className="border-b border-lime-200 px-4 pt-0.5 pb-4">{bodies[name]}</div>}
          </section>
        );
      })}
    </aside>
  );
}
