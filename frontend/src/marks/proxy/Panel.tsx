import { useState } from "react";
import type { Edge, ProxyAnswer, ProxyMark } from "../../api/client";
import { useMaterials } from "../../api/hooks";
import { cameraOf, onPlane } from "../../geometry/camera";
import { metres, parseMetres, parseNumber } from "../../geometry/measure";
import { apart, type ImagePoint, image, newId } from "../../geometry/points";
import { useChange } from "../../state/changes";
import { toggleTool, useEditor, usePicked } from "../../state/editor";
import { Section } from "../../steps/Section";
import { Bin, Button, Field, Hint, OneOf, Pill, TextField, Toggle } from "../../ui/controls";
import { Sheen } from "../../ui/Sheen";
import { numbered } from "../edge/numbered";
import type { StepProps } from "../props";
import { alongEdge } from "./made";
import { DRAWN, doesOf, MOST_PULLED, nameOf, PROXY_KINDS, type ProxyKind } from "./words";

/** What stands in the photograph and meets the model's shadow, or stands before it. */
export function Proxies(props: StepProps) {
  const { tool } = usePicked("tool");
  const { proxies } = props.document;
  return (
    <>
      {!proxies.length && (
        <p className="mb-1.5 text-xs leading-[1.55] text-ink-500">
          Shadows climb walls and steps only where you say that there are some. Draw what stands near the
          model; a wall is one stroke along its foot.
        </p>
      )}
      {proxies.map((proxy) => (
        <Row key={proxy.id} proxy={proxy} {...props} />
      ))}
      <div className="mt-2 grid grid-cols-3 gap-1">
        {DRAWN.map((sort) => ({ sort, ...PROXY_KINDS[sort] })).map(({ sort, name, sign }) => (
          <button
            key={sort}
            type="button"
            aria-pressed={tool?.kind === "proxy" && tool.sort === sort}
            onClick={() => toggleTool("proxy", sort)}
            className="flex flex-col items-center gap-0.5 rounded-md border border-lime-300 bg-white px-1 pt-1.5 pb-1 text-[11px] leading-tight text-ink-700 hover:border-lime-500 aria-pressed:border-ink-900 aria-pressed:bg-ink-900 aria-pressed:text-white"
          >
            <Sign d={sign} />
            {name}
          </button>
        ))}
      </div>
      <AlongEdges {...props} />
    </>
  );
}

/** Shorter edges are no foot of a wall [of the picture's width]. */
const LEAST_FOOT = 0.08;

/** Marked edges that could be the foot of a wall or of steps, since both their ends can lie on the ground. */
function AlongEdges({ shot, document, derived }: StepProps) {
  const { change } = useChange(shot.id);
  const { select } = usePicked("select");
  const [sort, setSort] = useState<"wall" | "steps">("wall");
  const camera = derived.camera ? cameraOf(derived.camera) : null;
  const width = document.photograph?.width ?? 1;
  const feet = numbered(document.edges).filter(({ edge }) => {
    const [from, to] = endsOf(edge);
    return (
      camera !== null &&
      edge.run !== "plumb" &&
      apart(from, to) > LEAST_FOOT * width &&
      [from, to].every((end) => onPlane(camera, end, 0) !== null)
    );
  });
  if (!feet.length) return null;
  return (
    <Section name="along-edges" title="Along a marked edge" fact={`${feet.length} could be a foot`}>
      <div className="flex items-center justify-between gap-2 pb-1.5 text-ink-700">
        It is the foot of
        <OneOf
          look="joined"
          label="What an edge is the foot of"
          value={sort}
          options={[
            { value: "wall", label: "a wall" },
            { value: "steps", label: "steps" },
          ]}
          onValue={(value) => setSort(value as "wall" | "steps")}
        />
      </div>
      <div className="flex flex-wrap gap-1.5">
        {feet.map(({ edge, number }) => (
          <Button
            key={edge.id}
            onPoint={(pointed) => useEditor.setState({ onto: pointed ? endsOf(edge).flat() : null })}
            onClick={() => {
              useEditor.setState({ onto: null });
              const made = alongEdge(newId("p"), sort, endsOf(edge), document);
              void change({ proxies: { [made.id]: made } }, `${sort} along an edge`);
              select({ kind: "proxy", id: made.id });
            }}
          >
            {sort === "wall" ? "Wall" : "Steps"} along {edge.run.toUpperCase()}
            {number}
          </Button>
        ))}
      </div>
    </Section>
  );
}

const endsOf = (edge: Edge): [ImagePoint, ImagePoint] => {
  const points = edge.sharp && !edge.by_hand ? edge.sharp.points : edge.points;
  const [from, to] = [points[0], points[points.length - 1]];
  return [image(from?.[0] ?? 0, from?.[1] ?? 0), image(to?.[0] ?? 0, to?.[1] ?? 0)];
};

function Sign({ d }: { d: string }) {
  return (
    <svg width="24" height="18" viewBox="0 0 24 18" aria-hidden="true" className="shrink-0">
      <path d={d} fill="none" stroke="currentColor" strokeWidth="1.3" strokeLinejoin="round" />
    </svg>
  );
}

function Row({ proxy, shot, document, derived }: StepProps & { proxy: ProxyMark }) {
  const { change, move, keep } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const open = selection?.kind === "proxy" && selection.id === proxy.id;
  const answer = derived.proxies.find(({ id }) => id === proxy.id);
  const name = nameOf(proxy);
  const put = (values: Partial<ProxyMark>, label: string) =>
    void change({ proxies: { [proxy.id]: values } }, label);
  return (
    <div className="border-b border-dotted border-lime-300 py-1 text-xs last:border-0">
      <div className="flex items-center gap-2">
        <span className={answer?.reason ? "text-oxide" : "text-verdigris-deep"}>
          <Sign d={PROXY_KINDS[proxy.kind].sign} />
        </span>
        <button
          type="button"
          aria-expanded={open}
          className={`min-w-0 grow truncate text-left ${proxy.hidden ? "text-ink-500 line-through" : "text-ink-700"}`}
          onClick={() => select(open ? null : { kind: "proxy", id: proxy.id })}
        >
          {name}
        </button>
        <span className="text-ink-500">{answer?.reason ? "left out" : doesOf(proxy) || proxy.material}</span>
        <Toggle
          sign="eye"
          on={!proxy.hidden}
          label={`${proxy.hidden ? "Use" : "Leave out"} ${name}`}
          onClick={() => put({ hidden: !proxy.hidden }, proxy.hidden ? `use ${name}` : `leave out ${name}`)}
        />
        <Bin
          label={`Remove ${name}`}
          onClick={() => {
            // What stood on its top counts from the ground then.
            const stood = document.models.filter(({ level }) => level === proxy.id);
            const models = Object.fromEntries(stood.map(({ id }) => [id, { level: null }]));
            void change({ models, proxies: { [proxy.id]: null } }, `remove ${name}`);
          }}
        />
      </div>
      {answer?.reason && <Hint kind="wrong">It is left out: {answer.reason}.</Hint>}
      {open && (
        <div className="pt-1">
          <TextField
            label="Name"
            value={proxy.name}
            onValue={(value) => put({ name: value }, "name of a proxy")}
          />
          {proxy.kind === "shade" ? (
            <p className="py-1 text-xs leading-[1.55] text-ink-500">
              Something outside the picture throws this shadow. By the sun it stands where the plan shows it,
              as low as it can without being seen: the model is in its shade here, and reflects it.
            </p>
          ) : (
            <div className="flex flex-wrap gap-1.5 py-1">
              <Pill
                on={proxy.receives}
                onClick={() => put({ receives: !proxy.receives, hides: true }, `what ${name} receives`)}
              >
                takes shadow
              </Pill>
              <Pill
                on={proxy.hides}
                onClick={() => put({ hides: !proxy.hides, receives: true }, `what ${name} hides`)}
              >
                hides what’s behind
              </Pill>
            </div>
          )}
          {proxy.kind === "rise" ? (
            <Pulled proxy={proxy} put={put} />
          ) : (
            proxy.kind !== "mesh" && <Measures proxy={proxy} answer={answer} put={put} />
          )}
          {document.levels.length > 0 && !FREE.includes(proxy.kind) && (
            <div className="flex items-center gap-1.5 py-1 text-ink-700">
              Stands on
              <OneOf
                label={`What ${name} stands on`}
                value={proxy.level ?? ""}
                options={[
                  { value: "", label: "Ground" },
                  ...document.levels.map((level) => ({ value: level.id, label: level.name || "Level" })),
                ]}
                onValue={(level) => put({ level: level || null }, `what ${name} stands on`)}
              />
            </div>
          )}
          <Made proxy={proxy} put={put} />
          {proxy.receives && proxy.kind !== "shade" && (
            <Sheen
              of={name}
              chosen={proxy}
              onMove={(values) => move({ proxies: { [proxy.id]: values } })}
              onKeep={keep}
              onChange={put}
            />
          )}
        </div>
      )}
    </div>
  );
}

type Put = (values: Partial<ProxyMark>, label: string) => void;

/** What it is made of: for its gleam, and for what the photograph does not show of it. */
function Made({ proxy, put }: { proxy: ProxyMark; put: Put }) {
  const { data } = useMaterials();
  return (
    <label className="flex items-center justify-between gap-3 py-1 text-ink-700">
      Made of
      <select
        className="w-36 rounded-md border border-lime-300 bg-white px-2 py-1 text-ink-900"
        value={proxy.material}
        onChange={(event) =>
          put(
            { material: event.target.value, coat: null, roughness: null },
            `what ${nameOf(proxy)} is made of`,
          )
        }
      >
        {Object.keys(data?.receivers ?? { [proxy.material]: null }).map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
    </label>
  );
}

/** How high uneven ground is at each of its points, and how far it reaches. */
function Pulled({ proxy, put }: { proxy: ProxyMark; put: Put }) {
  const name = nameOf(proxy);
  return (
    <>
      <p className="py-1 text-xs leading-[1.55] text-ink-500">
        Shadows follow the ground as it is pulled here, by the square at the end of each stem.
      </p>
      {proxy.heights_m.map((height, index) => (
        <Field
          key={index}
          label={proxy.heights_m.length > 1 ? `Height at point ${index + 1}` : "Height"}
          value={metres(height)}
          parse={(text) => parseMetres(text)}
          min={-100}
          onValue={(to) =>
            put({ heights_m: proxy.heights_m.map((was, i) => (i === index ? to : was)) }, `height of ${name}`)
          }
        />
      ))}
      <Field
        label="Level again after"
        value={proxy.reach_m === null ? "" : metres(proxy.reach_m)}
        parse={(text) => parseMetres(text)}
        min={0.01}
        onValue={(reach_m) => put({ reach_m }, `reach of ${name}`)}
      />
      {proxy.heights_m.length < MOST_PULLED && (
        <Button onClick={() => toggleTool("proxy", "pull", { proxy: proxy.id })}>
          Pull at another place
        </Button>
      )}
    </>
  );
}

/** Kinds that stand on no level. */
const FREE: readonly ProxyKind[] = ["quad", "mesh"];
const RISING: readonly ProxyKind[] = ["steps", "ramp"];
const SQUARE: readonly ProxyKind[] = ["box", ...RISING];

/** Its measures, each of which can be typed. */
function Measures({ proxy, answer, put }: { proxy: ProxyMark; answer: ProxyAnswer | undefined; put: Put }) {
  const name = nameOf(proxy);
  const [wide, deep] = answer?.size_m ?? [];
  const told = proxy.kind === "shade" ? proxy.height_m : answer?.height_m;
  return (
    <>
      {proxy.kind === "quad" ? (
        <Field
          label="Wide"
          value={proxy.width_m === null ? "" : metres(proxy.width_m)}
          placeholder={wide ? metres(wide) : "type if known"}
          parse={(text) => parseMetres(text)}
          min={0.001}
          onValue={(width_m) => put({ width_m }, `width of ${name}`)}
          onClear={() => put({ width_m: null }, `width of ${name}`)}
        />
      ) : (
        <Field
          label="Tall"
          value={told == null ? "" : metres(told)}
          placeholder={answer?.height_m == null ? undefined : metres(answer.height_m)}
          parse={(text) => parseMetres(text)}
          min={0.001}
          onValue={(height_m) => put({ height_m, top: null }, `height of ${name}`)}
          onClear={proxy.kind === "shade" ? () => put({ height_m: null }, `height of ${name}`) : undefined}
        />
      )}
      {SQUARE.includes(proxy.kind) && (
        <Field
          label="Deep"
          value={deep ? metres(deep) : ""}
          parse={(text) => parseMetres(text)}
          min={0.001}
          onValue={(depth_m) => put({ depth_m }, `depth of ${name}`)}
          onClear={proxy.points.length > 2 ? () => put({ depth_m: null }, `depth of ${name}`) : undefined}
        />
      )}
      {proxy.kind === "steps" && (
        <Field
          label="How many steps"
          value={String(proxy.count)}
          parse={parseNumber}
          min={1}
          onValue={(count) => put({ count: Math.min(Math.round(count), 60) }, `steps of ${name}`)}
        />
      )}
      {proxy.kind === "wall" &&
        (["first", "last"] as const).map((end, i) => (
          <Field
            key={end}
            label={`Runs on past its ${end} end by`}
            value={metres(proxy.past_m[i] ?? 0)}
            parse={(text) => parseMetres(text)}
            min={0}
            onValue={(past) =>
              put(
                { past_m: i ? [proxy.past_m[0] ?? 0, past] : [past, proxy.past_m[1] ?? 0] },
                `how far ${name} runs on`,
              )
            }
          />
        ))}
    </>
  );
}
