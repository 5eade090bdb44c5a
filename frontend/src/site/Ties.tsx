import type { SiteOut } from "../api/client";
import { go, shotPath } from "../state/address";
import { Bin, Button, Heading, Hint, Statement, TextField, Toggle } from "../ui/controls";
import { calledTie, type SiteActions } from "./hooks";

const SURE = 1.96;

type Runs = SiteOut["document"]["members"][number]["runs"];
const RUNS: { value: Runs; label: string }[] = [
  { value: "own", label: "its own way" },
  { value: "a", label: "along A of photograph 1" },
  { value: "b", label: "along B of photograph 1" },
];

/** Which shots belong to the site, and what is known of their cameras. */
export function Photographs({
  site,
  projectId,
  actions,
}: {
  site: SiteOut;
  projectId: string;
  actions: SiteActions;
}) {
  const { members } = site.document;
  const others = site.shots.filter(
    ({ id, photograph }) => photograph && !members.some((one) => one.id === id),
  );
  const called = (id: string) => site.shots.find((shot) => shot.id === id)?.name || "Untitled shot";
  const set = (listed: unknown[], label: string) => void actions.change({ members: listed }, label);
  const bare = (id: string) => ({ id, runs: "own" });
  return (
    <>
      <Heading>Photographs</Heading>
      <ul>
        {members.map((member, number) => {
          const told = site.answer.members.find(({ id }) => id === member.id);
          return (
            <li key={member.id} className="border-b border-dotted border-lime-300 py-1.5">
              <div className="flex items-center gap-1.5">
                <span className="w-3 text-ink-500">{number + 1}</span>
                <button
                  type="button"
                  className="min-w-0 grow truncate text-left font-medium hover:underline"
                  title="Open this shot"
                  onClick={() => go(shotPath(projectId, member.id))}
                >
                  {called(member.id)}
                </button>
                {number > 0 && (
                  <Toggle
                    sign="up"
                    on
                    label={`${called(member.id)} goes first: its frame is the site’s`}
                    onClick={() =>
                      set(
                        [
                          { ...member, runs: "own" },
                          ...members
                            .filter(({ id }) => id !== member.id)
                            .map((one) => ({ ...one, runs: "own" })),
                        ],
                        `${called(member.id)} first`,
                      )
                    }
                  />
                )}
                <Bin
                  label={`Take ${called(member.id)} out of the site`}
                  onClick={() => {
                    const kept = members.filter(({ id }) => id !== member.id);
                    const ties = Object.fromEntries(
                      site.document.ties
                        .filter(({ seen }) => seen[member.id])
                        .map(({ id }) => [id, { seen: { [member.id]: null } }]),
                    );
                    void actions.change({ members: kept, ties }, `without ${called(member.id)}`);
                  }}
                />
              </div>
              <p className={`pl-4.5 text-xs ${told?.camera ? "text-ink-500" : "text-oxide"}`}>
                {state(told, number)}
              </p>
              {number > 0 && told?.camera && (
                <label className="flex items-center gap-1.5 pt-1 pl-4.5 text-xs text-ink-700">
                  Its run A goes
                  <select
                    className="rounded-md border border-lime-300 bg-white px-1.5 py-0.5"
                    value={member.runs}
                    onChange={({ target }) =>
                      set(
                        members.map((one) => (one.id === member.id ? { ...one, runs: target.value } : one)),
                        `runs of ${called(member.id)}`,
                      )
                    }
                  >
                    {RUNS.map(({ value, label }) => (
                      <option key={value} value={value}>
                        {label}
                      </option>
                    ))}
                  </select>
                </label>
              )}
            </li>
          );
        })}
      </ul>
      {others.length > 0 && (
        <div className="flex flex-wrap gap-1.5 py-2">
          {others.map((shot) => (
            <Button
              key={shot.id}
              onClick={() => set([...members, bare(shot.id)], `with ${shot.name || "a shot"}`)}
            >
              Take in {shot.name || "Untitled shot"}
            </Button>
          ))}
        </div>
      )}
      {site.document.members.length > 1 && (
        <Statement
          holds={site.document.one_sun}
          onChange={(one_sun) => void actions.change({ one_sun }, "one sun")}
        >
          All taken at one time: one sun shines in them
        </Statement>
      )}
      {site.document.members.length > 1 && (
        <Statement
          holds={site.document.fills_in}
          onChange={(fills_in) => void actions.change({ fills_in }, "filling in")}
        >
          What one does not show, renders take from the others
        </Statement>
      )}
      {site.answer.doubts.map((doubt) => (
        <Hint key={doubt} kind="wrong">
          {doubt}
        </Hint>
      ))}
    </>
  );
}

type Told = SiteOut["answer"]["members"][number] | undefined;

function state(told: Told, number: number): string {
  if (!told?.camera) return told?.reason ? `Not tied: ${told.reason}` : "Not tied yet";
  const sigma = told.sigma;
  const wide = Math.max(sigma.x_m ?? 0, sigma.y_m ?? 0) * SURE;
  const place = number === 0 ? "gives the frame" : `its place ± ${(wide * 100).toFixed(1)} cm`;
  const height = `${told.camera.camera_position[2].toFixed(2)} m up`;
  const off = told.residual_px === null ? "" : `, ties off by ${told.residual_px.toFixed(1)} px`;
  return `${height}, ${place}${off}`;
}

type TiesProps = {
  site: SiteOut;
  chosen: string | null;
  onChoose: (tie: string | null) => void;
  adding: boolean;
  onAdd: () => void;
  actions: SiteActions;
};

/** What is seen in several photographs; the worst of its marks tells how well it fits. */
export function Ties({ site, chosen, onChoose, adding, onAdd, actions }: TiesProps) {
  const { ties } = site.document;
  return (
    <>
      <Heading
        aside={
          <Button look={ties.length < 4 ? "primary" : "plain"} active={adding} onClick={onAdd}>
            {adding ? "Done" : "New tie"}
          </Button>
        }
      >
        Ties
      </Heading>
      {ties.length === 0 && (
        <Hint>
          A tie is one thing that two photographs show: a corner of a step, a lamp’s foot. Four well apart,
          two of them on the ground, are a good beginning.
        </Hint>
      )}
      <ul>
        {ties.map((tie) => {
          const told = site.answer.ties.find(({ id }) => id === tie.id);
          const off = Object.values(told?.off_px ?? {}).map(([x, y]) => Math.hypot(x, y));
          const open = chosen === tie.id;
          const label = calledTie(site, tie.id);
          const change = (patch: object, what: string) =>
            void actions.change({ ties: { [tie.id]: patch } }, `${what} of ${label}`);
          return (
            <li
              key={tie.id}
              className="border-b border-dotted border-lime-300 py-[3px] text-xs last:border-0"
            >
              <div className="flex items-center gap-2">
                <button
                  type="button"
                  aria-expanded={open}
                  className={`min-w-0 grow truncate text-left ${open ? "font-medium text-ink-900" : "text-ink-700"}`}
                  onClick={() => onChoose(open ? null : tie.id)}
                >
                  {label}
                </button>
                <span className={told?.aside ? "text-oxide" : "text-ink-500"}>{fits(told, off)}</span>
                <Bin
                  label={`Remove ${label}`}
                  onClick={() => void actions.change({ ties: { [tie.id]: null } }, `remove ${label}`)}
                />
              </div>
              {open && (
                <div className="pb-1.5">
                  <TextField label="Name" value={tie.name} onValue={(name) => change({ name }, "name")} />
                  <Statement holds={tie.on_ground} onChange={(on_ground) => change({ on_ground }, "ground")}>
                    Lies on the ground
                  </Statement>
                  <Statement holds={!tie.aside} onChange={(counts) => change({ aside: !counts }, "use")}>
                    Counts
                  </Statement>
                  {told?.position_m && told.sigma_m && (
                    <p className="text-ink-500">
                      {told.position_m.map((value) => value.toFixed(2)).join(", ")} m, ±{" "}
                      {told.sigma_m.map((value) => (value * SURE * 100).toFixed(1)).join(", ")} cm
                    </p>
                  )}
                </div>
              )}
            </li>
          );
        })}
      </ul>
    </>
  );
}

function fits(told: SiteOut["answer"]["ties"][number] | undefined, off: number[]): string {
  if (told?.aside) return "set aside";
  if (!off.length) return "seen once";
  return `off by ${Math.max(...off).toFixed(1)} px`;
}
