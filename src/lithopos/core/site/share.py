"""What stands in one of a site's photographs stands in all: things carried from shot to shot, and into its frame.

Models go over as they are. What is drawn on a photograph goes over as what it means there: a proxy as its sides, a lamp
as its place. A photograph in which a thing is drawn keeps its own drawing, and takes over everything but the shape.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from lithopos.core.camera.answer import pinhole_of
from lithopos.core.camera.pinhole import Pinhole, view_angles
from lithopos.core.derive import Derived, standing_heights
from lithopos.core.shot import Shot
from lithopos.core.shot.contact import MOST_CORNERS, MOST_SIDES, TOPPED
from lithopos.core.shot.option import difference, optioned
from lithopos.core.site.turning import about_plumb

SHARED = ("models", "proxies", "lamps")
# Of a proxy and a lamp, what is drawn on a photograph or follows from it: that stays each photograph's own.
SHAPE = (
    "kind",
    "points",
    "heights_m",
    "reach_m",
    "top",
    "height_m",
    "depth_m",
    "width_m",
    "foot",
    "sides",
    "past_m",
    "count",
    "level",
    "shadow",
)
READ = ("seen", "clipped")
PLACE = ("at", "foot", "position_m")
SAME = 1e-6  # [m]

Document = dict[str, Any]

__all__ = ["SHARED", "Move", "carried", "move_between", "moved"]


@dataclass(frozen=True)
class Move:
    """From a photograph's own frame into its site's, or back: what it shows stays where it shows it."""

    before: Pinhole
    after: Pinhole

    @property
    def turn(self) -> float:
        """How far headings turn, anticlockwise [rad]."""
        return view_angles(self.after.rotation)[2] - view_angles(self.before.rotation)[2]

    def point(self, at: Any) -> list[float]:
        """A point [m]: its foot by where it is seen, where it is, and else by the two cameras' places."""
        x, y, z = (float(value) for value in at)
        foot = np.array([x, y, 0.0])
        seen = self.before.project(foot)
        there = self.after.ground_points(seen)[0] if np.isfinite(seen).all() else np.full(3, np.nan)
        if not np.isfinite(there).all():
            size = self.after.position[2] / self.before.position[2]
            there = self.after.position + about_plumb(self.turn) @ (size * (foot - self.before.position))
        return [float(there[0]), float(there[1]), z]

    def degrees(self, angle: float) -> float:
        """An angle from the x axis, anticlockwise."""
        return float(angle + np.degrees(self.turn))


def move_between(before: Derived, after: Derived) -> Move | None:
    """From one solved camera of a photograph to another; None if one of them is missing."""
    if before.camera is None or after.camera is None or not before.metric:
        return None
    return Move(pinhole_of(before.camera), pinhole_of(after.camera))


def moved(document: Document, move: Move) -> Document:
    """A shot's document with all that stands in its frame moved, in its options too."""
    base = _moved(document, move)
    options = []
    for option in document.get("options") or []:
        own = _moved(optioned(document, option["difference"]), move)
        options.append({**option, "difference": difference(base, own)})
    return {**base, "options": options}


def _moved(document: Document, move: Move) -> Document:
    result = dict(document)
    result["models"] = [_model_moved(model, move) for model in document.get("models") or []]
    result["lamps"] = [
        {**lamp, "azimuth_deg": move.degrees(lamp["azimuth_deg"]) % 360}
        | ({"position_m": move.point(lamp["position_m"])} if lamp.get("position_m") else {})
        for lamp in document.get("lamps") or []
    ]
    result["proxies"] = [
        {**proxy, "sides": [[move.point(corner) for corner in side] for side in proxy.get("sides") or []]}
        for proxy in document.get("proxies") or []
    ]
    result["viewpoints"] = [
        {**view, "eye_m": move.point(view["eye_m"]), "aim_m": move.point(view["aim_m"])}
        for view in document.get("viewpoints") or []
    ]
    result["keys"] = [_key_moved(key, move) for key in document.get("keys") or []]
    if sun := document.get("sun"):
        result["sun"] = {**sun, "azimuth_deg": move.degrees(sun["azimuth_deg"]) % 360}
    if (almanac := document.get("almanac")) and almanac.get("bearing_deg") is not None:
        result["almanac"] = {**almanac, "bearing_deg": move.degrees(almanac["bearing_deg"]) % 360}
    if panorama := document.get("panorama"):
        result["panorama"] = {**panorama, "turn_deg": move.degrees(panorama["turn_deg"])}
    return result


def _model_moved(model: Document, move: Move) -> Document:
    if model.get("on") is not None:
        return model  # goes along with what carries it
    told = {**model, "position_m": move.point(model["position_m"]), "turn_deg": move.degrees(model["turn_deg"])}
    if row := model.get("row"):
        told["row"] = {**row, "direction_deg": move.degrees(row["direction_deg"])}
    return told


def _key_moved(key: Document, move: Move) -> Document:
    if key["path"].endswith("/position_m"):
        return {**key, "value": move.point(key["value"])}
    if key["path"].endswith(("/turn_deg", "/azimuth_deg")):
        return {**key, "value": move.degrees(key["value"])}
    return key


def carried(before: Document | None, after: Shot, facts: Derived, other: Document) -> Document:
    """Another photograph's document with what was changed in one of them.

    Parameters
    ----------
    before : the changed shot's document before; None: everything that stands in it is carried over.
    after, facts : the shot after the change, and what follows from it, in the site's frame.
    other : the other shot's document.
    """
    now = after.model_dump(mode="json", by_alias=True)
    result = dict(other)
    for name in SHARED:
        old = {thing["id"]: thing for thing in (before or {}).get(name) or []}
        here = {thing["id"]: thing for thing in now[name]}
        theirs = {thing["id"]: thing for thing in other.get(name) or []}
        for gone in old.keys() - here.keys():
            theirs.pop(gone, None)
        for key, thing in here.items():
            told = _for_another(name, thing, facts, theirs.get(key), old.get(key) != thing)
            if told is not None:
                theirs[key] = told
        result[name] = list(theirs.values())
    result["levels"] = _levels(result, other, before, after, facts)
    return result


def _for_another(name: str, thing: Document, facts: Derived, theirs: Document | None, touched: bool) -> Document | None:
    """A thing as another photograph's document has it; None where it is not to be changed there."""
    if name == "models":
        return thing if touched else None
    if name == "lamps":
        return _lamp(thing, facts, theirs, touched)
    return _proxy(thing, facts, theirs, touched)


def _lamp(lamp: Document, facts: Derived, theirs: Document | None, touched: bool) -> Document | None:
    at = lamp.get("position_m") or next((one.position_m for one in facts.lamps if one.id == lamp["id"]), None)
    if at is None:
        return None
    if theirs is not None and theirs.get("at") and lamp.get("at"):
        return {**lamp, **{name: theirs.get(name) for name in PLACE}} if touched else None
    at = [float(value) for value in at]
    if theirs is not None and not touched and _near(theirs.get("position_m"), at):
        return None
    if theirs is not None and theirs.get("at") and not touched:
        return None  # drawn over there, put here: whoever moves it says where it is
    return {**lamp, "position_m": at, "at": None, "foot": None}


def _proxy(proxy: Document, facts: Derived, theirs: Document | None, touched: bool) -> Document | None:
    if theirs is not None and theirs["kind"] != "mesh":
        return {**proxy, **{name: theirs[name] for name in (*SHAPE, *READ)}} if touched else None
    if proxy["kind"] == "mesh":
        return proxy if touched else None
    sides = next((one.faces for one in facts.proxies if one.id == proxy["id"]), [])
    usable = sides and len(sides) <= MOST_SIDES and all(3 <= len(side) <= MOST_CORNERS for side in sides)
    if proxy["kind"] == "shade" or not usable:
        return None
    told = [[[float(value) for value in corner] for corner in side] for side in sides]
    if theirs is not None and not touched and _near(theirs["sides"], told):
        return None
    bare = {"points": [], "shadow": [], "past_m": [0.0, 0.0], "count": 3, "heights_m": []}
    bare |= dict.fromkeys(("top", "height_m", "depth_m", "width_m", "foot", "reach_m", "level"))
    return {**proxy, **bare, "kind": "mesh", "sides": told}


def _near(mine: Any, theirs: Any) -> bool:
    try:
        a, b = np.asarray(_flat(mine)), np.asarray(_flat(theirs))
    except TypeError:
        return False
    return a.shape == b.shape and bool(np.abs(a - b).max(initial=0.0) < SAME)


def _flat(nested: Any) -> list[float]:
    return [value for one in nested for value in (_flat(one) if isinstance(one, list | tuple) else [one])]


def _levels(result: Document, other: Document, before: Document | None, after: Shot, facts: Derived) -> list[Document]:
    """The other shot's levels, with those on which things stand that have come over.

    How high such a one is, is told by the photograph in which it is drawn, and by whoever types it.
    """
    heights = standing_heights(facts)
    drawn = {level.id for level in after.levels if level.foot is not None}
    drawn |= {proxy.id for proxy in after.proxies if proxy.kind in TOPPED}
    old = {level["id"]: level["height_m"] for level in (before or {}).get("levels") or []}
    typed = {level.id for level in after.levels if level.id in old and old[level.id] != level.height_m}
    levels = []
    for level in other.get("levels") or []:
        height = heights.get(level["id"]) if level["foot"] is None and level["id"] in drawn | typed else None
        same = height is None or (level["height_m"] is not None and abs(level["height_m"] - height) < SAME)
        levels.append(level if same else {**level, "height_m": height})
    known = {level["id"] for level in levels}
    known |= {proxy["id"] for proxy in result["proxies"] if proxy["kind"] in TOPPED}
    for model in result["models"]:
        name = model.get("level")
        if name is not None and name not in known and heights.get(name) is not None:
            levels.append({"id": name, "name": "", "height_m": heights[name], "foot": None, "at": None})
            known.add(name)
    return levels
