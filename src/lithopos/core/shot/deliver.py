"""The Deliver step: the size and fineness of the delivered picture, the files that are made of it, their names."""

from __future__ import annotations

import string
from datetime import datetime
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, FiniteFloat, model_validator

from lithopos.core.shot.parts import DocumentPart, Identity

__all__ = ["MOST_SIDE", "NAME_WORDS", "Deliverable", "NamePattern", "Output", "Pin", "Recipe", "Reply", "SetAside"]

NAME_WORDS = ("project", "shot", "option", "view", "size", "n")
LAYERED = ("exr", "ora", "layered tiff")
MATCHED = ("glb", "usda", "camera")
PAGES = ("page", "page folder")
FRAMES = ("png frames", "model frames", "exr frames")
OF_TAKES = ("av1", "vp9", "ffv1", *FRAMES)
WHOLE = (*LAYERED, *MATCHED, *PAGES)  # of one size and colour
MOST_SIDE = {"jpeg": 65_535, "webp": 16_383, "avif": 65_536}  # [px], by the formats themselves
FORBIDDEN = '/\\:*?"<>|'


def _pattern(names: str) -> str:
    try:
        words = [word for _, word, _, _ in string.Formatter().parse(names) if word is not None]
    except ValueError as error:
        raise ValueError("is no pattern: a brace is not closed") from error
    unknown = next((word for word in words if word not in NAME_WORDS), None)
    if unknown is not None:
        known = ", ".join(f"{{{word}}}" for word in NAME_WORDS)
        raise ValueError(f"has the unknown word {{{unknown}}}; known: {known}")
    wrong = next((letter for letter in names if letter in FORBIDDEN or not letter.isprintable()), None)
    if wrong is not None:
        raise ValueError(f"has {wrong!r} in it, which file names can’t have")
    if not names.strip(" ."):
        raise ValueError("names nothing")
    return names


NamePattern = Annotated[str, Field(max_length=200), AfterValidator(_pattern)]
Kind = Literal[
    "png",
    "jpeg",
    "tiff",
    "webp",
    "avif",
    "exr",
    "ora",
    "layered tiff",
    "page",
    "page folder",
    "glb",
    "usda",
    "camera",
    "av1",
    "vp9",
    "ffv1",
    "png frames",
    "model frames",
    "exr frames",
]


class Deliverable(DocumentPart):
    """One file to be made: its format, its size, and what it carries; a `page` is for the client to reply to,
    a `page folder` the same with its pictures as files, packed;
    `glb`, `usda` and `camera` are the matched scene for other programs; `av1`, `vp9` and `ffv1` are films of a take,
    and the frames of one are numbered pictures in a zip.

    Attributes
    ----------
    kind : a flat picture, or one in layers.
    longest_px, width_mm : its longer side, or its printed width at `dpi`; both null: the master's own size.
    bleed_mm : what is added all round, mirrored, to be cut off.
    quality : of JPEG, WebP and AVIF, and of AV1 and VP9.
    colours : the photograph's own profile, or another.
    notes : whether what the camera wrote is carried over.
    """

    id: Identity
    kind: Kind = "png"
    longest_px: Annotated[int, Field(ge=16, le=100_000)] | None = None
    width_mm: Annotated[FiniteFloat, Field(gt=1, le=20_000)] | None = None
    dpi: Annotated[FiniteFloat, Field(ge=10, le=2400)] = 300.0
    bleed_mm: Annotated[FiniteFloat, Field(ge=0, le=50)] = 0.0
    quality: Annotated[int, Field(ge=1, le=100)] = 92
    colours: Literal["photograph", "sRGB", "Display P3"] = "photograph"
    notes: bool = True
    hidden: bool = False

    @model_validator(mode="after")
    def _has_one_size(self) -> Deliverable:
        if self.longest_px is not None and self.width_mm is not None:
            raise ValueError("has a longest side and a printed width; one of them must be null")
        if self.kind in WHOLE and (self.longest_px or self.width_mm or self.colours != "photograph"):
            raise ValueError("layers, pages and scenes have the master’s size and the photograph’s colours")
        unfit = self.width_mm or self.colours != "photograph" or (self.kind in FRAMES and self.longest_px)
        if self.of_take and unfit:
            raise ValueError("of a take has the take’s colours, and its frames the take’s size")
        if self.bleed_mm and self.width_mm is None:
            raise ValueError("bleed is for print: give a printed width")
        return self

    @property
    def matched(self) -> bool:
        """Whether it is the scene, not the picture."""
        return self.kind in MATCHED

    @property
    def of_take(self) -> bool:
        """Whether it is made of all frames of a take."""
        return self.kind in OF_TAKES

    @property
    def is_page(self) -> bool:
        """Whether it is a hand-over page, which shows all options."""
        return self.kind in PAGES

    @property
    def layered(self) -> bool:
        """Whether it is made of layers."""
        return self.kind in LAYERED


Share = Annotated[FiniteFloat, Field(ge=0, le=1)]


class SetAside(DocumentPart):
    """A line of the last look that is known and meant, with a word on why."""

    id: Identity
    word: Annotated[str, Field(max_length=200)] = ""


class Pin(DocumentPart):
    """A remark on a place of the delivered picture, in shares of its width and height."""

    at: tuple[Share, Share]
    text: Annotated[str, Field(max_length=2000)] = ""


class Reply(DocumentPart):
    """What a client said of a revision: by whom they say they are, when, whether it is as it should be, remarks.

    `option` is what of the shot they said it of; null: of the shot itself.
    """

    id: Identity
    option: Identity | None = None
    by: Annotated[str, Field(min_length=1, max_length=120)]
    at: datetime
    revision: int = 0
    verdict: Literal["yes", "no"] | None = None
    pins: Annotated[list[Pin], Field(max_length=200)] = []


class Output(DocumentPart):
    """The delivered picture; `scale` 1 is the photograph's own size.

    It is made with `samples` a pixel, or fewer where its noise, before it is smoothed, is down to `noise` codes of 255;
    null: always with all. `names` is the pattern of its files' names.
    """

    scale: Annotated[FiniteFloat, Field(gt=0, le=4)] = 1.0
    samples: Annotated[int, Field(ge=1, le=65_536)] = 128
    noise: Annotated[FiniteFloat, Field(gt=0, le=50)] | None = None
    names: NamePattern = "{project}-{shot}-{option}-{view}-{size}-{n}"


class RecipeOutput(DocumentPart):
    """How a recipe names its files."""

    names: NamePattern


class Recipe(DocumentPart):
    """What a shot is delivered as: the files, and the pattern of their names; `lithopos deliver --recipe` takes it."""

    deliverables: Annotated[list[Deliverable], Field(min_length=1, max_length=40)]
    output: RecipeOutput | None = None
