const UNITS: Record<string, number> = {
  m: 1,
  cm: 0.01,
  mm: 0.001,
  ft: 0.3048,
  "'": 0.3048,
  in: 0.0254,
  '"': 0.0254,
};

/** A typed length in metres: `1.2`, `1.2 m`, `120cm`, `3'11"`; a bare number is of `bare`; null if it is none. */
export function parseMetres(text: string, bare: "m" | "mm" = "m"): number | null {
  const tidy = text.trim().replace(",", ".").replace("′", "'").replace("″", '"').toLowerCase();
  const parts = [...tidy.matchAll(/(-?\d+(?:\.\d+)?)\s*(mm|cm|m|ft|in|'|")?/g)];
  if (
    !parts.length ||
    parts
      .map((p) => p[0])
      .join("")
      .replace(/\s/g, "") !== tidy.replace(/\s/g, "")
  )
    return null;
  if (parts.length > 1 && parts.some((p) => !p[2])) return null;
  return parts.reduce((sum, p) => sum + Number(p[1]) * (UNITS[p[2] ?? bare] ?? 1), 0);
}

/** The same where the field shows millimetres: a bare `20` is 20 mm. */
export const parseMillimetres = (text: string) => parseMetres(text, "mm");

/** A typed number with an optional unit sign; null if it is none. */
export function parseNumber(text: string): number | null {
  const match = text
    .trim()
    .replace(",", ".")
    .match(/^(-?\d+(?:\.\d+)?)\s*(?:°|deg|mm|%|×|x|px|dpi|codes?|s|stops?|frames?)?$/);
  return match ? Number(match[1]) : null;
}

export const metres = (value: number, digits = 2) => `${value.toFixed(digits)} m`;
/** A figure and its 95 % range apart, in as many digits as the range is worth. */
export function ranged(
  value: number,
  sigma: number | undefined,
  unit: string,
): { value: string; range?: string } {
  if (!sigma) return { value: `${value.toFixed(1)}${unit}` };
  const range = 2 * sigma;
  const digits = range >= 9.5 ? 0 : range >= 0.25 ? 1 : range >= 0.025 ? 2 : 3;
  return { value: `${value.toFixed(digits)}${unit}`, range: `± ${range.toFixed(digits)}` };
}

/** A length with its 95 % range: `1.24 m ± 0.02`. */
export function rangedMetres(value: number, sigma_m: number | null | undefined): string {
  if (!sigma_m) return metres(value);
  const range = 2 * sigma_m;
  const digits = range >= 0.95 ? 1 : range >= 0.0095 ? 2 : 3;
  return `${value.toFixed(digits)} m ± ${range.toFixed(digits)}`;
}

/** A figure with its 95 % range in one text. */
export function withRange(value: number, sigma: number | undefined, unit: string): string {
  const told = ranged(value, sigma, unit);
  return told.range ? `${told.value} ${told.range}` : told.value;
}
