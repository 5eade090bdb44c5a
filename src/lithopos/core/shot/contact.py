"""The Contact step: what the ground is made of, the things of the photograph that take shadows and hide, and how
strongly contact shows."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat, model_validator

from lithopos.core.camera.problem import Pixel
from lithopos.core.grounds import GROUND_MATERIALS, PROXY_MATERIALS
from lithopos.core.light.patches import Bright, Colour
from lithopos.core.shot.parts import DocumentPart, Identity, Name
from lithopos.core.shot.surface import Share

__all__ = ["MOST_CORNERS", "MOST_SIDES", "POINTS", "SHADED", "TOPPED", "Contact", "Ground", "Proxy"]

Reflectance = Annotated[FiniteFloat, Field(gt=0, le=0.95)]
Size = Annotated[FiniteFloat, Field(gt=0, le=1000)]
MOST_SIDES, MOST_CORNERS = 300, 60  # of a mesh, and of one of its sides
Point = tuple[FiniteFloat, FiniteFloat, FiniteFloat]
Side = Annotated[list[Point], Field(min_length=3, max_length=MOST_CORNERS)]
Pulled = Annotated[FiniteFloat, Field(ge=-100, le=100)]
Past = Annotated[FiniteFloat, Field(ge=0, le=1000)]

# How many points each kind of proxy is drawn by, at least and at most.
POINTS = {
    "wall": (2, 40),
    "box": (2, 3),
    "steps": (2, 3),
    "ramp": (2, 3),
    "cylinder": (3, 3),
    "outline": (3, 60),
    "quad": (4, 4),
    "shade": (3, 60),
    "rise": (1, 12),
    "mesh": (0, 0),
}

SHADED = ("wall", "box", "ramp", "cylinder", "outline")  # kinds whose shadow's outline can tell the sun
TOPPED = ("box", "steps", "cylinder", "outline")  # kinds with a level top, on which things can stand


class Ground(DocumentPart):
    """What the ground is made of: a name from the list, which sets the level of its reflectance and its sheen.

    `coat` is how strong its reflection is beside a whole dielectric's, `roughness` how blurred; null: as its material.
    """

    material: str = "pale stone"
    reflectance: Reflectance | None = None
    coat: Share | None = None
    roughness: Share | None = None

    @model_validator(mode="after")
    def _is_known(self) -> Ground:
        if self.material not in GROUND_MATERIALS:
            raise ValueError(f"unknown material {self.material!r}; known: {', '.join(GROUND_MATERIALS)}")
        return self


class Proxy(DocumentPart):
    """Simple geometry for a thing in the photograph, drawn on it; the camera makes it a solid.

    `points` are its foot [px], by kind: of a *wall* the foot line, corner by corner; of a *box*, *steps* and a *ramp*
    the front's two ends and a point of its back (made square; without it `depth_m` is needed); of a *cylinder* three
    points of its rim; of an *outline* all its corners. A *quad* is any flat thing by its four corners, as a pane is:
    its distance follows from `width_m`, from `foot` plumb below its bottom left corner, or else that corner stands on
    the ground. A *shade* is the outline of a shadow on the ground that something outside the picture throws: what does
    follows from the sun; it stands as low as it can without being seen, or `height_m` tall. A *rise* is uneven ground:
    places of the ground, each pulled up or down to its `heights_m`, fading out within `reach_m`. A *mesh* is not drawn:
    its `sides` are a model's, flat, counter-clockwise from outside [m].

    `top` is a point plumb over the first one at its upper end, of steps and a ramp over the corner behind the second;
    `height_m` sets the height instead. `past_m` is how far a wall runs on past its ends. `level` names the level on
    which the foot lies, null for the ground.

    It `receives` shadow, reflection and bounced light, `hides` what is behind it, or both. `coat` and `roughness`
    are as of the ground; null: as its material has them. `shadow` are points along the outline of its shadow on the
    ground [px], from which the sun follows. `seen` is what the photograph shows of each of its sides,
    read when it is drawn, `clipped` which share of it is too bright to tell, by channel; null for those that it does
    not show.
    """

    id: Identity
    name: Name = ""
    kind: Literal["wall", "box", "steps", "ramp", "cylinder", "outline", "quad", "shade", "rise", "mesh"]
    points: Annotated[list[Pixel], Field(max_length=60)]
    top: Pixel | None = None
    height_m: Size | None = None
    depth_m: Size | None = None
    width_m: Size | None = None
    foot: Pixel | None = None
    heights_m: Annotated[list[Pulled], Field(max_length=12)] = []
    reach_m: Size | None = None
    sides: Annotated[list[Side], Field(max_length=MOST_SIDES)] = []
    past_m: tuple[Past, Past] = (0.0, 0.0)
    count: Annotated[int, Field(ge=1, le=60)] = 3
    level: Identity | None = None
    receives: bool = True
    hides: bool = True
    material: str = "plaster"
    coat: Share | None = None
    roughness: Share | None = None
    hidden: bool = False
    shadow: Annotated[list[Pixel], Field(max_length=60)] = []
    seen: Annotated[list[Bright | None], Field(max_length=500)] = []
    clipped: Annotated[list[Colour | None], Field(max_length=500)] = []

    @property
    def is_ground(self) -> bool:
        """Whether it is the ground itself, and nothing that stands on it."""
        return self.kind == "rise"

    @model_validator(mode="after")
    def _is_drawn(self) -> Proxy:
        least, most = POINTS[self.kind]
        if not least <= len(self.points) <= most:
            wanted = str(least) if least == most else f"{least} to {most}"
            raise ValueError(f"a {self.kind} is drawn by {wanted} points, not {len(self.points)}")
        if self.kind in ("box", "steps", "ramp") and len(self.points) == 2 and self.depth_m is None:
            raise ValueError(f"a {self.kind} needs a point of its back, or its depth")
        if (self.kind == "mesh") != bool(self.sides):
            raise ValueError("sides: a mesh has some, what is drawn has none")
        pulled = len(self.points) if self.kind == "rise" else 0
        if len(self.heights_m) != pulled or (self.reach_m is None) != (self.kind != "rise"):
            raise ValueError(
                "heights_m, reach_m: a rise has a height for each of its points, and a reach; others have none"
            )
        if self.kind not in ("quad", "shade", "rise", "mesh") and self.top is None and self.height_m is None:
            raise ValueError(f"a {self.kind} needs a point of its top, or its height")
        if self.material not in PROXY_MATERIALS:
            raise ValueError(f"unknown material {self.material!r}; known: {', '.join(PROXY_MATERIALS)}")
        if self.shadow and self.kind not in SHADED:
            raise ValueError(
                f"the shadow of a {self.kind} does not tell the sun; that of these does: {', '.join(SHADED)}"
            )
        if not (self.receives or self.hides):
            raise ValueError("neither receives nor hides: let it do one of them, or hide it from the picture")
        return self


class Contact(DocumentPart):
    """How strongly contact shows, by hand on top of what is computed: 1 and 0 are the physical values.

    Attributes
    ----------
    shadow : 0: none, 1: as computed; what is left of the light counts to this power.
    warmth : how much warmer shadows are, -1 to 1.
    reflection, blur : how many times as strong what receivers mirror is, and how much rougher.
    uneven_mm : how high and low stones and joints of level ground lie, by how bright they are: shadows' edges follow.
    """

    shadow: Annotated[FiniteFloat, Field(ge=0, le=3)] = 1.0
    warmth: Annotated[FiniteFloat, Field(ge=-1, le=1)] = 0.0
    reflection: Annotated[FiniteFloat, Field(ge=0, le=3)] = 1.0
    blur: Annotated[FiniteFloat, Field(ge=-1, le=1)] = 0.0
    uneven_mm: Annotated[FiniteFloat, Field(ge=0, le=60)] = 0.0
