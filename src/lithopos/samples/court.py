"""A paved court with things that a shadow meets: a wall, steps, a block, a bollard, a rail; in endless variants."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lithopos.samples import meshes, textures
from lithopos.samples.further import box, slabs, walls
from lithopos.samples.places import Camera, Material, Place, Solid, hills, lamp_post

__all__ = ["COURT", "COURTS", "GLEAM", "Court", "court"]


@dataclass(frozen=True)
class Court:
    """What a variant of the court is like.

    Attributes
    ----------
    sun : azimuth and elevation [deg]; azimuth 270 stands behind the camera.
    ground : what somebody would call the ground; wet and polished ones gleam.
    model, at, turn_deg : what stands where.
    rail : a railing stands before it.
    haze_deg : how wide a hazy sun looks; 0 for a clear one.
    up_m : how high over the ground the model stands, on the block.
    """

    sun: tuple[float, float] = (250.0, 28.0)
    overcast: bool = False
    ground: str = "pale stone"
    model: str = "marl-bench"
    at: tuple[float, float] = (0.2, 1.4)
    turn_deg: float = 8.0
    rail: bool = False
    haze_deg: float = 0.0
    up_m: float = 0.0


DARKER = {"wet stone": 0.55}
GLEAM = {"wet stone": (0.3, 0.5), "polished stone": (0.22, 0.5)}

COURTS = {
    "onto the wall": Court(),
    "onto the steps": Court(sun=(322.0, 24.0), at=(-0.9, 0.9), turn_deg=80.0),
    "onto the block": Court(sun=(208.0, 30.0), model="tern-fountain", at=(0.75, 0.9)),
    "steep sun": Court(sun=(285.0, 55.0), model="tern-fountain", at=(-0.3, 0.2)),
    "from behind": Court(sun=(75.0, 38.0), model="sill-planter", at=(0.1, 0.2), turn_deg=30.0),
    "overcast": Court(overcast=True, at=(0.3, 1.9)),
    "overcast by the block": Court(overcast=True, model="tern-fountain", at=(1.0, 1.3)),
    "wet": Court(ground="wet stone", at=(0.0, 0.7), turn_deg=-10.0),
    "wet, overcast": Court(ground="wet stone", overcast=True, model="tern-fountain", at=(0.2, 0.4)),
    "behind a rail": Court(rail=True, at=(0.0, 1.6)),
    "on the block": Court(sun=(230.0, 35.0), model="sill-planter", at=(2.4, 1.15), turn_deg=20.0, up_m=0.7),
    "glass in the sun": Court(sun=(250.0, 34.0), model="drift-glass", at=(0.2, 0.6), haze_deg=3.0),
    "glass before the wall": Court(overcast=True, model="drift-glass", at=(0.5, 2.4)),
    "metal on wet stone": Court(ground="wet stone", sun=(255.0, 38.0), model="buoy-globe", at=(0.5, 0.3), haze_deg=2.0),
}


def court(name: str, seed: int = 21) -> Place:
    """The court in one of its variants."""
    told = COURTS[name]
    rng = np.random.default_rng(seed)

    def vary(spread: float) -> float:
        return float(rng.uniform(-spread, spread))

    place = Place(
        name=f"Court, {name}",
        camera=Camera(
            position=(0.4 + vary(0.6), -5.2 + vary(0.5), 1.6 + vary(0.1)),
            target=(0.1 + vary(0.3), 1.0, 0.75 + vary(0.1)),
            roll_deg=vary(0.8),
            focal_35mm=31.0 + vary(3),
            width=1920,
            height=1280,
        ),
        sun_azimuth_deg=told.sun[0] + vary(5),
        sun_elevation_deg=told.sun[1] + vary(3),
        turbidity=(8.0 if told.haze_deg else 3.4) + vary(0.8),
        sun_width_deg=told.haze_deg or 0.5358,
        level_m=told.up_m or None,
        ground_material=told.ground,
        model=told.model,
        model_at=(told.at[0], told.at[1], told.up_m),
        model_turn_deg=told.turn_deg,
        overcast=told.overcast,
    )
    walls(place, rng)
    place.materials.update(
        stone=Material(textures.stone(512, (0.46, 0.4, 0.31), rng), roughness=0.9, tile_m=(1.3, 1.3)),
        iron=Material((0.045, 0.05, 0.048), roughness=0.5, specular=0.5),
        far=Material((0.2, 0.25, 0.24), roughness=1.0),
    )
    darker = DARKER.get(told.ground, 1.0)
    slabs(place, (-9, -9, 9, 3.2), (0.9, 0.6), (0.36 * darker, 0.315 * darker, 0.25 * darker), rng, broken=False)
    if told.ground in GLEAM:
        roughness, specular = GLEAM[told.ground]
        wet = place.materials["slabs"]
        place.materials["slabs"] = Material(wet.colour, roughness, 0.0, wet.tile_m, specular=specular)
    for y in (-1.8, 0.0, 1.2):
        place.edge("a", (-6, y, 0), (6, y, 0))
    for x in (-1.8, 0.9, 2.7):
        place.edge("b", (x, -4, 0), (x, 3, 0))
    _wall(place)
    _flight(place)
    _block(place)
    _bollard(place, -1.15 + vary(0.1), 2.45)
    lamp_post(place, 2.35, 2.2, 2.4)
    lamp_post(place, -1.6, -0.4, 1.1)
    lamp_post(place, 1.5, -0.9, 1.0)
    if told.rail:
        _rail(place)
    hills(place, 300.0, 30.0, rng, "far")
    place.yardstick = ((-0.9, 0.0, 0.0), (1.8, 0.0, 0.0))
    return place


def _wall(place: Place) -> None:
    """A plastered wall along the far side."""
    y, top = 3.2, 3.0
    place.add(meshes.quad([(-9, y, 0), (9, y, 0), (9, y, top), (-9, y, top)]), "pale")
    place.add(meshes.quad([(-9, y, top), (9, y, top), (9, y + 0.4, top), (-9, y + 0.4, top)]), "stone")
    place.edge("a", (-9, y, top), (9, y, top))
    place.solids.append(Solid("wall", ((-9, y, 0), (9, y, 0)), (-9, y, top), material="plaster"))


def _flight(place: Place) -> None:
    """Three steps on the left, up to the wall of a house."""
    x0, x1, y0, y1, rise, going = -3.3, -2.13, 0.2, 2.6, 0.16, 0.39
    for n in range(3):
        box(place, (x0, y0, n * rise), (x1 - n * going, y1, (n + 1) * rise), "stone")
        place.edge("b", (x1 - n * going, y0, (n + 1) * rise), (x1 - n * going, y1, (n + 1) * rise))
    place.add(meshes.quad([(x0, -9, 0), (x0, 3.2, 0), (x0, 3.2, 3.0), (x0, -9, 3.0)]), "warm")
    place.edge("plumb", (x0, 3.2, 0.6), (x0, 3.2, 2.9))
    foot = ((x1, y0, 0.0), (x1, y1, 0.0), (x0, y1, 0.0))
    place.solids.append(Solid("steps", foot, (x0, y1, 3 * rise), count=3, material="pale stone"))
    place.solids.append(Solid("wall", ((x0, -9, 0), (x0, 3.2, 0)), (x0, -9, 3.0), material="plaster"))


def _block(place: Place) -> None:
    """A stone block on the right."""
    low, high = (1.95, 0.6, 0.0), (2.85, 1.7, 0.7)
    box(place, low, high, "stone")
    (x0, y0, _), (x1, y1, top) = low, high
    place.edge("a", (x0, y0, top), (x1, y0, top))
    place.edge("b", (x0, y0, top), (x0, y1, top))
    for x, y in ((x0, y0), (x1, y0), (x0, y1)):
        place.edge("plumb", (x, y, 0.02), (x, y, top - 0.02))
    foot = ((x1, y0, 0.0), (x0, y0, 0.0), (x0, y1, 0.0))
    place.solids.append(Solid("box", foot, (x1, y0, top), material="pale stone"))


def _bollard(place: Place, x: float, y: float) -> None:
    radius, top = 0.16, 0.85
    place.add(meshes.lathe([(radius, 0), (radius, top), (0, top)], 64, sharp=True).moved((x, y, 0)), "stone")
    # Three places of its rim on the camera's side.
    way = np.arctan2(place.camera.position[1] - y, place.camera.position[0] - x)
    angles = way + np.radians([-60, 0, 60])
    foot = tuple((float(x + radius * np.cos(a)), float(y + radius * np.sin(a)), 0.0) for a in angles)
    place.solids.append(Solid("cylinder", foot, (*foot[0][:2], top), material="pale stone"))


def _rail(place: Place) -> None:
    """A railing before what stands there: posts, a hand rail, thin bars."""
    y, low, high = -0.9, -2.4, 2.6
    bars = [((low, y, 0.975), (high, y, 0.975), 0.03), ((low, y, 0.14), (high, y, 0.14), 0.02)]
    bars += [((float(x), y, 0.0), (float(x), y, 0.98), 0.03) for x in np.linspace(low, high, 4)]
    bars += [((float(x), y, 0.14), (float(x), y, 0.96), 0.009) for x in np.arange(low + 0.15, high, 0.15)]
    place.bars += [((start, end), half) for start, end, half in bars]
    for x in np.linspace(low, high, 4):
        box(place, (float(x) - 0.03, y - 0.03, 0), (float(x) + 0.03, y + 0.03, 0.98), "iron")
    box(place, (low, y - 0.035, 0.95), (high, y + 0.035, 1.0), "iron")
    box(place, (low, y - 0.02, 0.12), (high, y + 0.02, 0.16), "iron")
    for x in np.arange(low + 0.15, high, 0.15):
        box(place, (float(x) - 0.009, y - 0.009, 0.14), (float(x) + 0.009, y + 0.009, 0.96), "iron")


def _mason_court(seed: int = 21) -> Place:
    return replace(court("onto the wall", seed), name="Mason’s court")


COURT = {"mason-court": _mason_court}
