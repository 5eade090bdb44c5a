import { go } from "../state/address";

type Props = {
  /** What leads here, from the project on: where each goes to. */
  ways: { says: string; to: string }[];
  here: string;
};

/** The program's name and the way to what is on show. */
export function Trail({ ways, here }: Props) {
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
    </>
  );
}
