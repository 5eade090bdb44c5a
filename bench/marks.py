"""Marks that somebody might make of a made-up place's windows, lamps and floor, off by a hand's noise."""

from __future__ import annotations

from typing import Any

import numpy as np

from lithopos.core.exchange.picture import Picture
from lithopos.core.place.balance import read_patches
from lithopos.core.place.near_seen import mean_colour, with_windows_read
from lithopos.core.shot import LightPatch, Shot, load_shot
from lithopos.samples.photograph import Studio, View
from lithopos.samples.places import Place

NOISE_PX = 0.7  # at full size
PATCHES = 14

__all__ = ["marked"]


def marked(shot: Shot, place: Place, studio: Studio, photograph: Picture, rng: np.random.Generator) -> Shot:
    """A shot with its windows, lamps and patches of the floor marked."""
    view = studio.view
    noise = NOISE_PX * view.width / place.camera.width

    def seen(points: Any) -> list[list[float]]:
        pixels = view.project(np.atleast_2d(points))
        return (pixels + rng.normal(0, noise, pixels.shape)).tolist()

    windows = []
    for number, corners in enumerate(place.windows):
        if _in_sight(view, corners):
            foot = corners[3] * [1, 1, 0]
            sunny = not place.overcast and place.night is None
            windows.append({"id": f"w{number}", "corners": seen(corners), "foot": seen(foot)[0], "sunny": sunny})
    lamps = []
    for number, lamp in enumerate(place.lamps):
        middle = np.array(lamp.middle)
        if np.isfinite(view.project(middle[None])).all():
            told = {"at": seen(middle)[0], "foot": seen(middle * [1, 1, 0])[0], "temperature_k": 4000}
            told["size_mm"] = 2000 * lamp.radius_m
            lamps.append({"id": f"l{number}", **told})
    document = shot.model_dump(mode="json", by_alias=True)
    document["photograph"]["mean"] = mean_colour(photograph)
    room = {"windows": windows, "lamps": lamps, "lit_by": "room", "ground": {"material": place.ground_material}}
    made = load_shot({**document, **room, "patches": []})
    read = with_windows_read(made.windows, photograph, view.width)
    patches = read_patches(_patches(studio, rng), photograph, view.width)
    return made.model_copy(update={"windows": read, "patches": patches})


def _in_sight(view: View, corners: Any) -> bool:
    """Whether a window is seen well enough to be marked: two of its corners at least."""
    x, y = view.project(corners).T
    return bool(np.isfinite(x).all() and np.count_nonzero((x > 0) & (x < view.width) & (y > 0) & (y < view.height)) > 1)


def _patches(studio: Studio, rng: np.random.Generator) -> list[LightPatch]:
    """Where somebody might click: open floor all over the picture."""
    view, found = studio.view, list[LightPatch]()
    while len(found) < PATCHES:
        x, y = rng.uniform(0.06, 0.94) * view.width, rng.uniform(0.5, 0.95) * view.height
        way = np.array([x - view.width / 2, y - view.height / 2, view.focal_px]) @ view.rotation
        if way[2] > -0.05:
            continue
        at = view.position - way * view.position[2] / way[2]
        if studio.sees(at[None] + [0, 0, 0.02]).all() and np.linalg.norm(at - view.position) < 9:
            material = "lawn" if _on_grass(studio.place, at) else "ground"
            found.append(LightPatch(id=f"p{len(found)}", at=(float(x), float(y)), radius_px=4.0, material=material))
    return found


def _on_grass(place: Place, at: Any) -> bool:
    """Whether a yard's ground is lawn there; its path runs along y."""
    return place.night is not None and not -1.4 < at[0] < 1.6
