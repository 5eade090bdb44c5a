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

export const nameOf = (kind: string) => KINDS.find(({ value }) => value === kind)?.label ?? kind;
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

export const megabytes = (bytes: number) =>
  bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1e3))} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
