import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type BlendAnswer = Schemas["BlendAnswer"];
export type Blend = Schemas["Blend"];
export type Grade = Schemas["Grade"];
export type Crop = NonNullable<Shot["frame"]>;
export type Deliverable = Schemas["Deliverable"];
export type Plan = Schemas["PlanOut"];
export type Look = Schemas["LookOut"];
export type Reply = Schemas["Reply"];
export type MadeFile = Schemas["MadeFile"];
export type Shot = Schemas["Shot"];
export type ShotOut = Schemas["ShotOut"];
export type Derived = Schemas["Derived"];
export type CameraAnswer = Schemas["CameraAnswer"];
export type Edge = Schemas["Edge"];
export type Run = Edge["run"];
export type Length = Schemas["Length"];
export type Level = Schemas["Level"];
export type Surface = Length["on"];
export type LengthAnswer = Schemas["LengthAnswer"];
export type HandCamera = Schemas["HandCamera"];
export type KnownCamera = Schemas["KnownCamera"];
export type SolvedCamera = Schemas["SolvedCamera"];
export type HandOut = Schemas["HandOut"];
export type Gesture = Schemas["HandDrag"]["gesture"];
export type FoundEdges = Schemas["FoundEdges"];
export type Placed = Schemas["Placed"];
export type Print = Schemas["Print"];
export type Pane = Schemas["Pane"];
export type PaneAnswer = Schemas["PaneAnswer"];
export type LitWindow = Schemas["LitWindow"];
export type Lamp = Schemas["Lamp"];
export type LampAnswer = Schemas["LampAnswer"];
export type LightAnswer = Schemas["LightAnswer"];
export type Matte = Schemas["Matte"];
export type MatteStroke = Schemas["Stroke"];
export type ProxyMark = Schemas["Proxy"];
export type ProxyAnswer = Schemas["ProxyAnswer"];
export type Viewpoint = Schemas["Viewpoint"];
export type SurfaceOf = Placed["surfaces"][string];
export type RestQuestion = Schemas["RestQuestion"];
export type RestAnswer = Schemas["RestAnswer"];
export type PickedReflectance = Schemas["PickedReflectance"];
export type SidesOut = Schemas["SidesOut"];
export type FocusAnswer = Schemas["FocusAnswer"];
export type GroundTurn = Schemas["GroundTurn"];
export type HazeAnswer = Schemas["HazeAnswer"];
export type GleamAnswer = Schemas["GleamAnswer"];
export type LightPatch = Schemas["LightPatch"];
export type Balance = Schemas["BalanceAnswer"];
export type PatchAnswer = Schemas["PatchAnswer"];
export type Whites = Schemas["Whites"];
export type White = Schemas["White"];
export type OptionOut = Schemas["OptionOut"];
export type OptionNew = Schemas["OptionNew"];
export type Smalls = Schemas["SmallsOut"];
export type Scope = Schemas["Scope"];
export type Pieces = Schemas["PiecesOut"];
export type Piece = Schemas["PieceOut"];
export type Around = Schemas["AroundAnswer"];
export type Pointing = Schemas["Pointing"];
export type ShadowEdge = Schemas["MarkedShadowEdge"];
export type Penumbra = Schemas["MarkedPenumbra"];
export type Almanac = Schemas["Almanac"];
export type Gnomon = Schemas["MarkedGnomon"];
export type ProjectFull = Schemas["ProjectFull"];
export type FileOut = Schemas["FileOut"];
export type Projects = Schemas["ProjectsOut"];
export type Materials = Schemas["Materials"];
export type Renders = Schemas["RendersOut"];
export type Session = Schemas["SessionOut"];
export type SiteOut = Schemas["SiteOut"];
export type Tie = Schemas["Tie"];
export type Way = Schemas["Way"];
export type Take = NonNullable<Shot["take"]>;
export type TakeOut = Schemas["TakeOut"] & {
  work: Partial<Record<"plate" | "front" | "walk" | "film", Schemas["RenderOut"]>>;
};
export type FrontStroke = Schemas["FrontStroke"];
export type PlateStroke = Schemas["PlateStroke"];
export type Passing = Schemas["Passing"];
export type Playing = Schemas["Playing"];
export type RenderOut = Schemas["RenderOut"];
export type Lack = ShotOut["lacks"][number];

// Asked for at each call, and with a whole address, so that tests can put a server of their own in its place.
const here = typeof location === "undefined" ? "http://localhost" : location.origin;
export const client = createClient<paths>({
  baseUrl: `${here}/`,
  fetch: (request) => globalThis.fetch(request),
});

/** Told of on the window when the server asks for a key. */
export const KEY_ASKED = "lithopos:key";

/**
 * An answer's data, or an error with the server's own sentence. The type is named by the caller,
 * because the client package widens tuples (points, sizes) to arrays.
 */
export async function asked<T>(
  answer: Promise<{ data?: unknown; error?: unknown; response: Response }>,
): Promise<T> {
  let got: { data?: unknown; error?: unknown; response: Response };
  try {
    got = await answer;
  } catch {
    throw new Error("The server doesn't answer. What was accepted is kept; start Lithopos again and reload.");
  }
  if (got.data !== undefined) return got.data as T;
  if (got.response.status === 401) window.dispatchEvent(new Event(KEY_ASKED));
  const problem = got.error as { detail?: string; lacks?: Lack[] } | undefined;
  throw new Failure(problem?.detail ?? "The server could not answer.", got.response.status, problem?.lacks);
}

export class Failure extends Error {
  constructor(
    message: string,
    readonly status: number,
    readonly lacks: Lack[] = [],
  ) {
    super(message);
  }
}

export const fileUrl = (name: string) => `/api/v1/files/${name.replace("sha256:", "")}`;
/** A model as the live view draws it. */
export const liveUrl = (name: string) => `${fileUrl(name)}/live`;
/** A thing with its textures and prints; `look` tells which look is meant. */
export const lookUrl = (shotId: string, thingId: string, look: string) =>
  `/api/v1/shots/${shotId}/things/${thingId}/live?look=${look}`;
/** A picture, a drawing or a film's frame as it is laid on things or hung. */
export const graphicUrl = (name: string, time_s = 0) => `${fileUrl(name)}/graphic?time_s=${time_s}`;
/** A part's tones as a table of colours. */
export const tonesUrl = (shotId: string, part: string) => `/api/v1/shots/${shotId}/tones/${part}`;
export const textureUrl = (name: string) => `/api/v1/textures/${name}`;
export const thumbUrl = (sha256: string, width = 240) => `/api/v1/files/${sha256}/thumb?width=${width}`;
export const pieceUrl = (name: string) => `/api/v1/pieces/${name}`;
export const pictureUrl = (render: RenderOut) =>
  `/api/v1/renders/${render.id}/picture?download=false&v=${render.revision}.${render.passes_done}`;
/** What a render does to its photograph, so many times as strong. */
export const changesUrl = (render: RenderOut, times: number) =>
  `/api/v1/renders/${render.id}/changes?times=${times}&v=${render.passes_done}`;
/** A shot's panorama as its camera sees it. */
export const aroundUrl = (shotId: string, { turn_deg, pitch_deg, roll_deg, lens_at_m }: Around) =>
  `/api/v1/shots/${shotId}/around?turn_deg=${turn_deg}&pitch_deg=${pitch_deg}&roll_deg=${roll_deg}&v=${lens_at_m ?? ""}`;
export const downloadUrl = (render: RenderOut) => `/api/v1/renders/${render.id}/picture?download=true`;

/** A client's reply to a hand-over page; says whose it is, and of which shot. */
export async function sendReply(projectId: string, file: File): Promise<{ shot: string; by: string }> {
  const form = new FormData();
  form.append("file", file, file.name);
  const response = await fetch(`/api/v1/projects/${projectId}/replies`, { method: "POST", body: form });
  const body = await response.json();
  if (!response.ok) throw new Failure(`${file.name} ${body.cause ?? body.detail}.`, response.status);
  return body;
}

/** A file that was made of a master. */
export const madeUrl = (render: RenderOut, file: MadeFile) =>
  `/api/v1/renders/${render.id}/files/${encodeURIComponent(file.name)}`;

/** A file, or the several files of one model by their relative names. */
export type Upload = { name: string; files: { path: string; file: File }[] };

/** Sends it; the server tells a photograph from a model. */
export async function sendFile(projectId: string, upload: Upload): Promise<FileOut> {
  const form = new FormData();
  for (const { path, file } of upload.files) form.append("file", file, path);
  const response = await fetch(`/api/v1/projects/${projectId}/files`, { method: "POST", body: form });
  const body = await response.json();
  if (!response.ok) throw new Failure(`${upload.name} ${body.cause ?? body.detail}.`, response.status);
  return body as FileOut;
}

/** Takes a project in that was written as one file. */
export async function sendProject(file: File): Promise<ProjectFull> {
  const form = new FormData();
  form.append("file", file, file.name);
  const response = await fetch("/api/v1/archives", { method: "POST", body: form });
  const body = await response.json();
  if (!response.ok) throw new Failure(`${file.name} ${body.cause ?? body.detail}.`, response.status);
  return body as ProjectFull;
}
