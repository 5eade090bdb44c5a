import { useState } from "react";
import type { OptionNew, ShotOut } from "../api/client";
import { Button, Pill } from "../ui/controls";

/** Options made of all pairs of others: each of some colours in each of some places. */
export function Matrix({
  shot,
  onMake,
}: {
  shot: ShotOut;
  onMake: (options: OptionNew[]) => Promise<unknown>;
}) {
  const [rows, setRows] = useState<readonly string[]>([]);
  const [columns, setColumns] = useState<readonly string[]>([]);
  const wanted = rows.flatMap((row) => columns.map((column) => [row, column]));
  const make = async () => {
    await onMake(wanted.map((of) => ({ name: "", of })));
    setRows([]);
    setColumns([]);
  };
  const axis = (
    title: string,
    chosen: readonly string[],
    set: (ids: readonly string[]) => void,
    others: readonly string[],
  ) => (
    <div className="flex flex-wrap items-center gap-1.5 py-1">
      <span className="w-[72px] text-ink-700">{title}</span>
      {shot.options
        .filter(({ id }) => !others.includes(id))
        .map(({ id, name }) => (
          <Pill
            key={id}
            on={chosen.includes(id)}
            onClick={() =>
              set(chosen.includes(id) ? chosen.filter((other) => other !== id) : [...chosen, id])
            }
          >
            {name}
          </Pill>
        ))}
    </div>
  );
  return (
    <section aria-label="Matrix" className="border-t border-lime-300 px-5 py-3">
      <div className="flex items-end justify-between gap-4">
        <div>
          <h3 className="font-medium">Matrix</h3>
          <p className="pb-1 text-xs text-ink-500">
            Each of these with each of those: three colours and two places make six.
          </p>
          {axis("Each of", rows, setRows, columns)}
          {axis("with each of", columns, setColumns, rows)}
        </div>
        <Button disabled={!wanted.length} onClick={make}>
          {wanted.length ? `Make ${wanted.length} options` : "Choose on both lines"}
        </Button>
      </div>
    </section>
  );
}
