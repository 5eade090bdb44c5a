"""What of a shot changes while its take runs: the still shots of which each frame is mixed.

Light is linear: a lamp that is turned up, a thing that fades and a change of exposure are mixed of two still shots
each, which many frames share. Whatever else a key sets, or a film shows, makes a still shot of its own.
"""

from __future__ import annotations

import hashlib
import itertools
import math
from bisect import bisect_right
from dataclasses import dataclass
from typing import Any

from pydantic import JsonValue

from lithopos.core.shot import Key, Playing, Shot, load_shot
from lithopos.core.shot.option import optioned

MOST_MIXED = 16  # still shots of one frame
PLACES = 6  # decimals to which a value counts
ABOUT_TAKE = ("take", "plate_strokes", "front_strokes", "passings", "keys", "options")

Films = dict[str, list[float]]

__all__ = ["Films", "Mixed", "state_key", "states_at", "value_at"]


@dataclass(frozen=True)
class Mixed:
    """A still shot that is a part of a frame, and which share of it."""

    share: float
    shot: Shot


def states_at(shot: Shot, frame: int, films: Films | None = None) -> list[Mixed]:
    """The still shots of a frame with their shares, which are 1 together; the frame itself is the take's.

    Keys of things that are gone set nothing.

    Parameters
    ----------
    films : when the frames of each film that is shown begin, by its file's name [s], and when the last one ends.
    """
    document = shot.model_dump(mode="json", by_alias=True)
    for name in ABOUT_TAKE:
        document[name] = None if name == "take" else []
    tracks = _tracks(shot)
    plain = {path: value_at(keys, frame) for path, keys in tracks.items() if not _mixes(shot, path)}
    document = optioned(document, plain)
    if shot.take:
        _run_films(document, frame / shot.take.rate_hz, films or {})
    factors = [
        factor
        for path, keys in tracks.items()
        if _mixes(shot, path) and (factor := _factor(document, path, keys, frame)) is not None
    ]
    found: dict[str, Mixed] = {}
    for chosen in itertools.islice(itertools.product(*factors), MOST_MIXED):
        share = math.prod(one[0] for one in chosen)
        if share <= 1e-6:
            continue
        made = load_shot(optioned(document, {path: value for _, path, value in chosen}))
        key = state_key(made)
        found[key] = Mixed(share + (found[key].share if key in found else 0.0), made)
    return list(found.values())


def state_key(shot: Shot) -> str:
    """By what a still shot's pixels are decided."""
    from lithopos.core.render.render import AFTERWARDS

    # Grain and the tones of the place and the whole are given to finished frames; overshoot is not.
    without: dict[str, Any] = dict.fromkeys(AFTERWARDS, True) | {"blend": {"place", "whole", "grain", "halos"}}
    told = shot.model_dump_json(exclude=without)
    return hashlib.sha256(told.encode()).hexdigest()[:24]


def _tracks(shot: Shot) -> dict[str, list[Key]]:
    """The keys of each thing that is set, in the order of their frames; such as set something that is gone left out."""
    there = {("models", one.id) for one in shot.models} | {("lamps", one.id) for one in shot.lamps}
    found: dict[str, list[Key]] = {}
    for key in sorted(shot.keys, key=lambda one: one.frame):
        parts = key.path.split("/")
        if len(parts) == 2 or (parts[0], parts[1]) in there:
            found.setdefault(key.path, []).append(key)
    return found


def value_at(keys: list[Key], frame: float) -> JsonValue:
    """What keys of one thing set at a frame."""
    after = bisect_right([key.frame for key in keys], frame)
    if after == 0 or after == len(keys):
        return keys[min(after, len(keys) - 1)].value
    left, right = keys[after - 1], keys[after]
    along = _eased((frame - left.frame) / (right.frame - left.frame), left.easing)
    if isinstance(left.value, list) and isinstance(right.value, list):
        return [_between(a, b, along) for a, b in zip(left.value, right.value, strict=True)]
    return _between(left.value, right.value, along)


def _eased(along: float, easing: str) -> float:
    if easing == "hold":
        return 0.0
    return along * along * (3 - 2 * along) if easing == "soft" else along


def _between(a: Any, b: Any, along: float) -> float:
    return round(float(a) + along * (float(b) - float(a)), PLACES)


def _mixes(shot: Shot, path: str) -> bool:
    """Whether a picture at one value is a mixture of pictures at two others."""
    parts = path.split("/")
    if parts[-1] == "fade" or path == "exposure/stops":
        return True
    # A lamp that is in the photograph lights the empty place as well: what it adds is a ratio, which does not mix.
    return parts[0] == "lamps" and any(one.id == parts[1] and not one.photographed for one in shot.lamps)


def _factor(document: dict[str, Any], path: str, keys: list[Key], frame: int) -> list[tuple[float, str, Any]] | None:
    """The two values of which a frame is mixed: (share, path, value) each."""
    now = value_at(keys, frame)
    assert isinstance(now, int | float)
    if path.endswith("/fade"):
        name = path.rsplit("/", 1)[0]
        thing = next(one for one in document["models"] if one["id"] == name.split("/")[1])
        return [(float(now), f"{name}/hidden", thing["hidden"]), (1 - float(now), f"{name}/hidden", True)]
    values = [float(key.value) for key in keys if isinstance(key.value, int | float)]
    low, high = min(values), max(values)
    if high - low < 10**-PLACES:
        return [(1.0, path, low)]
    along = (_strength(path, float(now)) - _strength(path, low)) / (_strength(path, high) - _strength(path, low))
    return [(1 - along, path, low), (along, path, high)]


def _strength(path: str, value: float) -> float:
    """How much light a value means: stops double it."""
    return float(2.0**value) if path == "exposure/stops" else value


def _run_films(document: dict[str, Any], time_s: float, films: Films) -> None:
    """Set the time of every film that plays along."""
    prints = [one for model in document["models"] for one in model["prints"].values()]
    for shown in (*document["panes"], *prints):
        if shown.get("plays") and shown["file"] in films:
            playing = Playing.model_validate(shown["plays"])
            shown["time_s"] = _on_show(playing, time_s, films[shown["file"]])


def _on_show(playing: Playing, time_s: float, times: list[float]) -> float:
    """When the film's frame begins that is on show at a time of the take; so frames share what they show."""
    at = playing.offset_s + playing.speed * time_s
    at = at % times[-1] if playing.loop else min(max(at, 0.0), times[-1])
    return times[max(0, bisect_right(times[:-1], at + 1e-6) - 1)]
