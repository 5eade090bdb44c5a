"""Places lit by windows and lamps: a room under a grey sky, the same with a lamp, a yard in the evening."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lithopos.samples import meshes
from lithopos.samples.further import planted_yard, workshop_room
from lithopos.samples.places import Lamp, Material, Place

WARM = np.array([1.35, 0.95, 0.5])  # the colour of a lamp beside daylight

__all__ = ["LAMPLIT", "warm_ball"]


def warm_ball(middle: tuple[float, float, float], radius_m: float, strength: float) -> Lamp:
    """A ball that shines like a lamp beside daylight."""
    r, g, b = (float(value) for value in strength * WARM)
    return Lamp(middle, radius_m, (r, g, b))


def hall(seed: int = 11) -> Place:
    """A room with two windows under an even grey sky."""
    return _indoors(workshop_room(seed, ((-0.8, 0.8), (1.4, 3.0)), (104, 122)))


def lamp_room(seed: int = 12) -> Place:
    """A room with one window and a lamp that hangs from the ceiling."""
    place = _indoors(workshop_room(seed, ((1.0, 2.8),), (106, 122)))
    rng = np.random.default_rng(seed + 1000)
    x, y, z = float(rng.uniform(0.2, 0.9)), float(rng.uniform(0.6, 1.6)), float(rng.uniform(1.9, 2.1))
    place.lamps.append(warm_ball((x, y, z), 0.11, 0.9))
    place.add(meshes.lathe([(0.008, z + 0.11), (0.008, 2.7)], 12).moved((x, y, 0)), "iron")
    return place


def _indoors(place: Place) -> Place:
    camera = replace(place.camera, focal_35mm=min(place.camera.focal_35mm, 25.0), exposure=0.42)
    return replace(place, camera=camera, overcast=True, white=(0.021, 0.0205, 0.0205), ground_material="timber")


def evening_yard(seed: int = 13) -> Place:
    """A yard after sunset with two lamps on posts."""
    place = planted_yard(seed)
    rng = np.random.default_rng(seed + 1000)
    place.materials["dark"] = Material((0.03, 0.034, 0.04), roughness=0.5)
    for x, y in ((-2.1 + float(rng.uniform(-0.3, 0.2)), 1.0), (2.2, -0.8 + float(rng.uniform(-0.4, 0.8)))):
        place.add(meshes.lathe([(0.04, 0), (0.03, 2.1)], 20).moved((x, y, 0)), "dark")
        place.lamps.append(warm_ball((x, y, 2.25), 0.14, 1.2))
    return replace(place, night=(0.0011, 0.0016, 0.0028), white=(0.014, 0.0125, 0.0095), ground_material="brick")


LAMPLIT = {"hall": hall, "lamp-room": lamp_room, "evening-yard": evening_yard}
