import { renderToStaticMarkup } from "react-dom/server";
import { afterEach, describe, expect, it } from "vitest";
import type { Kind } from "./kind";
import type { MarkProps } from "./props";
import { KINDS, toolOf } from "./registry";

/** A kind that is nowhere else: this object is all that the screen knows of it. */
const puddle: Kind = {
  name: "puddle",
  rank: 5,
  tool: {
    grasp: "clicks",
    prompts: ["click where it is wet"],
    make: ([at = [0, 0]], { id }) => ({
      patch: { gnomons: { [id]: { id, top: [at[0], at[1]] } } },
      label: "puddle",
      id,
    }),
  },
  on: ["photo"],
  Overlay: () => <circle r={3} data-kind="puddle" />,
  section: { step: "photo", title: "Puddles", fact: () => "none", Panel: () => <p>wet</p> },
  Glyph: () => <circle r={1} />,
};

afterEach(() => {
  const at = KINDS.indexOf(puddle);
  if (at >= 0) KINDS.splice(at, 1);
});

describe("the registry", () => {
  it("names each kind once, and every tool says how it takes the hand", () => {
    const names = KINDS.map((kind) => kind.name);
    expect(names).toContain("model");
    expect(new Set(names).size).toBe(names.length);
    for (const { tool } of KINDS) if (tool) expect(["strokes", "clicks"]).toContain(tool.grasp);
  });

  it("takes a kind that was thrown in: its tool, overlay, section and glyph are there", () => {
    expect(toolOf("puddle")).toBeUndefined();
    KINDS.push(puddle);
    const tool = toolOf("puddle");
    expect(tool?.grasp).toBe("clicks");
    const shown = KINDS.filter((kind) => kind.on?.includes("photo") && kind.name === "puddle").map(
      ({ name, Overlay }) =>
        // The overlay draws nothing of the shot.
        Overlay ? renderToStaticMarkup(<svg key={name}>{<Overlay {...({} as MarkProps)} />}</svg>) : "",
    );
    expect(shown.join("")).toContain("puddle");
    expect(
      KINDS.filter((kind) => kind.section?.step === "photo").map((kind) => kind.section?.title),
    ).toContain("Puddles");
  });
});
