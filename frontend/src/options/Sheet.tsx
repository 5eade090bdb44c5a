import { Dialog } from "radix-ui";
import { useState } from "react";
import type { OptionOut, RenderOut, ShotOut, Smalls } from "../api/client";
import { isBusy, useAllRenders, useSmalls } from "../api/hooks";
import { hexOf } from "../geometry/colour";
import { go, shotPath } from "../state/address";
import { useEditor, usePicked } from "../state/editor";
import { Bin, Button, TextField, Tip } from "../ui/controls";
import { useOptionActions } from "./actions";
import { Matrix } from "./Matrix";
import { Small } from "./Small";
import { TogetherWork } from "./Together";

const MOST_COMPARED = 4;

/** All options of a shot at once: named, told apart in words, multiplied, rendered, chosen to be compared. */
export function OptionsSheet({ shot }: { shot: ShotOut }) {
  const { sheet } = usePicked("sheet");
  return (
    <Dialog.Root open={sheet} onOpenChange={(open) => useEditor.setState({ sheet: open })}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink-900/45" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-30 flex h-[min(720px,92vh)] w-[min(1080px,94vw)] -translate-x-1/2 -translate-y-1/2 flex-col overflow-hidden rounded-xl bg-lime-50 shadow-[0_12px_48px_rgb(0_0_0/.4)]"
        >
          <Options shot={shot} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Options({ shot }: { shot: ShotOut }) {
  const actions = useOptionActions(shot);
  const smalls = useSmalls(shot, true);
  const { data } = useAllRenders(shot.base);
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const renders = data?.renders ?? [];
  const choose = (name: string) =>
    setChosen(chosen.includes(name) ? chosen.filter((one) => one !== name) : [...chosen, name]);
  const compare = () =>
    useEditor.setState({
      sheet: false,
      compare: { mode: chosen.length > 2 ? "grid" : "seam", of: chosen.slice(0, MOST_COMPARED) },
    });
  const card = { shot, smalls, renders, choose };
  return (
    <>
      <header className="flex items-center gap-2.5 border-b border-lime-300 px-5 py-3">
        <Dialog.Title className="grow truncate text-[15px] font-medium">
          Options of {shot.document.name || "this shot"}
        </Dialog.Title>
        <Button onClick={() => void actions.add([{ name: "", of: [] }])}>New option</Button>
        <Tip text="Those that have one of how they are now are left alone">
          <Button onClick={() => void actions.renderAll("proof")}>Proofs of all</Button>
        </Tip>
        <Tip text="At delivery size, in the background; each makes its files when it is done">
          <Button onClick={() => void actions.renderAll("master")}>Masters of all</Button>
        </Tip>
        <Button
          look="primary"
          disabled={chosen.length < 2 || chosen.length > MOST_COMPARED}
          onClick={compare}
        >
          {chosen.length < 2 ? "Choose two to four to compare" : `Compare ${chosen.length}`}
        </Button>
        <Dialog.Close asChild>
          <Button look="quiet">Close</Button>
        </Dialog.Close>
      </header>
      <div className="px-5 pt-2 empty:hidden">
        <TogetherWork shot={shot} renders={renders} />
      </div>
      <ul className="grid min-h-0 grow auto-rows-min grid-cols-3 gap-4 overflow-y-auto px-5 py-4">
        <Card {...card} name={shot.base} chosen={chosen.includes(shot.base)} />
        {shot.options.map((option) => (
          <Card
            key={option.id}
            {...card}
            name={option.shot}
            option={option}
            chosen={chosen.includes(option.shot)}
          />
        ))}
      </ul>
      {shot.options.length > 1 && <Matrix shot={shot} onMake={actions.add} />}
    </>
  );
}

type CardProps = {
  shot: ShotOut;
  name: string;
  option?: OptionOut;
  smalls: Smalls["smalls"];
  renders: RenderOut[];
  chosen: boolean;
  choose: (name: string) => void;
};

function Card({ shot, name, option, smalls, renders, chosen, choose }: CardProps) {
  const { rename, giveBack, strikeOut, add } = useOptionActions(shot);
  const called = option?.name ?? "The shot";
  return (
    <li
      aria-label={called}
      className={`flex flex-col overflow-hidden rounded-lg border bg-white ${name === shot.id ? "border-verdigris" : "border-lime-300"}`}
    >
      <label className="relative block cursor-pointer">
        <Small
          {...{ name, smalls }}
          photograph={shot.document.photograph?.file}
          className="h-[150px] w-full"
        />
        <span className="absolute top-2 left-2 flex items-center gap-1.5 rounded bg-lime-50/95 px-1.5 py-0.5 text-xs">
          <input
            type="checkbox"
            className="accent-verdigris"
            aria-label={`Compare ${called}`}
            checked={chosen}
            onChange={() => choose(name)}
          />
          compare
        </span>
      </label>
      <div className="flex grow flex-col px-3 pt-1.5 pb-2.5">
        {option ? (
          <TextField label="Name" value={option.name} onValue={(value) => rename(option.id, value)} />
        ) : (
          <b className="py-1 font-medium">The shot itself</b>
        )}
        <ul className="grow py-1 text-xs text-ink-700">
          {option?.differs.map(({ path, says, colour }) => (
            <li key={path} className="flex items-center gap-1.5">
              {colour && (
                <span
                  className="h-3 w-3 shrink-0 rounded-full border border-lime-300"
                  style={{ background: hexOf(colour) }}
                />
              )}
              <span className="min-w-0 grow truncate" title={says}>
                {says}
              </span>
              <Bin label={`${says}: as the shot again`} onClick={() => giveBack(option.id, path)} />
            </li>
          ))}
          {option && !option.differs.length && (
            <li className="text-ink-500">As the shot so far: open it and change something.</li>
          )}
          {!option && <li className="text-ink-500">What an option does not change follows this.</li>}
        </ul>
        <p className="pb-1.5 text-xs text-ink-500">
          {stateOf(renders.filter((one) => one.shot_id === name))}
        </p>
        <div className="flex gap-1.5">
          <Button
            onClick={() => {
              useEditor.setState({ sheet: false });
              go(shotPath(shot.project_id, name));
            }}
          >
            Open
          </Button>
          {option && (
            <>
              <Button
                look="quiet"
                onClick={() => void add([{ name: `${option.name} copy`, of: [option.id] }])}
              >
                Copy
              </Button>
              <Button look="quiet" className="ml-auto" onClick={() => strikeOut(option.id)}>
                Strike out
              </Button>
            </>
          )}
        </div>
      </div>
    </li>
  );
}

/** Which pictures there are of it. */
function stateOf(renders: RenderOut[]): string {
  const word = (quality: "proof" | "master") => {
    const newest = renders.find((render) => render.quality === quality && !render.part);
    if (!newest) return null;
    if (isBusy(newest)) return `${quality} under way`;
    if (newest.state !== "done") return `${quality} ${newest.state}`;
    return newest.current ? quality : `${quality} of an earlier state`;
  };
  const there = [word("master"), word("proof")].filter(Boolean);
  return there.length ? there.join(", ") : "no proof yet";
}
