"""Further kinds of place, to try the finding of edges on: street, façade, room, table top, planted yard.

Looser than the two committed places: they have no marked truth but their camera. Conventions as there.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lithopos.samples import meshes, textures
from lithopos.samples.meshes import Mesh
from lithopos.samples.places import Camera, Material, Place

__all__ = ["FURTHER"]

Colour = tuple[float, float, float]


def _place(name: str, camera: Camera, rng: np.random.Generator, sun: tuple[float, float]) -> Place:
    place = Place(
        name=name,
        camera=camera,
        sun_azimuth_deg=sun[0],
        sun_elevation_deg=sun[1],
        turbidity=float(rng.uniform(2.5, 5)),
        ground_material="pale stone",
        model="marl-bench",
        model_at=(0.0, 0.0, 0.0),
        model_turn_deg=0.0,
    )
    place.materials.update(
        leaf=Material(textures.foliage(64, (0.055, 0.1, 0.028), rng), roughness=0.6),
        dark=Material((0.03, 0.034, 0.04), roughness=0.2, specular=0.6),
        stone=Material(textures.stone(512, (0.48, 0.42, 0.33), rng), roughness=0.9, tile_m=(1.3, 1.3)),
        timber=Material(textures.timber(512, (0.2, 0.115, 0.06), rng), roughness=0.7, tile_m=(1.4, 1.4)),
        painted=Material(textures.timber(512, (0.06, 0.13, 0.14), rng), roughness=0.7, tile_m=(1.4, 1.4)),
        iron=Material((0.045, 0.05, 0.048), roughness=0.5, specular=0.5),
    )
    return place


def _camera(
    rng: np.random.Generator,
    position: tuple[float, float, float],
    heading_deg: tuple[float, float],
    tilt_deg: tuple[float, float],
    exposure: float = 0.42,
    spread: float = 0.4,
) -> Camera:
    """A camera near a position, looking anywhere within the given headings and tilts."""
    stood = np.asarray(position) + rng.uniform(-spread, spread, 3) * [1, 1, 0.25]
    heading, tilt = np.radians([rng.uniform(*heading_deg), rng.uniform(*tilt_deg)])
    way = np.array([np.cos(heading) * np.cos(tilt), np.sin(heading) * np.cos(tilt), np.sin(tilt)])
    x, y, z = stood
    tx, ty, tz = stood + 5 * way
    return Camera(
        (float(x), float(y), float(z)),
        (float(tx), float(ty), float(tz)),
        float(rng.normal(scale=0.7)),
        float(rng.uniform(23, 36)),
        1920,
        1280,
        exposure,
    )


def box(place: Place, low: tuple[float, float, float], high: tuple[float, float, float], material: str) -> None:
    size = np.subtract(high, low)
    bevel = float(min(0.012, size.min() / 20 + 0.002))
    middle = np.add(low, high) / 2
    place.add(meshes.bevelled_box(tuple(size), bevel).moved(tuple(middle)), material)


def _floor(place: Place, extent: tuple[float, float, float, float], material: str, z: float = 0.0) -> None:
    x0, y0, x1, y1 = extent
    place.add(meshes.quad([(x0, y0, z), (x1, y0, z), (x1, y1, z), (x0, y1, z)]), material)


def slabs(
    place: Place,
    extent: tuple[float, float, float, float],
    slab: tuple[float, float],
    colour: Colour,
    rng: np.random.Generator,
    *,
    broken: bool = True,
) -> None:
    """Ground laid with slabs in rows along x, one picture over the whole."""
    x0, y0, x1, y1 = extent
    laid = []
    y = y0
    while y < y1:
        x = x0 - (rng.uniform(0, slab[0]) if broken else 0)
        while x < x1:
            step = slab[0] * (rng.uniform(0.8, 1.2) if broken else 1)
            laid.append((max(x, x0), y, min(x + step, x1), min(y + slab[1], y1)))
            x += step
        y += slab[1]
    place.materials["slabs"] = Material(
        textures.paving(laid, extent, 4096, colour, rng), roughness=0.92, tile_m=(x1 - x0, y1 - y0)
    )
    ground = meshes.quad([(x0, y0, 0), (x1, y0, 0), (x1, y1, 0), (x0, y1, 0)])
    place.add(Mesh(ground.vertices, ground.normals, ground.vertices[:, :2] - [x0, y0], ground.faces), "slabs")


def _front(
    place: Place,
    at: tuple[float, float, float],
    turn_deg: float,
    length: float,
    storeys: int,
    rng: np.random.Generator,
    wall: str,
) -> None:
    """A house front that runs along x and looks towards −y, turned and put in its place."""
    put: Callable[[Mesh, str], None] = lambda mesh, material: place.add(mesh.moved(at, turn_deg), material)  # noqa: E731
    height = 3.1 * storeys + 0.5
    put(meshes.quad([(0, 0, 0), (length, 0, 0), (length, 0, height), (0, 0, height)]), wall)
    put(meshes.bevelled_box((length, 0.16, 0.6), 0.012).moved((length / 2, -0.02, 0.3)), "stone")
    put(meshes.bevelled_box((length + 0.3, 0.5, 0.26), 0.015).moved((length / 2, -0.1, height)), "stone")
    roof = [(0, -0.3, height + 0.1), (length, -0.3, height + 0.1), (length, 4, height + 3), (0, 4, height + 3)]
    put(meshes.quad(roof), "tile")
    bays = max(int(length / rng.uniform(1.9, 2.7)), 1)
    bay, wide, tall = length / bays, rng.uniform(0.8, 1.05), rng.uniform(1.35, 1.75)
    door = int(rng.integers(bays))
    for storey in range(storeys):
        if storey and rng.random() < 0.6:
            put(meshes.bevelled_box((length, 0.1, 0.16), 0.01).moved((length / 2, -0.02, 3.1 * storey + 0.25)), "stone")
        for number in range(bays):
            x, sill = (number + 0.5) * bay, 3.1 * storey + 1.15
            if storey == 0 and number == door:
                put(meshes.bevelled_box((1.0, 0.08, 2.2), 0.01).moved((x, -0.02, 1.1)), "painted")
                _surround(put, x, 0.0, 1.0, 2.2)
                continue
            put(meshes.bevelled_box((wide, 0.04, tall), 0.008).moved((x, 0.0, sill + tall / 2)), "dark")
            for bar in (-wide / 2 + 0.03, 0.0, wide / 2 - 0.03):
                put(meshes.bevelled_box((0.05, 0.06, tall), 0.006, 1).moved((x + bar, -0.02, sill + tall / 2)), "white")
            for bar in (0.03, tall * 0.6, tall - 0.03):
                put(meshes.bevelled_box((wide, 0.06, 0.05), 0.006, 1).moved((x, -0.02, sill + bar)), "white")
            _surround(put, x, sill, wide, tall)
            put(meshes.bevelled_box((wide + 0.4, 0.24, 0.1), 0.012).moved((x, -0.08, sill - 0.05)), "stone")


def _surround(put: Callable[[Mesh, str], None], x: float, sill: float, wide: float, tall: float) -> None:
    for side in (-1, 1):
        put(
            meshes.bevelled_box((0.14, 0.14, tall), 0.01).moved((x + side * (wide / 2 + 0.07), -0.04, sill + tall / 2)),
            "stone",
        )
    put(meshes.bevelled_box((wide + 0.28, 0.16, 0.16), 0.01).moved((x, -0.04, sill + tall + 0.08)), "stone")


def walls(place: Place, rng: np.random.Generator) -> None:
    """What house fronts are made of."""
    tint = rng.uniform(-0.06, 0.06, 3)
    pale, warm = np.array([0.6, 0.54, 0.44]) + tint, np.array([0.56, 0.4, 0.29]) + tint
    place.materials.update(
        pale=Material(
            textures.plaster(1024, (float(pale[0]), float(pale[1]), float(pale[2])), rng),
            roughness=0.95,
            tile_m=(6.0, 5.0),
        ),
        warm=Material(
            textures.plaster(1024, (float(warm[0]), float(warm[1]), float(warm[2])), rng),
            roughness=0.95,
            tile_m=(6.0, 5.0),
        ),
        courses=Material(textures.courses(2048, 8.0, (0.42, 0.36, 0.28), rng), roughness=0.9, tile_m=(8.0, 8.0)),
        tile=Material(textures.stone(512, (0.3, 0.15, 0.1), rng, 0.2), roughness=0.9, tile_m=(0.9, 0.9)),
        white=Material((0.6, 0.58, 0.53), roughness=0.8),
        asphalt=Material(textures.stone(1024, (0.12, 0.12, 0.12), rng, 0.2), roughness=0.95, tile_m=(1.2, 1.2)),
        grass=Material(textures.foliage(512, (0.09, 0.14, 0.035), rng), roughness=0.95, tile_m=(1.5, 1.5)),
    )


def quay_street(seed: int = 3) -> Place:
    """A street of house fronts on both sides with kerbs, closed by a front at its end."""
    rng = np.random.default_rng(seed)
    camera = _camera(rng, (0.3, -7.0, 1.65), (66, 114), (-6, 3))
    place = _place("Quay street", camera, rng, (float(rng.uniform(200, 340)), float(rng.uniform(30, 55))))
    walls(place, rng)
    half = float(rng.uniform(4.2, 5.6))
    _floor(place, (-60, -12, 60, 60), "asphalt")
    for side in (-1, 1):
        low, high = sorted((side * (half - 1.6), side * half))
        box(place, (low, -12, 0.0), (high, 34, 0.13), "stone")
        y = -12.0
        while y < 34:
            length, storeys = float(rng.uniform(6, 11)), int(rng.integers(2, 4))
            wall = str(rng.choice(["pale", "warm", "courses"]))
            start = (half, y + length, 0.1) if side > 0 else (-half, y, 0.1)
            _front(place, start, -90 if side > 0 else 90, length, storeys, rng, wall)
            y += length
    _front(place, (-9.0, 34.0, 0.0), 0.0, 18.0, 3, rng, "pale")
    for y in (3.0, 11.0, 19.0):
        post = meshes.lathe([(0.06, 0), (0.05, 3.2), (0.14, 3.3), (0.0, 3.6)], 20, sharp=True)
        place.add(post.moved((half - 1.5, y, 0.1)), "iron")
    return place


def long_front(seed: int = 4) -> Place:
    """One long house front seen at an angle across an open court."""
    rng = np.random.default_rng(seed)
    side = 1 if rng.random() < 0.5 else -1
    heading = (48, 66) if side > 0 else (114, 132)
    camera = _camera(rng, (-3.0 * side, -9.0, 1.65), heading, (-3, 7))
    place = _place("Long front", camera, rng, (float(rng.uniform(215, 325)), float(rng.uniform(28, 55))))
    walls(place, rng)
    slabs(place, (-18, -14, 26, 4), (0.9, 0.6), (0.34, 0.3, 0.25), rng)
    _floor(place, (-200, -200, 200, 200), "grass", -0.02)
    x = -16.0
    while x < 18:
        length = float(rng.uniform(9, 14))
        _front(place, (x, 3.0, 0.0), 0.0, length, int(rng.integers(2, 4)), rng, str(rng.choice(["pale", "courses"])))
        x += length
    for _ in range(2):
        tree = (float(rng.uniform(-14, 14)), float(rng.uniform(0.5, 1.8)), 2.8)
        place.add(meshes.leaves(tree, (1.0, 1.0, 1.3), 3000, 0.16, rng), "leaf")
        place.add(meshes.lathe([(0.09, 0), (0.07, 2.2)], 12).moved((tree[0], tree[1], 0)), "timber")
    return place


def workshop_room(
    seed: int = 5,
    gaps: tuple[tuple[float, float], ...] = ((-3.0, -1.4), (-0.8, 0.8), (1.4, 3.0)),
    heading_deg: tuple[float, float] = (72, 122),
) -> Place:
    """A room with boards, a window wall to the left with its `gaps` along y, a door, shelves and pictures."""
    rng = np.random.default_rng(seed)
    camera = _camera(rng, (0.8, -2.6, 1.5), heading_deg, (-12, 0), exposure=3.4, spread=0.3)
    place = _place("Workshop room", camera, rng, (float(rng.uniform(165, 195)), float(rng.uniform(25, 45))))
    walls(place, rng)
    x0, x1, y0, y1, top = -2.8, 3.2, -3.6, 3.4, 2.7
    board = float(rng.uniform(0.12, 0.2))
    tones = [
        Material(textures.timber(256, tuple(np.array([0.34, 0.22, 0.13]) * t), rng), roughness=0.9, tile_m=(1.6, 1.6))
        for t in (0.8, 1.0, 1.2)
    ]
    place.materials.update({f"board{i}": tone for i, tone in enumerate(tones)})
    for number, x in enumerate(np.arange(x0, x1, board)):
        box(
            place,
            (float(x), y0, -0.03),
            (min(float(x + board - 0.004), x1), y1, 0.0),
            f"board{int(rng.integers(3)) if number else 0}",
        )
    _floor(place, (x0, y0, x1, y1), "dark", -0.02)
    place.add(meshes.quad([(x0, y0, top), (x0, y1, top), (x1, y1, top), (x1, y0, top)]), "white")
    box(place, (x0, y1, 0), (x1, y1 + 0.1, top), "pale")
    box(place, (x1, y0, 0), (x1 + 0.1, y1, top), "pale")
    box(place, (x0, y0 - 0.1, 0), (x1, y0, top), "pale")
    for x, y, dx, dy in ((x0, y1 - 0.02, x1 - x0, 0.02), (x1 - 0.02, y0, 0.02, y1 - y0)):
        box(place, (x, y, 0.0), (x + dx, y + dy, 0.11), "white")
    edges = [y0, *[v for gap in gaps for v in gap], y1]
    for low, high in zip(edges[::2], edges[1::2], strict=True):
        box(place, (x0 - 0.2, low, 0), (x0, high, top), "pale")
    for low, high in gaps:
        box(place, (x0 - 0.2, low, 0), (x0, high, 0.85), "pale")
        box(place, (x0 - 0.2, low, 2.3), (x0, high, top), "pale")
        box(place, (x0 - 0.2, low - 0.03, 0.83), (x0 + 0.12, high + 0.03, 0.88), "white")
        for y in (low + 0.03, (low + high) / 2, high - 0.03):
            box(place, (x0 - 0.14, y - 0.025, 0.88), (x0 - 0.09, y + 0.025, 2.3), "white")
        box(place, (x0 - 0.14, low, 1.78), (x0 - 0.09, high, 1.83), "white")
        place.windows.append(np.array([(x0, low, 2.3), (x0, high, 2.3), (x0, high, 0.88), (x0, low, 0.88)]))
    door = float(rng.uniform(-1.6, 1.4))
    box(place, (door, y1 - 0.03, 0), (door + 0.9, y1, 2.05), "painted")
    box(place, (door - 0.1, y1 - 0.05, 0), (door, y1, 2.15), "white")
    box(place, (door + 0.9, y1 - 0.05, 0), (door + 1.0, y1, 2.15), "white")
    box(place, (door - 0.1, y1 - 0.05, 2.05), (door + 1.0, y1, 2.15), "white")
    for z in (0.75, 1.2, 1.65):
        box(place, (x1 - 0.3, -0.6, z), (x1, 1.8, z + 0.035), "timber")
        for _ in range(5):
            y, size = float(rng.uniform(-0.5, 1.6)), float(rng.uniform(0.08, 0.2))
            box(place, (x1 - 0.25, y, z + 0.035), (x1 - 0.06, y + size, z + 0.035 + size * 1.3), "stone")
    bench = float(rng.uniform(-1.2, 0.2))
    box(place, (bench, 1.4, 0.72), (bench + 1.7, 2.1, 0.77), "timber")
    for x in (bench + 0.04, bench + 1.6):
        for y in (1.45, 2.0):
            box(place, (x, y, 0), (x + 0.06, y + 0.06, 0.72), "timber")
    return place


def table_top(seed: int = 6) -> Place:
    """A table seen from near, laid with tiles, boxes and books, a wall behind it."""
    rng = np.random.default_rng(seed)
    camera = _camera(rng, (0.1, -1.25, 0.62), (58, 122), (-27, -16), exposure=0.42, spread=0.08)
    place = _place("Table top", camera, rng, (float(rng.uniform(200, 340)), float(rng.uniform(35, 60))))
    walls(place, rng)
    tone = rng.uniform(0.8, 1.3)
    place.materials["plank"] = Material(
        textures.timber(512, (0.3 * tone, 0.19 * tone, 0.11 * tone), rng), roughness=0.9, tile_m=(0.9, 0.9)
    )
    for y in np.arange(-0.9, 0.62, 0.16):
        box(place, (-1.1, float(y), -0.04), (1.1, float(y) + 0.157, 0.0), "plank")
    _floor(place, (-30, -30, 30, 30), "asphalt", -0.75)
    _front(place, (-9.0, 3.2, -0.75), 0.0, 18.0, 2, rng, str(rng.choice(["pale", "warm", "courses"])))
    colours: list[Colour] = [(0.45, 0.12, 0.08), (0.1, 0.2, 0.32), (0.55, 0.5, 0.38), (0.12, 0.25, 0.16)]
    for number, colour in enumerate(colours):
        place.materials[f"cover{number}"] = Material(colour, roughness=0.9)
    for _ in range(int(rng.integers(5, 9))):
        x, y = float(rng.uniform(-0.75, 0.6)), float(rng.uniform(-0.5, 0.4))
        wide, deep, high = float(rng.uniform(0.12, 0.32)), float(rng.uniform(0.1, 0.24)), float(rng.uniform(0.015, 0.2))
        box(place, (x, y, 0), (x + wide, y + deep, high), f"cover{int(rng.integers(4))}")
    cup = [(0, 0.0), (0.035, 0.0), (0.042, 0.09), (0.038, 0.09), (0.03, 0.01), (0, 0.01)]
    for _ in range(2):
        spot = (float(rng.uniform(-0.6, 0.6)), float(rng.uniform(-0.6, 0.3)), 0.0)
        place.add(meshes.lathe(cup, 40, sharp=True).moved(spot), "white")
    return place


def planted_yard(seed: int = 7) -> Place:
    """A yard with lawn, a brick path, raised beds, a pale fence, hedges and trees."""
    rng = np.random.default_rng(seed)
    camera = _camera(rng, (1.6, -6.2, 1.65), (64, 118), (-10, -3))
    place = _place("Planted yard", camera, rng, (float(rng.uniform(180, 350)), float(rng.uniform(30, 55))))
    walls(place, rng)
    _floor(place, (-40, -20, 40, 40), "grass", -0.01)
    slabs(place, (-1.4, -9, 1.6, 7), (0.45, 0.225), (0.36, 0.24, 0.18), rng)
    for x in (-1.5, 1.6):
        box(place, (x, -9, -0.02), (x + 0.1, 7, 0.06), "stone")
    for x, y in ((-4.2, 0.4), (2.6, 1.2), (-3.9, 3.6), (3.2, 4.0)):
        wide, deep = float(rng.uniform(1.4, 2.2)), float(rng.uniform(0.9, 1.4))
        box(place, (x, y, 0), (x + wide, y + deep, 0.45), "timber")
        shrub = meshes.leaves((x + wide / 2, y + deep / 2, 0.75), (wide / 2, deep / 2, 0.45), 2600, 0.09, rng)
        place.add(shrub, "leaf")
    for x in np.arange(-9.0, 9.0, 0.22):
        box(place, (float(x), 7.4, 0.05), (float(x) + 0.13, 7.43, 1.65), "white")
    for z in (0.4, 1.3):
        box(place, (-9.0, 7.43, z), (9.0, 7.48, z + 0.09), "white")
    _front(place, (-6.2, -8.0, 0.0), 90.0, 15.0, 2, rng, str(rng.choice(["pale", "warm", "courses"])))
    for _ in range(5):
        tree = (float(rng.uniform(-9, 9)), float(rng.uniform(9, 16)), float(rng.uniform(3, 5)))
        place.add(meshes.leaves(tree, (2.0, 2.0, 2.4), 4500, 0.24, rng), "leaf")
    hedge = meshes.leaves((6.2, 1.0, 0.9), (0.7, 7.0, 1.1), 9000, 0.1, rng)
    place.add(hedge, "leaf")
    return place


FURTHER = {
    "quay-street": quay_street,
    "long-front": long_front,
    "workshop-room": workshop_room,
    "table-top": table_top,
    "planted-yard": planted_yard,
}
