"""What the API takes and gives, as data; the front end's types are made from these."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from flask_openapi3 import FileStorage
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, model_validator

from lithopos.cluster.told import WorkedOn
from lithopos.core.camera.hand import Gesture
from lithopos.core.camera.problem import HandCamera, Pixel
from lithopos.core.composite.whites import Whites
from lithopos.core.critique.look import SHOWN, LookLine
from lithopos.core.derive import Derived
from lithopos.core.errors import LithoposError
from lithopos.core.geometry.check import CheckPiece
from lithopos.core.readiness import Code, Lack
from lithopos.core.shot import LightPatch, Shot, SolvedCamera, Surface
from lithopos.core.shot.deliver import Recipe
from lithopos.core.shot.differs import Differing
from lithopos.core.shot.parts import Identity
from lithopos.core.site import Site
from lithopos.core.site.answer import SiteAnswer
from lithopos.core.site.feet import Ellipse
from lithopos.core.standing.ask import RestQuestion
from lithopos.jobs.files import MadeFile


class ProjectPath(BaseModel):
    project_id: str


class ShotPath(BaseModel):
    shot_id: str


class TonesPath(BaseModel):
    shot_id: str
    part: Literal["model", "place", "whole"]


class FilePath(BaseModel):
    sha256: Annotated[str, Field(pattern="^[0-9a-f]{64}$")]


class RenderPath(BaseModel):
    render_id: str


class ThumbQuery(BaseModel):
    width: Annotated[int, Field(ge=32, le=1024)] = 240


class AroundQuery(BaseModel):
    turn_deg: Annotated[FiniteFloat, Field(ge=-3600, le=3600)] = 0.0
    pitch_deg: Annotated[FiniteFloat, Field(ge=-90, le=90)] = 0.0
    roll_deg: Annotated[FiniteFloat, Field(ge=-180, le=180)] = 0.0
    v: str = ""  # lets browsers tell pictures apart whose lens stood elsewhere


class DownloadQuery(BaseModel):
    download: bool = False


class ChangesQuery(BaseModel):
    times: float = Field(default=1.0, ge=0.1, le=50)
    v: int = 0  # lets browsers tell pictures apart that have grown finer


class _Body(BaseModel):
    model_config = ConfigDict(extra="forbid")


class ProjectNew(_Body):
    name: Annotated[str, Field(min_length=1, max_length=200)]


class FileNew(BaseModel):
    file: FileStorage


class CheckPieceNew(_Body):
    piece: CheckPiece


class ShotNew(_Body):
    name: Annotated[str, Field(min_length=1, max_length=200)]
    photograph: Annotated[str, Field(pattern="^[0-9a-f]{64}$")]


class Change(_Body):
    """A merge patch, lists by identities, made to the revision that was seen."""

    revision: int
    patch: dict[str, Any]
    label: Annotated[str, Field(max_length=200)] = "change"


class Trial(_Body):
    """A merge patch to see the consequences of, without keeping it."""

    patch: dict[str, Any]


class HandDrag(_Body):
    """A drag of the hand-set camera: the change under way as a merge patch, and what is asked for now."""

    patch: dict[str, Any] = {}
    gesture: Gesture


class HandOut(BaseModel):
    """The figures and the origin that follow from a drag, and what follows from them."""

    camera: HandCamera
    origin: Pixel | None
    derived: Derived


class Seen(_Body):
    revision: int


class RestAsked(_Body):
    """A question about rest, of the shot with a change under way."""

    patch: dict[str, Any] = {}
    question: RestQuestion


class PatchesOut(BaseModel):
    patches: list[LightPatch]


class SurfacesOut(BaseModel):
    """A file of surfaces: what they are by name, and the pictures that they use as data addresses by file name."""

    lithopos_surfaces: Literal[1] = 1
    surfaces: dict[str, Surface]
    pictures: dict[str, str]


class PiecesAsked(_Body):
    """Small pictures to be traced: sample pieces of surfaces in the shot's own light, models by their files, and the
    shot's light card."""

    surfaces: Annotated[list[Surface], Field(max_length=32)] = []
    models: Annotated[list[Annotated[str, Field(pattern="^[0-9a-f]{64}$")]], Field(max_length=64)] = []
    card: bool = False


class PieceOut(BaseModel):
    """A small picture by name: there, under way, or why there is none."""

    name: str
    ready: bool
    reason: str | None


class PiecesOut(BaseModel):
    surfaces: list[PieceOut]
    models: list[PieceOut]
    card: PieceOut | None = None


class PiecePath(BaseModel):
    name: Annotated[str, Field(pattern="^[0-9a-f]{32}$")]


class ThingPath(BaseModel):
    shot_id: str
    thing_id: str


class SidesOut(BaseModel):
    """Flat sides in the world [m]."""

    sides: list[list[tuple[float, float, float]]]


class TimeQuery(BaseModel):
    time_s: Annotated[float, Field(ge=0, le=100_000)] = 0.0


class TexturePath(BaseModel):
    name: Annotated[str, Field(pattern="^[a-z-]{1,40}$")]


class RenderNew(_Body):
    """A render to be made; of a proof perhaps only a part [px of the photograph: x0, y0, x1, y1]."""

    quality: Literal["proof", "master"]
    part: tuple[int, int, int, int] | None = None

    @model_validator(mode="after")
    def _part_has_a_size(self) -> RenderNew:
        if self.part is not None:
            x0, y0, x1, y1 = self.part
            if self.quality != "proof":
                raise ValueError("part: only a proof is rendered in part")
            if x1 <= x0 or y1 <= y0:
                raise ValueError("part: has no size")
        return self


class FileOut(BaseModel):
    sha256: str
    name: str
    kind: Literal["photograph", "model", "graphic", "film", "sequence", "panorama", "photometry", "lut"]
    size_bytes: int
    width: int | None = None
    height: int | None = None
    seconds: float | None = None
    frames: int | None = None
    size_m: list[float] | None = None
    triangles: int | None = None
    unit: str | None = None
    unit_m: float | None = None
    unit_from: Literal["file", "guess"] | None = None
    up: Literal["y", "z"] | None = None
    parts: list[str] = []
    materials: list[str] = []
    notes: list[str] = []


class ProjectOut(BaseModel):
    id: str
    name: str
    created_at: datetime
    thumb: str | None = None
    shots: int = 0


class ProjectsOut(BaseModel):
    projects: list[ProjectOut]


class ShotBrief(BaseModel):
    id: str
    name: str
    photograph: str | None


class RecipePath(BaseModel):
    project_id: str
    name: Annotated[str, Field(min_length=1, max_length=80)]


class ProjectFull(BaseModel):
    id: str
    name: str
    recipes: dict[str, Recipe] = {}
    shots: list[ShotBrief]
    files: list[FileOut]


class OptionOut(BaseModel):
    """An option of a shot: what it is asked for by, and what it has otherwise than the shot."""

    id: str
    name: str
    shot: str
    differs: list[Differing]


class ShotOut(BaseModel):
    """A shot's document, its revision, what undo and redo would do, and what follows from it.

    Attributes
    ----------
    base : what the shot itself is asked for by, where this is an `option` of it.
    lacks : what it needs yet to be rendered, in the order in which it would be mended.
    solved_camera : the settings of a camera that is solved from edges, as a new shot would have them.
    """

    id: str
    project_id: str
    revision: int
    document: Shot
    undo: str | None
    redo: str | None
    derived: Derived
    lacks: list[Code]
    solved_camera: SolvedCamera
    base: str
    option: str | None
    options: list[OptionOut]


class OptionNew(_Body):
    """An option to be made: the differences of others in one, the later ones counting; of none: the shot as it is."""

    name: Annotated[str, Field(max_length=200)] = ""
    of: Annotated[list[Identity], Field(max_length=60)] = []


class OptionsNew(_Body):
    """Options to be made at once, beside those that there are."""

    options: Annotated[list[OptionNew], Field(min_length=1, max_length=60)]


class OptionsRendered(_Body):
    """Renders of the shot and of all its options that are not there, or out of date."""

    quality: Literal["proof", "master"]


class SmallOut(BaseModel):
    """A shot's or an option's small picture: there, under way, or why there is none."""

    shot: str
    picture: PieceOut


class SmallsOut(BaseModel):
    smalls: list[SmallOut]


class RenderOut(BaseModel):
    """`current`: it shows the shot as it is now; `follows`: a proof that does not, but what was traced for it holds, so
    that it is made anew in a second; `files` were made of the master `goes_on`.
    """

    id: str
    shot_id: str
    revision: int
    quality: Literal["proof", "master", "files", "plate", "front", "walk", "film"]
    stage: Literal["look", "front", "render", "frames"] | None
    goes_on: str | None
    state: Literal["queued", "running", "stopping", "done", "failed", "stopped"]
    passes_done: int
    passes: int
    samples: int
    noise: float | None
    part: list[int] | None
    seconds_left: float | None
    reason: str | None
    notes: str | None
    worked_on: WorkedOn | None
    created_at: datetime
    has_picture: bool
    current: bool
    follows: bool
    whites: Whites | None
    files: list[MadeFile] = []


class WorkPath(ShotPath):
    work: Literal["plate", "front", "walk", "film"]


class FramePath(ShotPath):
    number: Annotated[int, Field(ge=0)]


class MadeFramePath(BaseModel):
    render_id: str
    number: Annotated[int, Field(ge=0)]


class Looked(BaseModel):
    """What a look through a take told: how far a corner of the picture moves [px], which share of the place was ever
    seen empty, and its noise in a middle grey by channel [codes of 255]."""

    moved_px: float
    empty: float
    sigma: list[float]


class TakeOut(BaseModel):
    """A take, `numbered` where it is pictures; `work` is the newest of each kind, `front`, `walk` and `film` the frames
    that it has made so far."""

    notes: list[str]
    codec: str
    numbered: bool
    sound: str | None
    looked: Looked | None
    plate_is_current: bool
    work: dict[str, RenderOut]
    front: list[int]
    walk: list[int]
    film: list[int]


class MadeFilePath(BaseModel):
    render_id: str
    name: Annotated[str, Field(max_length=200)]


class LookOut(BaseModel):
    """What the last look found, what gives the picture away most first; from `shown` on a weight does."""

    lines: list[LookLine]
    shown: float = SHOWN


class ReplyOut(BaseModel):
    """Which shot a reply was about, and who says that they wrote it."""

    shot: str
    by: str


class PlannedFile(BaseModel):
    """A file that will be made: its name and size [px]; `needs_scale` where the master has to be larger for it."""

    id: str
    name: str = ""
    width: int = 0
    height: int = 0
    needs_scale: float | None = None
    problem: str | None = None


class PlanOut(BaseModel):
    """What a shot will be delivered as, and where to; about how long its master takes, by its newest proof."""

    files: list[PlannedFile]
    master_seconds: float | None = None
    needs_bytes: int = 0
    folder: str
    free_bytes: int


class RendersOut(BaseModel):
    renders: list[RenderOut]


class Health(BaseModel):
    version: str


class SurfaceParameter(BaseModel):
    low: float
    high: float
    default: float
    unit: str = ""


class SurfaceKind(BaseModel):
    colour: tuple[float, float, float]
    parameters: dict[str, SurfaceParameter]


class ShippedTexture(BaseModel):
    title: str
    kinds: list[str]
    repeat_mm: float
    threads: int


class Receiving(BaseModel):
    reflectance: float
    coat: float
    roughness: float


class Materials(BaseModel):
    """The ground's materials and their mean reflectance; those of all receivers with their sheen; kinds of surfaces
    for things, with their parameters; the textures that ship with the program."""

    ground: dict[str, float]
    receivers: dict[str, Receiving]
    surfaces: dict[str, SurfaceKind]
    textures: dict[str, ShippedTexture]


class Problem(BaseModel):
    """An error, by RFC 9457; where something handed in is wrong, `cause` is the sentence without the field."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    field: str | None = None
    cause: str | None = None
    lacks: list[Code] = []


class Unready(LithoposError):
    """A render was asked for and the shot lacks something."""

    def __init__(self, lacks: list[Lack]) -> None:
        super().__init__(f"{lacks[0].field}: {lacks[0].cause}")
        self.lacks = lacks


class SurveyIn(_Body):
    """A surveyor's table as text; see `core.site.coordinates`."""

    revision: int
    text: Annotated[str, Field(max_length=500_000)]


class WayQuery(BaseModel):
    """A pixel of one of a site's photographs."""

    shot: str
    x: FiniteFloat
    y: FiniteFloat
    on_ground: bool = False


class Way(BaseModel):
    """Where a photograph shows it: points along a line [px], of what is on the ground one."""

    shot: str
    points: list[Pixel]


class WayOut(BaseModel):
    ways: list[Way]


class SiteShot(BaseModel):
    """A shot of the project, whether it belongs to the site or not."""

    id: str
    name: str
    photograph: str | None
    width: int
    height: int


class FootOut(BaseModel):
    """Where a thing stands in a picture, and how well that is known."""

    thing: str
    name: str
    shot: str
    ellipse: Ellipse


class SiteOut(BaseModel):
    revision: int
    document: Site
    answer: SiteAnswer
    shots: list[SiteShot]
    feet: list[FootOut]
    undo: str | None
    redo: str | None


class KeyIn(_Body):
    key: Annotated[str, Field(min_length=1, max_length=200)]


class SessionOut(BaseModel):
    """Whether a key is asked for; whose was given, and what it allows."""

    asked: bool
    name: str | None = None
    may: Literal["change", "look"] | None = None
