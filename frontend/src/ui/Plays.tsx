import type { Playing } from "../api/client";
import { parseNumber } from "../geometry/measure";
import { Field, Statement } from "./controls";

type Props = {
  plays: Playing | null | undefined;
  name: string;
  onChange: (plays: Playing | null, label: string) => void;
};

/** How a film that is shown runs while the take runs. */
export function Plays({ plays, name, onChange }: Props) {
  const put = (values: Partial<Playing>) => plays && onChange({ ...plays, ...values }, `how ${name} plays`);
  return (
    <>
      <Statement
        holds={plays != null}
        onChange={(on) =>
          onChange(
            on ? { offset_s: 0, speed: 1, loop: true } : null,
            on ? `${name} plays` : `${name} stands still`,
          )
        }
      >
        plays along with the take
      </Statement>
      {plays && (
        <>
          <Field
            label="Begins at"
            value={`${plays.offset_s.toFixed(2)} s`}
            parse={parseNumber}
            onValue={(offset_s) => put({ offset_s })}
          />
          <Field
            label="Speed"
            value={`${plays.speed.toFixed(2)} ×`}
            parse={parseNumber}
            onValue={(speed) => put({ speed: Math.min(Math.max(speed, -20), 20) })}
          />
          <Statement holds={plays.loop} onChange={(loop) => put({ loop })}>
            over and over
          </Statement>
        </>
      )}
    </>
  );
}
