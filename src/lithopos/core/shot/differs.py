"""What an option has otherwise than its shot, in words."""

from __future__ import annotations

import math
from typing import Any

from pydantic import BaseModel

from lithopos.core.shot.option import Difference, optioned, split

THINGS = {"models": "", "panes": "pane ", "lamps": "lamp ", "windows": "window ", "set_aside": "set aside: "}
PARTS = {
    "sun": "another sun",
    "almanac": "another date or hour",
    "panorama": "another panorama",
    "sky": "sky",
    "exposure": "exposure",
    "ground": "ground",
    "contact": "contact",
    "blend": "blend",
}
LIT_BY = {"day": "lit by sun and sky", "panorama": "lit by the panorama", "room": "lit by the room’s lamps"}

__all__ = ["Differing", "told_differences"]

Colour = tuple[float, float, float]


class Differing(BaseModel):
    """One difference.

    Attributes
    ----------
    path : by which it is given back to the shot.
    colour : of a surface, linear.
    """

    path: str
    says: str
    colour: Colour | None = None


def told_differences(document: dict[str, Any], differs: Difference) -> list[Differing]:
    """All differences of an option from its shot's document; what is about things that are gone is not told."""
    own = optioned(document, differs)
    found = []
    for path, value in differs.items():
        name, *rest = split(path)
        if name in THINGS and rest:
            says = _thing(THINGS[name], _named(document, name, rest[0]), _named(own, name, rest[0]), rest, value)
        elif name == "lit_by":
            says = LIT_BY.get(str(value), "lit otherwise")
        elif name == "sun" and isinstance(value, dict):
            says = _sun(value)
        elif name == "almanac" and isinstance(value, dict):
            says = f"{value.get('date')} at {str(value.get('time'))[:5]}"
        else:
            says = " · ".join([PARTS[name], *(_words(key) for key in rest)])
        if says:
            found.append(Differing(path=path, says=says, colour=_colour(value)))
    return found


def _named(document: dict[str, Any], name: str, thing_id: str) -> dict[str, Any] | None:
    return next((one for one in document.get(name) or [] if one["id"] == thing_id), None)


def _thing(
    kind: str, before: dict[str, Any] | None, now: dict[str, Any] | None, path: list[str], value: Any
) -> str | None:
    """A difference of a thing in words; None where the thing is gone."""
    known = now or before
    if known is None:
        return None
    called = f"{kind}{known.get('name') or known['id']}"
    if len(path) == 1:
        return f"with {called}" if value is not None else f"without {called}"
    if before is None:
        return None
    field = path[1]
    if field == "position_m":
        return f"{called} moved {math.dist(before[field], value):.2f} m"
    if field == "turn_deg":
        return f"{called} turned by {(value - before[field] + 180) % 360 - 180:.0f}°"
    if field == "size":
        return f"{called} at {value / before[field]:.0%} of its size"
    if field == "hidden":
        return f"without {called}" if value else f"with {called}"
    if field == "surfaces":
        return f"{called} · {path[2]}: {value['kind'] if value else 'as it came'}"
    if field == "prints":
        return f"{called} · {'another' if value else 'no'} print"
    return f"{called} · {_words(field)}"


def _sun(sun: dict[str, Any]) -> str:
    if sun.get("kind") == "hand":
        return f"sun at {sun['elevation_deg']:.0f}° from {sun['azimuth_deg'] % 360:.0f}°"
    return "sun by date and hour" if sun.get("kind") == "almanac" else "sun as the shadows tell"


def _words(field: str) -> str:
    words = field.split("_")
    return " ".join(words[:-1] if words[-1] in ("m", "mm", "deg", "px", "stops", "k") else words)


def _colour(value: Any) -> Colour | None:
    colour = value.get("colour") if isinstance(value, dict) else None
    return (colour[0], colour[1], colour[2]) if isinstance(colour, list) and len(colour) == 3 else None
