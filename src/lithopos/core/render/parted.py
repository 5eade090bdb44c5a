"""A shot whose panorama was taken in the place, with what is marked there shining from where it stands."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lithopos.core.derive import Derived, daylight_of, derive, near_of
from lithopos.core.exchange.panorama import Panorama
from lithopos.core.light.dome import dome_of
from lithopos.core.place.daylight import NearLight
from lithopos.core.place.in_panorama import lights_in
from lithopos.core.place.near_lights import lamp_name, window_name
from lithopos.core.shot import Shot

MARKED = ("windows", "lamps")

__all__ = ["lights_parted"]


def lights_parted(
    shot: Shot, facts: Derived, panorama: Panorama | None
) -> tuple[Shot, Derived, Panorama | None, tuple[NearLight, ...]]:
    """The shot, what is derived of it, and its panorama, without the windows and lamps marked in the place; and those.

    All as it is where no panorama was taken there, or nothing is marked. What is put out is taken out of it alone.
    Where it was taken counts to 0.1 m: things may be slid a little with nothing to be told again.
    """
    lens = np.round(facts.around.lens_at_m, 1) if facts.around and facts.around.lens_at_m else None
    if shot.lit_by != "panorama" or panorama is None or shot.panorama is None or lens is None:
        return shot, facts, panorama, ()
    lit = {kind: [one.model_copy(update={"hidden": False}) for one in getattr(shot, kind)] for kind in MARKED}
    near = near_of(shot.model_copy(update=lit), facts, daylight_of(shot, facts))
    if not near:
        return shot, facts, panorama, ()
    assert facts.around
    sun = np.array(facts.sun.direction) if facts.sun else None
    rest, near = lights_in(panorama.radiance, facts.around.rotation(), lens, near, sun)
    out = {window_name(one) for one in shot.windows if one.hidden} | {
        lamp_name(one) for one in shot.lamps if one.hidden
    }
    near = tuple(one for one in near if one.name not in out)
    shot = shot.model_copy(update={"panorama": shot.panorama.model_copy(update={"dome": dome_of(rest)})})
    return shot, derive(shot), replace(panorama, radiance=rest), near
