"""A site's photographs brought into line: cameras solved together, one sun, and what stands in one in all of them."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Any

import numpy as np

from lithopos.core.derive import Derived, derive
from lithopos.core.errors import NoAnswer
from lithopos.core.light.sun import SunAnswer, sun_direction
from lithopos.core.shot import AtSite, OtherPhotograph, Shot, SiteSun, load_shot
from lithopos.core.site.answer import MemberAnswer, SiteAnswer, told_site
from lithopos.core.site.document import Site
from lithopos.core.site.share import carried, move_between, moved
from lithopos.core.site.solve import SiteSolution, solve_site
from lithopos.core.site.views import view_of

Document = dict[str, Any]

__all__ = ["answered", "in_site", "settled"]


def answered(site: Site, shots: Mapping[str, Shot]) -> tuple[SiteAnswer, SiteSolution | None]:
    """A site's answer and solution, kept as long as nothing changes that it hangs on."""
    told = tuple((name, _bare(shots[name])) for name in (member.id for member in site.members) if name in shots)
    return _answered(site.model_dump_json(by_alias=True), told)


def _bare(shot: Shot) -> str:
    """What of a shot its camera hangs on."""
    names = {"photograph", "edges", "lengths", "levels", "origin", "camera"}
    return shot.model_dump_json(by_alias=True, include=names)


@lru_cache(32)
def _answered(site: str, shots: tuple[tuple[str, str], ...]) -> tuple[SiteAnswer, SiteSolution | None]:
    document = Site.model_validate_json(site)
    known = {name: Shot.model_validate_json(told) for name, told in shots}
    found = solve_site(document, known)
    if not isinstance(found, NoAnswer):
        return told_site(found), found
    # What each photograph lacks by itself is told still.
    alone = {name: view_of(name, shot) for name, shot in known.items()}
    lacks = {name: view.reason for name, view in alone.items() if isinstance(view, NoAnswer)}
    members = [MemberAnswer(id=member.id, reason=lacks.get(member.id)) for member in document.members]
    return SiteAnswer(reason=found.reason, members=members), None


def in_site(site: Site, shots: Mapping[str, Shot]) -> dict[str, Shot]:
    """The members' shots as the site makes them: their cameras by it, their sun, and what stands in all of them."""
    documents = {name: shot.model_dump(mode="json", by_alias=True) for name, shot in shots.items()}
    return {name: load_shot(document) for name, document in (documents | settled(site, documents)).items()}


def settled(
    site: Site, documents: Mapping[str, Document], source: str | None = None, before: Document | None = None
) -> dict[str, Document]:
    """The documents of those shots that a change of the site, or of one of its shots, changes.

    Parameters
    ----------
    documents : of all shots of the project that belong to the site, or have belonged to it.
    source, before : the shot that was changed, and its document before.
    """
    shots = {name: load_shot(document) for name, document in documents.items()}
    answer, _ = answered(site, shots)
    told = {member.id: member for member in answer.members if member.camera is not None}
    now = dict(documents)
    tied_before = {name for name, shot in shots.items() if shot.site is not None}
    for name, shot in shots.items():
        at_site = _at_site(told[name], _others(site, name, told, shots)) if name in told else None
        if shot.site is not None and at_site is not None and shot.site.sun is not None and site.one_sun:
            at_site = at_site.model_copy(update={"sun": shot.site.sun})
        if at_site != shot.site:
            now[name] = _in_frame(shot, documents[name], at_site)
    if told:
        now = _with_one_sun(site, now, list(told))
        facts = {name: derive(load_shot(now[name])) for name in told}
        if site.one_sun:
            # By the documents as they were handed in: a frame that moves turns every azimuth.
            is_new = source in tied_before and before is not None and _told_sun(documents[source]) != _told_sun(before)
            now = _with_told_sun(now, facts, tied_before, source if is_new else None)
        now = _shared(now, facts, list(told), tied_before, source, before)
    return {name: document for name, document in now.items() if document != documents[name]}


def _others(
    site: Site, name: str, told: Mapping[str, MemberAnswer], shots: Mapping[str, Shot]
) -> list[OtherPhotograph]:
    """The other tied photographs, which fill in what this one does not show."""
    if not site.fills_in:
        return []
    return [
        OtherPhotograph(file=photograph.file, camera=member.camera)
        for other, member in told.items()
        if other != name and member.camera is not None and (photograph := shots[other].photograph) is not None
    ]


def _at_site(member: MemberAnswer, others: list[OtherPhotograph]) -> AtSite:
    assert member.camera is not None
    return AtSite(camera=member.camera, runs_deg=member.runs_deg, sigma=member.sigma, others=others)


def _in_frame(shot: Shot, document: Document, at_site: AtSite | None) -> Document:
    """A shot's document with its camera by the site, or by itself; what stands there comes along into another frame."""
    result = {**document, "site": at_site.model_dump(mode="json", by_alias=True) if at_site else None}
    if (shot.site is None) == (at_site is None):
        return result
    move = move_between(derive(shot), derive(shot.model_copy(update={"site": at_site})))
    return {**moved(result, move), "site": result["site"]} if move else result


def _with_one_sun(site: Site, documents: dict[str, Document], tied: list[str]) -> dict[str, Document]:
    """Documents with the sun by the shadows of all tied photographs, or with none."""
    sun = _fused([_own_sun(documents[name]) for name in tied]) if site.one_sun else None
    told = sun.model_dump(mode="json") if sun else None
    return {
        name: {**document, "site": {**document["site"], "sun": told}} if name in tied else document
        for name, document in documents.items()
    }


def _with_told_sun(
    documents: dict[str, Document], facts: dict[str, Derived], tied_before: set[str], changed: str | None
) -> dict[str, Document]:
    """Documents with one sun by hand or by date and place, where that is how it is told in one of them.

    Parameters
    ----------
    tied_before : the first of these that was told goes before what a photograph brings along that joins them.
    changed : the photograph in which it was told just now, for all; else those that measure it keep what they measure.
    """
    told = [name for name in facts if documents[name]["sun"]["kind"] != "gnomons" and facts[name].sun_shown]
    giver = changed if changed in facts else next(iter(sorted(told, key=lambda name: name not in tied_before)), None)
    if giver is None:
        return documents
    kind, azimuth, elevation, almanac = _told_sun(documents[giver])
    sun = {"kind": kind, "azimuth_deg": azimuth, "elevation_deg": elevation}
    takers = [name for name in facts if giver == changed or name in told or facts[name].sun_shown is None]
    return documents | {
        name: {**documents[name], "sun": {**documents[name]["sun"], **sun}, "almanac": almanac} for name in takers
    }


def _told_sun(document: Document) -> tuple[Any, Any, Any, Any]:
    sun = document["sun"]
    return sun["kind"], sun["azimuth_deg"], sun["elevation_deg"], document["almanac"]


def _own_sun(document: Document) -> SunAnswer | None:
    """The sun by a photograph's own shadows."""
    shot = load_shot({**document, "site": {**document["site"], "sun": None}})
    return derive(shot).sun


def _fused(suns: list[SunAnswer | None]) -> SiteSun | None:
    """Directions weighed by their precision, in azimuth (on the level) and elevation."""
    known = [sun for sun in suns if sun is not None]
    if not known:
        return None
    across = np.array([sun.sigma_deg.get("azimuth", 1.0) for sun in known])
    up = np.array([sun.sigma_deg.get("elevation", 1.0) for sun in known])
    ways = np.array([sun_direction(np.radians(sun.azimuth_deg), 0.0) for sun in known])
    level = (ways / across[:, None] ** 2).sum(0)
    elevation = (np.array([sun.elevation_deg for sun in known]) / up**2).sum() / (1 / up**2).sum()
    return SiteSun(
        azimuth_deg=float(np.degrees(np.arctan2(level[1], level[0])) % 360),
        elevation_deg=float(elevation),
        sigma_deg={"azimuth": float((1 / across**2).sum() ** -0.5), "elevation": float((1 / up**2).sum() ** -0.5)},
    )


def _shared(
    documents: dict[str, Document],
    facts: dict[str, Derived],
    tied: list[str],
    tied_before: set[str],
    source: str | None,
    before: Document | None,
) -> dict[str, Document]:
    """Documents with what was changed in one carried to the others, and all of what came with new photographs."""
    now = dict(documents)
    new = [name for name in tied if name not in tied_before]
    old = [name for name in tied if name in tied_before]

    def carry(from_: str, to: str, since: Document | None) -> None:
        now[to] = carried(since, load_shot(now[from_]), facts[from_], now[to])

    if source in old:
        for other in tied:
            if other != source and other in old:
                carry(source, other, before)
    for number, name in enumerate(new):
        for other in [*old, *new[:number]]:
            carry(other, name, None)
        for other in [*old, *new[:number]]:
            carry(name, other, None)
    for name in old:  # what is drawn in a photograph lies elsewhere as its camera moves
        for other in old:
            if name != other:
                carry(name, other, now[name])
    return now
