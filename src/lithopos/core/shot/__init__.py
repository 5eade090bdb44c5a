"""The shot document: one photograph and everything decided about it, as plain data.

Units are in the names; pixels and axes follow the conventions in docs/shot.md. Files are named by a
path relative to the document, or by content hash (`sha256:…`) where the library keeps them.
"""

from __future__ import annotations

from lithopos.core.shot.blend import Blend, Grade, Haze
from lithopos.core.shot.contact import Contact, Ground, Proxy
from lithopos.core.shot.deliver import Deliverable, Output, Pin, Reply
from lithopos.core.shot.document import FORMAT, Shot, load_shot, new_shot, new_shot_camera, shot_schema, upgraded
from lithopos.core.shot.ground import Length, Level
from lithopos.core.shot.lamp import Lamp, LitWindow
from lithopos.core.shot.light import (
    USUAL_TURBIDITY,
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
from lithopos.core.shot.matte import Matte, Stroke
from lithopos.core.shot.pane import Pane, Viewpoint
from lithopos.core.shot.perspective import Edge, HandCamera, SolvedCamera
from lithopos.core.shot.photo import CameraNotes, Crop, Photograph, SkySpot
from lithopos.core.shot.place import Placed, Row
from lithopos.core.shot.surface import LaidTexture, Print, Surface
from lithopos.core.shot.take import FrontStroke, Key, Passing, PlateStroke, Playing, Take
from lithopos.core.shot.together import AtSite, OtherPhotograph, SiteSun

__all__ = [
    "FORMAT",
    "USUAL_TURBIDITY",
    "Almanac",
    "AtSite",
    "Blend",
    "CameraNotes",
    "Contact",
    "Crop",
    "Deliverable",
    "Edge",
    "Exposure",
    "FrontStroke",
    "Grade",
    "Ground",
    "HandCamera",
    "Haze",
    "Key",
    "LaidTexture",
    "Lamp",
    "Length",
    "Level",
    "LightPatch",
    "LitWindow",
    "MarkedGnomon",
    "MarkedPenumbra",
    "MarkedShadowEdge",
    "Matte",
    "OtherPhotograph",
    "Output",
    "Pane",
    "PanoramaLight",
    "Passing",
    "Photograph",
    "Pin",
    "Placed",
    "PlateStroke",
    "Playing",
    "Pointing",
    "Print",
    "Proxy",
    "Reply",
    "Row",
    "Shot",
    "SiteSun",
    "Sky",
    "SkySpot",
    "SolvedCamera",
    "Stroke",
    "Sun",
    "Surface",
    "Take",
    "Viewpoint",
    "load_shot",
    "new_shot",
    "new_shot_camera",
    "shot_schema",
    "upgraded",
]
