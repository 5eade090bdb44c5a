import { go } from "../state/address";
import { useMayChange } from "../state/session";
import { Tip } from "./controls";

type Props = {
  /** What leads here, from the project on: where each goes to. */
  ways: { says: string; to: string }[];
  here: string;
};

/** The program's name and the way to what is on show, and whether one may only look at it. */
export function Trail({ ways, here }: Props) {
  const mayChange = useMayChange();
  return (
    <>
      <button type="button" className="text-[15px] font-semibold tracking-wide" onClick={() => go("/")}>
        Lithopos
      </button>
      <nav className="flex min-w-0 items-center gap-1.5 text-ink-500">
        {ways.map(({ says, to }) => (
          <span key={to} className="contents">
            <button type="button" className="truncate hover:text-ink-900" onClick={() => go(to)}>
              {says}
            </button>
            <span>/</span>
          </span>
        ))}
        <b className="truncate font-medium text-ink-900">{here}</b>
      </nav>
      {!mayChange && (
        <Tip text="Your key is one to look: what you change is not kept">
          <span className="shrink-0 rounded-full bg-sun/20 px-2.5 py-0.5 text-xs text-ink-900">To look</span>
        </Tip>
      )}
    </>
  );
}
