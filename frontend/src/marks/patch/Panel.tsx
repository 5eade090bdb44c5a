import { useState } from "react";
import { asked, type Balance, client, type LightPatch, type PatchAnswer, type Shot } from "../../api/client";
import { hexOf } from "../../geometry/colour";
import { parseNumber } from "../../geometry/measure";
import { newId } from "../../geometry/points";
import { hasSun } from "../../geometry/sun";
import { useChange } from "../../state/changes";
import { toggleTool, usePicked } from "../../state/editor";
import { say } from "../../state/notices";
import { Bin, Button, Field, Hint, OneOf, TextField } from "../../ui/controls";
import type { StepProps } from "../props";
import { brightOf, facingWords, shadeOf, standing, TONES, within } from "./words";

/** What the photograph tells of its light, and the patches that it is told from. */
export function Patches({ shot, document, derived }: StepProps) {
  const { tool } = usePicked("tool");
  const { balance } = derived;
  return (
    <>
      {balance ? (
        <Told balance={balance} by={document.lit_by} />
      ) : (
        <p className="mb-2 text-xs leading-[1.55] text-ink-500">
          Unmarked, the light is told from the ground as a whole. Patches tell it better: even spots of one
          material, some in the sun, some in shade.
        </p>
      )}
      <div className="flex flex-wrap gap-1.5 py-1">
        <Propose {...{ shot, document, derived }} />
        <Button active={tool?.kind === "patch"} onClick={() => toggleTool("patch")}>
          Mark a patch
        </Button>
      </div>
      <ul>
        {document.patches.map((patch, number) => (
          <Row
            key={patch.id}
            {...{ shot, document, derived, patch, number }}
            answer={balance?.patches[number]}
          />
        ))}
      </ul>
      {balance?.notes.map((note) => (
        <Hint key={note}>{note}</Hint>
      ))}
    </>
  );
}

/** The measured figures: how bright sunlit white is, and what is left of it in shade. */
function Told({ balance, by }: { balance: Balance; by: Shot["lit_by"] }) {
  const shade = shadeOf(balance);
  const top = Math.max(...balance.white, 1);
  return (
    <>
      <Figured
        name={by === "room" ? "Lit white" : "Sunlit white"}
        colour={balance.white.map((v) => v / top)}
        value={`${Math.round(100 * brightOf(balance.white))} % of full`}
        range={within(balance.white_sigma)}
        from={balance.white_from}
      />
      {by !== "room" && (
        <Figured
          name="Left in shade"
          colour={balance.shade.map((v) => v / top)}
          value={`${Math.round(100 * brightOf(shade))} % of it`}
          range={
            balance.sky_measured && balance.sky_sigma.some((v) => v > 0) ? within(balance.sky_sigma) : ""
          }
          from={
            balance.sky_measured
              ? "patches in shade"
              : by === "panorama"
                ? "the panorama’s"
                : "a clear day’s, not measured: mark a patch in shade"
          }
        />
      )}
    </>
  );
}

type Figures = { name: string; colour: number[]; value: string; range: string; from: string };

function Figured({ name, colour, value, range, from }: Figures) {
  return (
    <div className="flex items-center gap-2 border-b border-dotted border-lime-300 py-1.5">
      <i className="h-6 w-6 shrink-0 rounded border border-lime-300" style={{ background: hexOf(colour) }} />
      <span className="min-w-0 grow">
        <span className="flex items-baseline justify-between gap-2">
          <span className="text-ink-700">{name}</span>
          <span>
            <b className="font-medium">{value}</b> <span className="text-xs text-ink-500">{range}</span>
          </span>
        </span>
        <span className="block text-[11px] text-ink-500">{from}</span>
      </span>
    </div>
  );
}

function Propose({ shot, document }: StepProps) {
  const { change } = useChange(shot.id);
  const [busy, setBusy] = useState(false);
  const propose = async () => {
    setBusy(true);
    try {
      const { patches } = await asked<{ patches: LightPatch[] }>(
        client.POST("/api/v1/shots/{shot_id}/patches", { params: { path: { shot_id: shot.id } } }),
      );
      const made = patches.map((patch) => ({ ...patch, id: newId("p") }));
      await change({ patches: Object.fromEntries(made.map((patch) => [patch.id, patch])) }, "patches found");
    } catch (error) {
      say((error as Error).message, "wrong");
    } finally {
      setBusy(false);
    }
  };
  return (
    <Button
      look={document.patches.length ? "plain" : "primary"}
      disabled={busy}
      onClick={() => void propose()}
    >
      {busy ? "Looking at the ground …" : "Find patches"}
    </Button>
  );
}

const Words = ({ children }: { children: string }) => <p className="pt-2 pb-1 text-ink-500">{children}</p>;

type RowProps = StepProps & { patch: LightPatch; number: number; answer: PatchAnswer | undefined };

function Row({ shot, document, patch, number, answer }: RowProps) {
  const inRoom = !hasSun(document);
  const { change } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const chosen = selection?.kind === "patch" && selection.id === patch.id;
  const set = (values: Partial<LightPatch>, label: string) =>
    void change({ patches: { [patch.id]: values } }, `${label} of patch ${number + 1}`);
  const wrong = answer?.wrong || (answer?.reason && !answer.least);
  return (
    <li className="border-b border-dotted border-lime-300 py-1 text-xs last:border-0">
      <div className="flex items-center gap-2">
        <i
          className="h-4 w-4 shrink-0 rounded-full border border-lime-300"
          style={{ background: hexOf(patch.seen?.colour) }}
        />
        <button
          type="button"
          aria-expanded={chosen}
          className="min-w-0 grow truncate text-left text-ink-700"
          onClick={() => select(chosen ? null : { kind: "patch", id: patch.id })}
        >
          {number + 1} · {patch.material}
          {!inRoom && (answer?.in_sun ? ", in the sun" : ", in shade")}
        </button>
        <span className={wrong ? "text-oxide" : "text-ink-500"}>{standing(answer)}</span>
        <Bin
          label={`Remove patch ${number + 1}`}
          onClick={() => void change({ patches: { [patch.id]: null } }, `remove patch ${number + 1}`)}
        />
      </div>
      {chosen && (
        <div className="pt-1 pb-1">
          {!inRoom && <Words>The sun</Words>}
          {!inRoom && (
            <OneOf
              label="Whether the sun shines on it"
              value={patch.light}
              options={[
                { value: "judge", label: "judge it" },
                { value: "sun", label: "in the sun" },
                { value: "shade", label: "in shade" },
              ]}
              onValue={(light) => set({ light }, "light")}
            />
          )}
          <Words>Its surface</Words>
          <OneOf
            label="How its surface stands"
            value={patch.facing}
            options={(Object.keys(facingWords) as LightPatch["facing"][]).map((value) => ({
              value,
              label: facingWords[value],
            }))}
            onValue={(facing) => set({ facing }, "way")}
          />
          <Words>What it is, if its brightness is known</Words>
          <OneOf
            label="What it throws back, if that is known"
            value={patch.tone === null ? "" : `${patch.tone}`}
            options={TONES}
            onValue={(tone) =>
              set(
                tone
                  ? {
                      tone: Number(tone),
                      material: TONES.find(({ value }) => value === tone)?.label ?? patch.material,
                    }
                  : { tone: null },
                "tone",
              )
            }
          />
          <Field
            label="Throws back"
            value={patch.tone === null ? "" : `${Math.round(patch.tone * 100)} %`}
            placeholder="not known"
            parse={parseNumber}
            min={1}
            hint="1 to 100 %"
            onValue={(v) => set({ tone: Math.min(v, 100) / 100 }, "tone")}
            onClear={() => set({ tone: null }, "tone")}
          />
          <TextField
            label="Material: patches of one name are of one material"
            value={patch.material}
            onValue={(material) => set({ material }, "material")}
          />
        </div>
      )}
    </li>
  );
}
