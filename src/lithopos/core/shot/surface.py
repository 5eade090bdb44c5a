"""What a part of a model is made of in place of what it came with, and what is laid on it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat

from lithopos.core.shot.parts import DocumentPart, FileName, Metres, Name
from lithopos.core.shot.take import Playing

Share = Annotated[FiniteFloat, Field(ge=0, le=1)]
Millimetres = Annotated[FiniteFloat, Field(ge=0.1, le=100_000)]
Shift = Annotated[FiniteFloat, Field(ge=-100_000, le=100_000)]
Degrees = Annotated[FiniteFloat, Field(ge=-3600, le=3600)]
SHIPPED = "shipped:"

__all__ = ["SHIPPED", "LaidTexture", "Print", "Surface"]


class LaidTexture(DocumentPart):
    """A texture in its real size: one that ships with the program (`shipped:oak`), or a picture's file.

    `repeat_mm` is how long one repeat is, across the picture; `lay` is by the model's own uv or by the six sides of a
    box. It is turned, then shifted.
    """

    file: FileName
    repeat_mm: Millimetres | None = None
    turn_deg: Degrees = 0.0
    shift_mm: tuple[Shift, Shift] = (0.0, 0.0)
    lay: Literal["box", "uv"] = "box"


class Surface(DocumentPart):
    """A kind with its colour (linear red, green, blue) and its parameters by name; see `core.materials.kinds`.

    A texture gives the colour where none is chosen, and is tinted by one that is.
    """

    kind: Literal[
        "matte",
        "paint",
        "metallic paint",
        "metal",
        "glass",
        "wood",
        "cloth",
        "leather",
        "stone",
        "concrete",
        "plastic",
        "wax",
        "rubber",
        "water",
    ]
    colour: tuple[Share, Share, Share] | None = None
    parameters: Annotated[
        dict[Annotated[str, Field(max_length=40)], Annotated[FiniteFloat, Field(ge=-1000, le=1000)]],
        Field(max_length=12),
    ] = {}
    texture: LaidTexture | None = None


class Print(DocumentPart):
    """A graphic laid on a model: a patch at one place, or all over one of its materials.

    A patch lies about `at` [m, in the model as its reader gives it, before it is turned or sized], facing `facing`;
    `width_mm` is how wide it comes out as the model stands, and its height follows from the picture. All over, one
    repeat is so wide. `turn_deg` turns it about `facing`, `mirrored` swaps its left and right. Those with a higher
    `above` lie on those with a lower one. With a `glow` it shines, beside white paint in the place's full light (1):
    a screen on a model. Of a film it shows the frame at `time_s`, or `plays` along with the
    take.
    """

    file: FileName
    name: Name = ""
    lay: Literal["patch", "all over"] = "patch"
    material: Name | None = None
    at: tuple[Metres, Metres, Metres] = (0.0, 0.0, 0.0)
    facing: tuple[FiniteFloat, FiniteFloat, FiniteFloat] = (0.0, 0.0, 1.0)
    width_mm: Millimetres = 200.0
    turn_deg: Degrees = 0.0
    shift_mm: tuple[Shift, Shift] = (0.0, 0.0)
    mirrored: bool = False
    above: Annotated[int, Field(ge=-1000, le=1000)] = 0
    gloss: Share = 0.4
    metal: Share = 0.0
    relief_mm: Annotated[FiniteFloat, Field(ge=-5, le=5)] = 0.0
    glow: Annotated[FiniteFloat, Field(ge=0, le=1000)] = 0.0
    time_s: Annotated[FiniteFloat, Field(ge=0, le=100_000)] = 0.0
    plays: Playing | None = None
