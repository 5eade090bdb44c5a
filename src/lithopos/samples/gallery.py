"""A stone-floored gallery with windows along its left side: polished, by day or by lamps; in endless variants."""

from __future__ import annotations

import numpy as np

from lithopos.samples import meshes, textures
from lithopos.samples.further import box, slabs, walls
from lithopos.samples.lamplit import warm_ball
from lithopos.samples.places import Camera, Material, Place, Solid

GALLERIES = ("polished, by day", "polished, by lamps", "plain, by day")
TOP_M, SILL_M, LINTEL_M = 3.0, 0.7, 2.5
WEST, EAST, SOUTH, NORTH = -3.4, 3.6, -6.5, 3.4
GAPS = ((-3.2, -1.4), (-0.6, 1.2), (1.8, 3.0))  # windows, along y

__all__ = ["GALLERIES", "gallery"]


def gallery(name: str, seed: int = 41) -> Place:
    """The gallery in one of its variants."""
    surface, light = name.split(", by ")
    rng = np.random.default_rng(seed)

    def vary(spread: float) -> float:
        return float(rng.uniform(-spread, spread))

    place = Place(
        name=f"Gallery, {name}",
        camera=Camera(
            position=(1.4 + vary(0.4), -5.0 + vary(0.3), 1.55 + vary(0.1)),
            target=(-0.1 + vary(0.2), 1.0, 0.85 + vary(0.1)),
            roll_deg=vary(0.8),
            focal_35mm=27.0 + vary(2),
            width=1920,
            height=1280,
        ),
        sun_azimuth_deg=180.0,
        sun_elevation_deg=40.0,
        turbidity=4.0,
        ground_material="polished stone" if surface == "polished" else "pale stone",
        model="marl-bench" if light == "day" else "tern-fountain",
        model_at=(0.1, 0.4, 0.0),
        model_turn_deg=float(rng.uniform(60, 120)),
        overcast=True,
        white=(0.009, 0.0087, 0.0087) if light == "day" else (0.0145, 0.0125, 0.009),
        night=None if light == "day" else (0.0004, 0.0006, 0.0011),
    )
    walls(place, rng)
    place.materials["stone"] = Material(textures.stone(512, (0.46, 0.4, 0.31), rng), roughness=0.9, tile_m=(1.3, 1.3))
    place.materials["iron"] = Material((0.045, 0.05, 0.048), roughness=0.5, specular=0.5)
    slabs(place, (WEST, SOUTH, EAST, NORTH), (1.0, 0.7), (0.34, 0.29, 0.23), rng, broken=False)
    if surface == "polished":
        floor = place.materials["slabs"]
        place.materials["slabs"] = Material(floor.colour, 0.24, 0.0, floor.tile_m, specular=0.5)
    _shell(place)
    _plinth(place)
    for y in (-0.9, 0.5, 1.9):
        place.edge("a", (WEST, y, 0), (EAST, y, 0))
    for x in (-1.4, 0.6, 1.6):
        place.edge("b", (x, -5, 0), (x, NORTH, 0))
    place.yardstick = ((-1.4, -0.2, 0.0), (1.6, -0.2, 0.0))
    if light == "lamps":
        for x, y in ((-1.3, 1.3), (1.7, 0.2)):
            place.lamps.append(warm_ball((x + vary(0.2), y + vary(0.2), 2.0), 0.12, 1.5))
            middle = place.lamps[-1].middle
            cord = meshes.lathe([(0.006, 2.12), (0.006, TOP_M)], 12)
            place.add(cord.moved((middle[0], middle[1], 0)), "iron")
    return place


def _shell(place: Place) -> None:
    """Walls, ceiling and windows."""
    # Walls run on past one another, so that no daylight comes in along their rounded edges.
    past, deep = 0.4, -0.3
    box(place, (WEST - past, NORTH, deep), (EAST + past, NORTH + 0.2, TOP_M + past), "pale")
    box(place, (EAST, SOUTH - past, deep), (EAST + 0.2, NORTH + past, TOP_M + past), "warm")
    box(place, (WEST - past, SOUTH - 0.2, deep), (EAST + past, SOUTH, TOP_M + past), "pale")
    box(place, (WEST - past, SOUTH - past, TOP_M), (EAST + past, NORTH + past, TOP_M + 0.2), "white")
    lawn = [(-60.0, -60.0, -0.5), (WEST, -60.0, -0.5), (WEST, 60.0, -0.5), (-60.0, 60.0, -0.5)]
    place.add(meshes.quad(lawn), "grass")
    ends = [SOUTH - past, *[y for gap in GAPS for y in gap], NORTH + past]
    for low, high in zip(ends[::2], ends[1::2], strict=True):
        box(place, (WEST - 0.25, low, deep), (WEST, high, TOP_M + past), "pale")
    for low, high in GAPS:
        box(place, (WEST - 0.24, low - 0.1, deep), (WEST - 0.001, high + 0.1, SILL_M), "pale")
        box(place, (WEST - 0.24, low - 0.1, LINTEL_M), (WEST - 0.001, high + 0.1, TOP_M + past), "pale")
        for y in (low + 0.03, (low + high) / 2, high - 0.03):
            box(place, (WEST - 0.14, y - 0.025, SILL_M), (WEST - 0.09, y + 0.025, LINTEL_M), "white")
        corners = [(WEST, low, LINTEL_M), (WEST, high, LINTEL_M), (WEST, high, SILL_M), (WEST, low, SILL_M)]
        place.windows.append(np.array(corners))
        place.edge("b", (WEST, low, SILL_M), (WEST, high, SILL_M))
        place.edge("plumb", (WEST, high, SILL_M), (WEST, high, LINTEL_M))
    place.edge("a", (WEST, NORTH, TOP_M), (EAST, NORTH, TOP_M))
    place.edge("plumb", (EAST, NORTH, 0.1), (EAST, NORTH, TOP_M))
    place.edge("plumb", (WEST, NORTH, 0.1), (WEST, NORTH, TOP_M))
    place.solids.append(Solid("wall", ((WEST, NORTH, 0), (EAST, NORTH, 0)), (WEST, NORTH, TOP_M)))
    place.solids.append(Solid("wall", ((EAST, NORTH, 0), (EAST, SOUTH, 0)), (EAST, NORTH, TOP_M)))
    place.solids.append(Solid("wall", ((WEST, SOUTH, 0), (WEST, NORTH, 0)), (WEST, SOUTH, TOP_M)))


def _plinth(place: Place) -> None:
    """A stone plinth on the right."""
    low, high = (1.75, 1.3, 0.0), (2.45, 2.0, 0.9)
    box(place, low, high, "stone")
    (x0, y0, _), (x1, y1, top) = low, high
    place.edge("a", (x0, y0, top), (x1, y0, top))
    foot = ((x1, y0, 0.0), (x0, y0, 0.0), (x0, y1, 0.0))
    place.solids.append(Solid("box", foot, (x1, y0, top), material="pale stone"))
