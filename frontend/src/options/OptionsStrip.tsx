import type { ReactNode } from "react";
import type { ShotOut, Smalls } from "../api/client";
import { useSmalls } from "../api/hooks";
import { go, shotPath } from "../state/address";
import { useEditor } from "../state/editor";
import { Button, Tip } from "../ui/controls";
import { useOptionActions } from "./actions";
import { Small } from "./Small";

/** The shot's options beside the shots, each as it stands; a new one by one click. */
export function OptionsStrip({ shot }: { shot: ShotOut }) {
  const { add } = useOptionActions(shot);
  const smalls = useSmalls(shot, shot.options.length > 0);
  const begin = async () => {
    const made = await add([{ name: "", of: shot.option ? [shot.option] : [] }]);
    const newest = made?.options.at(-1);
    if (newest) go(shotPath(shot.project_id, newest.shot));
  };
  return (
    <section aria-label="Options" className="flex min-w-0 items-center gap-3 border-l border-lime-300 pl-3">
      {shot.options.length > 0 && (
        <ul className="flex min-w-0 gap-2.5 overflow-x-auto px-1 py-1">
          <Thumb shot={shot} name={shot.base} smalls={smalls} says="The shot, without an option">
            The shot
          </Thumb>
          {shot.options.map((option) => (
            <Thumb
              key={option.id}
              shot={shot}
              name={option.shot}
              smalls={smalls}
              says={option.differs.map(({ says }) => says).join(", ") || "As the shot, so far"}
            >
              {option.name}
            </Thumb>
          ))}
        </ul>
      )}
      <div className="grid shrink-0 gap-0.5">
        <Tip text="A variant of this shot: change a surface, a place, a light in it, and compare">
          <Button look="quiet" onClick={begin}>
            New option
          </Button>
        </Tip>
        {shot.options.length > 0 ? (
          <Button look="quiet" onClick={() => useEditor.setState({ sheet: true })}>
            All options
          </Button>
        ) : (
          <CompareButton shot={shot} />
        )}
      </div>
    </section>
  );
}

/** Compare what is on show with the photograph, or an option with its shot. */
function CompareButton({ shot }: { shot: ShotOut }) {
  return (
    <Tip text="Two pictures by a seam, by turns, side by side, or their difference">
      <Button
        look="quiet"
        onClick={() =>
          useEditor.setState({
            sheet: false,
            compare: { mode: "seam", of: [shot.option ? shot.base : "photo", shot.id] },
          })
        }
      >
        Compare
      </Button>
    </Tip>
  );
}

function Thumb({
  shot,
  name,
  smalls,
  says,
  children,
}: {
  shot: ShotOut;
  name: string;
  smalls: Smalls["smalls"];
  says: string;
  children: ReactNode;
}) {
  const chosen = name === shot.id;
  return (
    <li className="w-[88px] shrink-0">
      <Tip text={says}>
        <button
          type="button"
          aria-current={chosen || undefined}
          onClick={() => go(shotPath(shot.project_id, name))}
          className="block w-full rounded-md text-left"
        >
          <Small
            {...{ name, smalls }}
            photograph={shot.document.photograph?.file}
            className={`h-[54px] w-full rounded-[5px] ${chosen ? "outline-2 outline-offset-2 outline-verdigris" : ""}`}
          />
          <span className={`mt-1 block truncate text-[11px] ${chosen ? "font-medium" : "text-ink-700"}`}>
            {children}
          </span>
        </button>
      </Tip>
    </li>
  );
}
