import { useRef, useState } from "react";
import type { SiteOut } from "../api/client";
import { parseNumber } from "../geometry/measure";
import { newId } from "../geometry/points";
import { Bin, Button, Field, Heading, Tip } from "../ui/controls";
import { calledTie, type SiteActions } from "./hooks";

type Props = { site: SiteOut; chosen: string | null; onChoose: (tie: string) => void; actions: SiteActions };

/** What is known of ties from elsewhere: a surveyor's coordinates, lengths between two of them. */
export function Known(props: Props) {
  return (
    <>
      <Survey {...props} />
      <Lengths {...props} />
    </>
  );
}

function Survey({ site, chosen, onChoose, actions }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const [typing, setTyping] = useState(false);
  const known = site.document.ties.filter(({ known }) => known);
  return (
    <>
      <Heading
        aside={
          <span className="flex gap-1.5">
            <Button onClick={() => setTyping(!typing)}>{typing ? "Close" : "Paste a table"}</Button>
            <Tip text="A text file (CSV): name, east, north, height, ±; metres">
              <Button onClick={() => input.current?.click()}>Choose a file</Button>
            </Tip>
          </span>
        }
      >
        Surveyed points
      </Heading>
      <input
        ref={input}
        type="file"
        accept=".csv,.txt,.tsv"
        aria-label="Table of surveyed points"
        className="hidden"
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          void file?.text().then((text) => actions.survey(text));
        }}
      />
      {typing && <Table onTake={(text) => actions.survey(text).then((kept) => kept && setTyping(false))} />}
      {known.length === 0 && !typing && (
        <p className="text-xs text-ink-500">
          None. With three or more the cameras’ places are told in the surveyor’s coordinates.
        </p>
      )}
      {known.length > 0 && (
        <table className="w-full text-xs">
          <thead className="text-left text-ink-500">
            <tr>
              {["Point", "East", "North", "Height", "Off by", "Seen"].map((name) => (
                <th key={name} className="py-1 pr-2 font-normal">
                  {name}
                </th>
              ))}
              <th />
            </tr>
          </thead>
          <tbody>
            {known.map((tie) => {
              const off = site.answer.ties.find(({ id }) => id === tie.id)?.off_m;
              const seen = Object.keys(tie.seen).length;
              return (
                <tr
                  key={tie.id}
                  className={`border-t border-lime-200 ${chosen === tie.id ? "bg-verdigris-soft" : ""}`}
                >
                  <td className="py-1 pr-2">
                    <button
                      type="button"
                      className="font-medium hover:underline"
                      onClick={() => onChoose(tie.id)}
                    >
                      {calledTie(site, tie.id)}
                    </button>
                  </td>
                  <td className="pr-2">{tie.known?.east_m.toFixed(3)}</td>
                  <td className="pr-2">{tie.known?.north_m.toFixed(3)}</td>
                  <td className="pr-2">{tie.known?.height_m?.toFixed(3) ?? ""}</td>
                  <td className="pr-2">
                    {off ? `${(Math.hypot(off[0], off[1], off[2] ?? 0) * 100).toFixed(1)} cm` : ""}
                  </td>
                  <td className={seen ? "" : "text-oxide"}>{seen ? `${seen}×` : "not marked"}</td>
                  <td className="text-right">
                    <Bin
                      label={`Forget the coordinates of ${calledTie(site, tie.id)}`}
                      onClick={() =>
                        void actions.change(
                          { ties: { [tie.id]: seen ? { known: null } : null } },
                          `without ${calledTie(site, tie.id)}`,
                        )
                      }
                    />
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </>
  );
}

function Table({ onTake }: { onTake: (text: string) => void }) {
  const [text, setText] = useState("");
  return (
    <div className="pb-1">
      <textarea
        aria-label="Surveyed points"
        className="h-20 w-full rounded-md border border-lime-300 bg-white p-2 text-xs"
        placeholder={"S1, 431210.112, 88214.503, 42.118\nS2, 431214.960, 88211.077, 42.110"}
        value={text}
        onChange={({ target }) => setText(target.value)}
      />
      <Button look="primary" disabled={!text.trim()} onClick={() => onTake(text)}>
        Take them
      </Button>
    </div>
  );
}

function Lengths({ site, actions }: Props) {
  const { ties, lengths } = site.document;
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  const pick = (label: string, value: string, set: (id: string) => void) => (
    <select
      aria-label={label}
      className="min-w-0 flex-1 rounded-md border border-lime-300 bg-white px-2 py-1"
      value={value}
      onChange={({ target }) => set(target.value)}
    >
      <option value="">{label}</option>
      {ties.map(({ id }) => (
        <option key={id} value={id}>
          {calledTie(site, id)}
        </option>
      ))}
    </select>
  );
  const ready = from && to && from !== to;
  const add = (metres: number) => {
    const id = newId("d");
    void actions.change({ lengths: { [id]: { id, from, to, metres } } }, "known length");
    setFrom("");
    setTo("");
  };
  if (ties.length < 2) return null;
  return (
    <>
      <Heading>Known lengths between ties</Heading>
      <ul>
        {lengths.map((length) => {
          const told = site.answer.lengths.find(({ id }) => id === length.id);
          const called = `${calledTie(site, length.from)} to ${calledTie(site, length.to)}`;
          return (
            <li key={length.id} className="flex items-center gap-2 text-xs">
              <span className="grow">{called}</span>
              <span>{length.metres.toFixed(3)} m</span>
              <span className="text-ink-500">{told?.metres ? `here ${told.metres.toFixed(3)} m` : ""}</span>
              <Bin
                label={`Remove the length ${called}`}
                onClick={() => void actions.change({ lengths: { [length.id]: null } }, "remove a length")}
              />
            </li>
          );
        })}
      </ul>
      <div className="flex items-center gap-1.5 text-xs">
        {pick("From", from, setFrom)}
        {pick("To", to, setTo)}
        {ready && (
          <Field label="" value="" placeholder="metres" parse={parseNumber} min={0.001} onValue={add} asks />
        )}
      </div>
    </>
  );
}
