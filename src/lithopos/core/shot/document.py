"""The whole document: its parts together, older formats, its schema."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal, get_args, get_origin

from pydantic import Field, ValidationError, model_validator

from lithopos.core.camera.problem import FocalPrior, HandCamera, KnownCamera, Pixel
from lithopos.core.errors import InputError, input_error_from
from lithopos.core.light.softness import CLEAR_DEG
from lithopos.core.shot.blend import Blend
from lithopos.core.shot.contact import TOPPED, Contact, Ground, Proxy
from lithopos.core.shot.deliver import Deliverable, Output, Reply, SetAside
from lithopos.core.shot.ground import Length, Level
from lithopos.core.shot.lamp import Lamp, LitWindow
from lithopos.core.shot.light import (
    Almanac,
    Exposure,
    LightPatch,
    MarkedGnomon,
    MarkedPenumbra,
    MarkedShadowEdge,
    PanoramaLight,
    Pointing,
    Sky,
    Sun,
)
from lithopos.core.shot.matte import Matte
from lithopos.core.shot.option import Option, named_files
from lithopos.core.shot.pane import Pane, Viewpoint
from lithopos.core.shot.parts import DocumentPart
from lithopos.core.shot.perspective import Edge, SolvedCamera
from lithopos.core.shot.photo import CameraNotes, Crop, Photograph
from lithopos.core.shot.place import Placed
from lithopos.core.shot.surface import SHIPPED
from lithopos.core.shot.take import FrontStroke, Key, Passing, PlateStroke, Take
from lithopos.core.shot.together import AtSite

FORMAT = 4

__all__ = ["FORMAT", "LISTS", "Shot", "load_shot", "new_shot", "new_shot_camera", "shot_schema", "upgraded"]


class Shot(DocumentPart):
    """One photograph with everything decided about it."""

    format: Literal[4] = 4
    name: Annotated[str, Field(max_length=200)] = ""
    photograph: Photograph | None = None
    frame: Crop | None = None
    edges: Annotated[list[Edge], Field(max_length=2000)] = []
    lengths: Annotated[list[Length], Field(max_length=200)] = []
    levels: Annotated[list[Level], Field(max_length=50)] = []
    origin: Pixel | None = None
    camera: Annotated[SolvedCamera | HandCamera | KnownCamera, Field(discriminator="kind")] = SolvedCamera()
    site: AtSite | None = None
    models: Annotated[list[Placed], Field(max_length=500)] = []
    panes: Annotated[list[Pane], Field(max_length=200)] = []
    viewpoints: Annotated[list[Viewpoint], Field(max_length=100)] = []
    gnomons: Annotated[list[MarkedGnomon], Field(max_length=200)] = []
    shadow_edges: Annotated[list[MarkedShadowEdge], Field(max_length=200)] = []
    penumbras: Annotated[list[MarkedPenumbra], Field(max_length=50)] = []
    patches: Annotated[list[LightPatch], Field(max_length=200)] = []
    windows: Annotated[list[LitWindow], Field(max_length=50)] = []
    lamps: Annotated[list[Lamp], Field(max_length=100)] = []
    sun: Sun = Sun()
    almanac: Almanac | None = None
    sky: Sky = Sky()
    panorama: PanoramaLight | None = None
    pointings: Annotated[list[Pointing], Field(max_length=50)] = []
    lit_by: Literal["day", "panorama", "room"] = "day"
    exposure: Exposure = Exposure()
    ground: Ground = Ground()
    proxies: Annotated[list[Proxy], Field(max_length=100)] = []
    mattes: Annotated[list[Matte], Field(max_length=200)] = []
    contact: Contact = Contact()
    blend: Blend = Blend()
    output: Output = Output()
    deliverables: Annotated[list[Deliverable], Field(max_length=40)] = []
    replies: Annotated[list[Reply], Field(max_length=100)] = []
    set_aside: Annotated[list[SetAside], Field(max_length=50)] = []
    options: Annotated[list[Option], Field(max_length=60)] = []
    take: Take | None = None
    plate_strokes: Annotated[list[PlateStroke], Field(max_length=500)] = []
    front_strokes: Annotated[list[FrontStroke], Field(max_length=2000)] = []
    passings: Annotated[list[Passing], Field(max_length=500)] = []
    keys: Annotated[list[Key], Field(max_length=2000)] = []

    @model_validator(mode="after")
    def _identities_differ(self) -> Shot:
        for name in LISTS:
            names = [thing.id for thing in getattr(self, name)]
            if len(set(names)) < len(names):
                raise ValueError("two things have the same id")
        return self

    @model_validator(mode="after")
    def _frame_shows_something(self) -> Shot:
        if self.frame and self.photograph:
            across = self.frame.x < self.photograph.width - 1 and self.frame.x + self.frame.width > 1
            down = self.frame.y < self.photograph.height - 1 and self.frame.y + self.frame.height > 1
            if not (across and down):
                raise ValueError("frame: lies wholly outside the photograph")
        return self

    @model_validator(mode="after")
    def _camera_is_of_its_picture(self) -> Shot:
        known = [("camera", self.camera)] if isinstance(self.camera, KnownCamera) else []
        known += [("site.camera", self.site.camera)] if self.site else []
        for field, camera in known if self.photograph else []:
            size, picture = camera.image, self.photograph
            assert picture is not None
            if abs(size.width * picture.height / (size.height * picture.width) - 1) > 5e-3:
                told = f"{size.width} × {size.height}, the photograph of {picture.width} × {picture.height}"
                raise ValueError(f"{field}: is of a picture of another shape ({told} pixels)")
        return self

    @model_validator(mode="after")
    def _levels_are_known(self) -> Shot:
        heights = {level.id: level.height_m for level in self.levels}
        topped = {proxy.id for proxy in self.proxies if proxy.kind in TOPPED}
        for placed in self.models:
            if placed.level is not None and placed.level not in heights.keys() | topped:
                raise ValueError(f"model {placed.id!r} stands on a level or proxy that is not there, or has no top")
        for edge in self.shadow_edges:
            if edge.level is not None and edge.level not in heights:
                raise ValueError(f"the shadow of {edge.id!r} lies on a level that is not there")
        for proxy in self.proxies:
            if proxy.level is not None and proxy.level not in heights:
                raise ValueError(f"proxy {proxy.id!r} stands on a level that is not there")
        for length in self.lengths:
            if length.level is None:
                continue
            if length.level not in heights:
                raise ValueError(f"length {length.id!r} lies on a level that is not there")
            if length.metres is not None and heights[length.level] is None:
                raise ValueError(
                    f"yardstick {length.id!r} lies on a level whose height is itself measured; give that height"
                )
        return self

    @model_validator(mode="after")
    def _its_light_is_there(self) -> Shot:
        if self.lit_by == "panorama" and self.panorama is None:
            raise ValueError("is lit by a panorama, but none is chosen")
        if self.sun.kind == "almanac" and self.almanac is None:
            raise ValueError("the sun is that of a date and place, but none are given")
        return self

    @model_validator(mode="after")
    def _carriers_carry(self) -> Shot:
        carriers = {placed.id: placed.on for placed in self.models}
        for placed in self.models:
            passed, at = {placed.id}, placed.on
            while at is not None:
                if at not in carriers:
                    raise ValueError(f"model {placed.id!r} stands on {at!r}, which is not there")
                if at in passed:
                    raise ValueError(f"model {placed.id!r} stands on itself, by way of what it stands on")
                passed.add(at)
                at = carriers[at]
            if placed.on is not None and placed.level is not None:
                raise ValueError(f"model {placed.id!r} stands on a thing and on a level; one of them must be null")
        return self

    @model_validator(mode="after")
    def _frames_are_of_its_take(self) -> Shot:
        told: list[PlateStroke | FrontStroke | Passing | Key]
        told = [*self.plate_strokes, *self.front_strokes, *self.passings, *self.keys]
        if self.take is None:
            if told:
                raise ValueError(f"{told[0].id!r} is about a frame of a take, but the shot is of a photograph")
            return self
        if late := next((one for one in told if one.frame >= self.take.frames), None):
            raise ValueError(f"{late.id!r} is about frame {late.frame}; the take has {self.take.frames}, from 0")
        at = [(key.path, key.frame) for key in self.keys]
        if twice := next((one for one in at if at.count(one) > 1), None):
            raise ValueError(f"two keys set {twice[0]} at frame {twice[1]}")
        return self

    def files(self) -> list[str]:
        """Every file that the document names, its options too."""
        named = [self.photograph.file] if self.photograph else []
        named += [one for one in (self.take.file, self.take.plate) if one] if self.take else []
        for placed in self.models:
            named.append(placed.file)
            named += [one.file for one in placed.prints.values()]
            named += [one.texture.file for one in placed.surfaces.values() if one.texture]
        named += [pane.file for pane in self.panes if pane.file]
        named += [self.panorama.file] if self.panorama else []
        named += [lamp.file for lamp in self.lamps if lamp.file]
        named += [other.file for other in self.site.others] if self.site else []
        named += self.blend.luts()
        for option in self.options:
            named += named_files(option.difference.values())
        return [name for name in dict.fromkeys(named) if not name.startswith(SHIPPED)]


# The lists whose things have identities, by which changes address them.
LISTS = tuple(
    name
    for name, field in Shot.model_fields.items()
    if get_origin(field.annotation) is list and "id" in get_args(field.annotation)[0].model_fields
)


def new_shot(name: str, file: str, told: dict[str, Any]) -> Shot:
    """The beginning of a shot: its photograph, and the focal length to expect if the camera wrote one.

    Parameters
    ----------
    told : what `inspect_file` told of the photograph.
    """
    notes = CameraNotes.model_validate(told["notes_of_camera"]) if told.get("notes_of_camera") else None
    size = {"width": told["width"], "height": told["height"]}
    read = {"mean": told.get("mean"), "sky": told.get("sky")}
    photograph = Photograph.model_validate({"file": file, "name": name, **size, **read})
    photograph.notes = notes
    return Shot(name=name, photograph=photograph, camera=new_shot_camera(photograph))


def new_shot_camera(photograph: Photograph | None) -> SolvedCamera:
    """A camera to be solved from edges, as a new shot has it: with the focal length to expect."""
    notes = photograph.notes if photograph else None
    expected = notes.focal_35mm if notes and not notes.cropped else None
    return SolvedCamera(focal_prior=FocalPrior(focal_35mm=expected) if expected else None)


def load_shot(data: Any) -> Shot:
    """A shot from decoded JSON, older formats brought up to date.

    Raises
    ------
    InputError
        Naming the first wrong field.
    """
    if not isinstance(data, dict):
        raise InputError("", "a shot document is a JSON object")
    try:
        return Shot.model_validate(upgraded(data))
    except ValidationError as error:
        raise input_error_from(error) from error


def _from_1(data: dict[str, Any]) -> dict[str, Any]:
    """Format 1 knew one yardstick, on the ground."""
    rest = {name: value for name, value in data.items() if name != "yardstick"}
    stick = data.get("yardstick")
    if isinstance(stick, dict):
        rest["lengths"] = [*rest.get("lengths", []), {"id": "y1", **stick}]
    return {**rest, "format": 2}


def _from_2(data: dict[str, Any]) -> dict[str, Any]:
    """Format 2 knew no panes, rows, carriers or prints; what it knew is the same."""
    return {**data, "format": 3}


def _from_3(data: dict[str, Any]) -> dict[str, Any]:
    """Format 3 knew no patches, and no softness but by hand: what it began with now is nobody's word."""
    sun = data.get("sun")
    if isinstance(sun, dict) and sun.get("softness_deg") == CLEAR_DEG:
        data = {**data, "sun": {name: value for name, value in sun.items() if name != "softness_deg"}}
    return {**data, "format": 4}


_UPGRADES: dict[int, Any] = {1: _from_1, 2: _from_2, 3: _from_3}  # from format n to n + 1: a function of the document


def upgraded(data: dict[str, Any]) -> dict[str, Any]:
    """A document of any format as one of this format, not yet checked."""
    number = data.get("format", 1)
    if not isinstance(number, int) or number < 1 or number > FORMAT:
        raise InputError("format", f"is {json.dumps(number)}; this version reads 1 to {FORMAT}")
    while number < FORMAT:
        data = _UPGRADES[number](data)
        number += 1
    return data


def shot_schema() -> dict[str, Any]:
    """The JSON Schema of the shot document."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **Shot.model_json_schema(by_alias=True),
    }
