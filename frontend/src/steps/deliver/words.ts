import type { Deliverable } from "../../api/client";

type Kind = Deliverable["kind"];

export const KINDS: { value: Kind; label: string }[] = [
  { value: "png", label: "PNG" },
  { value: "jpeg", label: "JPEG" },
  { value: "tiff", label: "TIFF" },
  { value: "webp", label: "WebP" },
  { value: "avif", label: "AVIF" },
  { value: "ora", label: "OpenRaster" },
  { value: "layered tiff", label: "TIFF in layers" },
  { value: "exr", label: "OpenEXR" },
  { value: "page", label: "Hand-over page" },
  { value: "page folder", label: "Page as a folder" },
  { value: "glb", label: "Scene, glTF" },
  { value: "usda", label: "Scene, USD" },
  { value: "camera", label: "Camera" },
];
/** Of a whole take. */
export const TAKE_KINDS: { value: Kind; label: string }[] = [
  { value: "av1", label: "Film, AV1" },
  { value: "vp9", label: "Film, VP9" },
  { value: "ffv1", label: "Film, lossless" },
  { value: "png frames", label: "PNG frames" },
  { value: "model frames", label: "Models alone" },
  { value: "exr frames", label: "OpenEXR frames" },
];
export const isOfTake = (kind: string) => TAKE_KINDS.some(({ value }) => value === kind);

export const nameOf = (kind: string) =>
  [...KINDS, ...TAKE_KINDS].find(({ value }) => value === kind)?.label ?? kind;
/** Of the master's own size and colours. */
export const inLayers = (kind: string) =>
  ["ora", "exr", "layered tiff", "page", "page folder", "glb", "usda", "camera"].includes(kind);

const PLAIN: Omit<Deliverable, "id" | "kind"> = {
  longest_px: null,
  width_mm: null,
  dpi: 300,
  bleed_mm: 0,
  quality: 92,
  colours: "photograph",
  notes: true,
  hidden: false,
};

/** What is asked for most, as it begins. */
export const BEGINNINGS: { label: string; file: Omit<Deliverable, "id"> }[] = [
  { label: "Full size", file: { ...PLAIN, kind: "png" } },
  { label: "For the web", file: { ...PLAIN, kind: "jpeg", longest_px: 1600, colours: "sRGB", notes: false } },
  { label: "For print", file: { ...PLAIN, kind: "tiff", width_mm: 160 } },
  { label: "For retouching", file: { ...PLAIN, kind: "ora" } },
  { label: "For the client", file: { ...PLAIN, kind: "page" } },
];

/** The same of a take. */
export const TAKE_BEGINNINGS: { label: string; file: Omit<Deliverable, "id"> }[] = [
  { label: "Film", file: { ...PLAIN, kind: "av1", quality: 80 } },
  { label: "For the web", file: { ...PLAIN, kind: "vp9", longest_px: 1280, quality: 75 } },
  { label: "Lossless film", file: { ...PLAIN, kind: "ffv1" } },
  { label: "PNG frames", file: { ...PLAIN, kind: "png frames" } },
  { label: "OpenEXR frames", file: { ...PLAIN, kind: "exr frames" } },
];

export const megabytes = (bytes: number) =>
  bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1e3))} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
