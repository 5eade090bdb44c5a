"""What the photograph says of a mark, read when it is made or moved and kept beside what was drawn."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

from lithopos.core.camera.problem import Pixel
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.colour import decode_srgb
from lithopos.core.composite.mattes import cut_out
from lithopos.core.derive import daylight_of, derive
from lithopos.core.exchange.panorama import Panorama
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.dome import dome_of
from lithopos.core.light.photometry import Photometry
from lithopos.core.marks.penumbra import soft_edge
from lithopos.core.marks.point import sharp_end
from lithopos.core.marks.sharp import Codes, sharpened
from lithopos.core.place.about import sides_seen
from lithopos.core.place.balance import read_patch
from lithopos.core.place.near_seen import read_window
from lithopos.core.place.sky_seen import sky_spots
from lithopos.core.shot import (
    Edge,
    LightPatch,
    LitWindow,
    MarkedGnomon,
    MarkedPenumbra,
    MarkedShadowEdge,
    Matte,
    Proxy,
    Shot,
    load_shot,
)
from lithopos.core.shot.change import changed

READ = (
    "edges",
    "gnomons",
    "shadow_edges",
    "penumbras",
    "patches",
    "windows",
    "proxies",
    "mattes",
)  # the lists whose things are read

Mark = Edge | MarkedGnomon | MarkedShadowEdge | MarkedPenumbra | LightPatch | LitWindow | Matte

# Of each kind, what was drawn: if that holds still, what was read of it does too.
_DRAWN: dict[type, tuple[str, ...]] = {
    Edge: ("points",),
    MarkedGnomon: ("foot", "top", "tip"),
    MarkedShadowEdge: ("edge", "shadow"),
    MarkedPenumbra: ("across",),
    LightPatch: ("at", "radius_px"),
    LitWindow: ("corners",),
    Matte: ("kind", "strokes"),
}

__all__ = ["READ", "Sources", "with_readings"]


@dataclass(frozen=True)
class Sources:
    """What gives a photograph, a panorama or a lamp's photometry by its file's name."""

    photograph: Callable[[str], Picture]
    panorama: Callable[[str], Panorama] | None = None
    photometry: Callable[[str], Photometry] | None = None


def with_readings(document: dict[str, Any], patch: dict[str, Any], sources: Sources) -> dict[str, Any]:
    """A change with what the photograph says of the marks that it makes or moves, and what files of light give.

    Parameters
    ----------
    document, patch : as `shot.change` has them.

    Raises
    ------
    InputError
        If the changed document is not valid, or a mark lies outside the photograph.
    """
    told = {name: patch[name] for name in READ if isinstance(patch.get(name), dict | list)}
    around = patch.get("panorama")
    # What an earlier version read of a panorama has nothing of its ground.
    chosen = around if isinstance(around, dict) and ("file" in around or around.get("here")) else None
    lamps = patch["lamps"] if isinstance(patch.get("lamps"), dict) else {}
    measured = {name for name, lamp in lamps.items() if isinstance(lamp, dict) and lamp.get("file")}
    if not told and not chosen and not measured:
        return patch
    shot = load_shot(changed(document, patch))
    result = dict(patch)
    if chosen and sources.panorama and shot.panorama:
        result["panorama"] = {**chosen, "dome": dome_of(sources.panorama(shot.panorama.file).radiance).model_dump()}
    if measured and sources.photometry:
        files = {lamp.id: lamp.file for lamp in shot.lamps if lamp.file}
        read_of = {name: sources.photometry(files[name]).model_dump() for name in measured & files.keys()}
        result["lamps"] = {**lamps, **{name: {**lamps[name], "photometry": told} for name, told in read_of.items()}}
    if shot.photograph is None:
        return result
    read = partial(sources.photograph, shot.photograph.file)
    if shot.photograph.sky is None:
        spots = [spot.model_dump(mode="json") for spot in sky_spots(read())]
        result["photograph"] = {**(patch.get("photograph") or {}), "sky": spots}
    for name, things in told.items():
        if name == "proxies":
            result[name] = _with_sides(shot, document, things, read)
            continue
        before = {one["id"]: one for one in document.get(name, [])}
        by_id = {one["id"]: one for one in things} if isinstance(things, list) else dict(things)
        for one in getattr(shot, name):
            if by_id.get(one.id) is not None:
                by_id[one.id] = {**by_id[one.id], **_read_mark(one, before.get(one.id), read)}
        result[name] = list(by_id.values()) if isinstance(things, list) else by_id
    return result


def _with_sides(
    shot: Shot, document: dict[str, Any], things: dict[str, Any] | list[dict[str, Any]], read: Callable[[], Picture]
) -> dict[str, Any] | list[dict[str, Any]]:
    """Drawn proxies with what the photograph shows of their sides, where those moved."""
    facts, before = derive(shot), {one["id"]: one for one in document.get("proxies", [])}
    by_id = {one["id"]: one for one in things} if isinstance(things, list) else dict(things)
    moved = [
        one.id
        for one in shot.proxies
        if by_id.get(one.id) is not None
        and not one.is_ground
        and not (one.seen and _holds_still(one, before.get(one.id)))
    ]
    if facts.camera is None or not moved:
        return things
    falloff = daylight_of(shot, facts).falloff
    seen = sides_seen(facts.proxies, decode_srgb(read().encoded), pinhole_of(facts.camera), falloff)
    for identity in moved:
        sides = seen[identity]
        by_id[identity] = {**by_id[identity], "seen": sides.colours, "clipped": sides.clipped}
    return list(by_id.values()) if isinstance(things, list) else by_id


def _holds_still(proxy: Proxy, before: dict[str, Any] | None) -> bool:
    """Whether what a proxy's sides follow from is as it was."""
    said = {"name", "receives", "hides", "material", "coat", "roughness", "hidden", "shadow", "seen", "clipped"}
    return before is not None and all(
        _listed(before.get(name)) == _listed(value) for name, value in proxy.model_dump(exclude=said).items()
    )


def _read_mark(mark: Mark, before: dict[str, Any] | None, photograph: Callable[[], Picture]) -> dict[str, Any]:
    """The fields of a mark that the photograph tells; none if they hold still.

    Parameters
    ----------
    before : the mark as it was; None for a new one.
    photograph : gives the photograph, where it is needed.
    """
    names = _DRAWN[type(mark)]
    moved = before is None or _drawn(before, *names) != _drawn(mark.model_dump(), *names)
    if isinstance(mark, LightPatch | LitWindow):
        if mark.seen is not None and not moved:
            return {}
        if isinstance(mark, LightPatch):
            return {"seen": read_patch(photograph(), mark.at, mark.radius_px).model_dump()}
        return {"seen": read_window(photograph(), mark.corners).model_dump()}
    if not moved:
        return {}
    if isinstance(mark, Matte):
        return {"found": cut_out(mark, photograph().codes) if mark.kind == "smart" else []}
    if isinstance(mark, MarkedPenumbra):
        soft = soft_edge(photograph().codes, mark.across[0], mark.across[1])
        return {"soft": soft.model_dump() if soft else None}
    if isinstance(mark, MarkedShadowEdge):
        lines = {name: sharpened(photograph().codes, *ends, "edge") for name, ends in _lines_of(mark)}
        return {name: line.model_dump() if line else None for name, line in lines.items()}
    if isinstance(mark, Edge):
        # An edge of several points was drawn along something bent: it stays as it is.
        ends = (mark.points[0], mark.points[-1]) if len(mark.points) == 2 else None
        line = sharpened(photograph().codes, *ends, "edge") if ends else None
        return {"sharp": line.model_dump() if line else None}
    return _read_gnomon(mark, photograph().codes)


def _read_gnomon(mark: MarkedGnomon, picture: Codes) -> dict[str, Any]:
    """Its shadow's line, and where the thing ends above."""
    if mark.foot is None:
        return {"shadow": None, "sharp_top": None}
    shadow = sharpened(picture, mark.foot, mark.tip, "stripe")
    stem = sharpened(picture, mark.foot, mark.top, "stripe") or sharpened(picture, mark.foot, mark.top, "pale stripe")
    found = {
        "shadow": shadow,
        "sharp_top": sharp_end(picture, stem, mark.top) if stem else None,
    }
    return {name: one.model_dump() if one else None for name, one in found.items()}


def _lines_of(mark: MarkedShadowEdge) -> list[tuple[str, tuple[Pixel, Pixel]]]:
    return [("sharp_edge", (mark.edge[0], mark.edge[1])), ("sharp_shadow", (mark.shadow[0], mark.shadow[1]))]


def _drawn(mark: dict[str, Any], *names: str) -> list[Any]:
    """What was drawn, lists and tuples alike."""
    return [_listed(mark.get(name)) for name in names]


def _listed(value: Any) -> Any:
    if isinstance(value, dict):
        return {name: _listed(one) for name, one in value.items()}
    return [_listed(one) for one in value] if isinstance(value, (list, tuple)) else value
