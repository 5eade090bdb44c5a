"""The balance of light from patches of gleaming ground, which show what it mirrors, too."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import luminance
from lithopos.core.light.patches import PatchSeen
from lithopos.core.place.balance import GROUND, BalanceAnswer, PatchAnswer, balance_of, place_of
from lithopos.core.place.daylight import Daylight
from lithopos.core.place.falloff import light_at
from lithopos.core.place.mirrored import mirrored_at, without_mirrored
from lithopos.core.place.near_seen import near_photographed
from lithopos.core.place.round_about import RoundAbout
from lithopos.core.shot import LightPatch

ON_GROUND_M = 0.01  # how far over the plane what is drawn may lie and be the ground
ROUNDS = 2  # what is mirrored hangs on how strong the lights are, and the other way round
MOST_MIRRORED = 0.5  # of what a patch shows: what is left tells nothing
MIRRORS = "it shows more of what the ground mirrors than of the ground: mark a duller spot"

__all__ = ["balance_beside_gleam"]


def balance_beside_gleam(
    patches: Sequence[LightPatch], camera: Pinhole, day: Daylight, gleam: tuple[float, float] | None
) -> BalanceAnswer:
    """As `balance_of`, without what the ground's patches show of what it mirrors.

    Parameters
    ----------
    gleam : how strongly the ground mirrors and how rough it is; None: it hardly gleams.
    """
    told = balance_of(patches, camera, day)
    if gleam is None or day.dome is not None:
        return told
    places = {patch.id: at for patch in patches if (at := _on_ground(patch, camera, day)) is not None}
    if not places:
        return told
    at = np.array(list(places.values()))
    ways = (at - camera.position) / np.linalg.norm(at - camera.position, axis=1, keepdims=True)
    pixels = np.array([patch.at for patch in patches if patch.id in places], float)
    left = light_at(pixels, camera, day.falloff)[:, None]  # patches hold what the lens loses, too
    solids, shown = (day.about.solids, day.about.radiance) if day.about else (None, None)
    for _ in range(ROUNDS):
        about = RoundAbout(day, told, near_photographed(day, told, {}), solids, shown)
        besides = dict(zip(places, left * mirrored_at(at, ways, *gleam, about), strict=True))
        duller = [_without(patch, besides.get(patch.id)) for patch in patches]
        kept = [patch for patch in duller if patch is not None]
        if not kept:
            return told
        told = balance_of(kept, camera, day)
    answers = {answer.id: answer for answer in told.patches}
    every = [answers.get(one.id) or PatchAnswer(id=one.id, in_sun=False, reason=MIRRORS) for one in patches]
    return told.model_copy(update={"patches": every})


def _on_ground(patch: LightPatch, camera: Pinhole, day: Daylight) -> Array | None:
    """Where a patch of the ground lies (3,) [m]; None for others."""
    if patch.material != GROUND or patch.facing != "level" or patch.seen is None:
        return None
    at, _ = place_of(patch.at, patch.facing, camera, day)
    return at if at is not None and abs(float(at[2])) < ON_GROUND_M else None


def _without(patch: LightPatch, besides: Array | None) -> LightPatch | None:
    """A patch without what is mirrored there (3,); None if that is most of what it shows."""
    if besides is None or patch.seen is None:
        return patch
    shown = np.array(patch.seen.colour)
    if float(luminance(besides)) > MOST_MIRRORED * float(luminance(shown)):
        return None
    left = without_mirrored(shown, besides)
    r, g, b = (float(value) for value in left)
    spread = min(patch.seen.spread * float(luminance(shown) / luminance(left)), 100.0)
    seen = PatchSeen(colour=(r, g, b), spread=spread, clipped=patch.seen.clipped)
    return patch.model_copy(update={"seen": seen})
