"""Made-up places of the tidal town: a cloister yard and a sea terrace, in endless variants.

Each place is built in its own world: metres, z up, ground z = 0, x along the long joints of the
paving (run A), y across them, away from the camera (run B).
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field

import numpy as np

from lithopos.samples import meshes, textures
from lithopos.samples.meshes import Array, Mesh

Colour = tuple[float, float, float]
Segment = tuple[tuple[float, float, float], tuple[float, float, float]]


@dataclass(frozen=True)
class Material:
    """What a surface is made of: a picture (its last row at v = 0) or one linear colour, and its gloss.

    `glass` is solid: its colour is what goes through.
    """

    colour: textures.Image | tuple[float, float, float]
    roughness: float = 0.85
    metallic: float = 0.0
    tile_m: tuple[float, float] = (1.0, 1.0)
    offset_m: tuple[float, float] = (0.0, 0.0)
    specular: float = 0.35
    glass: bool = False

    @property
    def dull(self) -> bool:
        """Whether it mirrors nothing."""
        return self.roughness >= 0.85 and not self.metallic


@dataclass(frozen=True)
class Camera:
    """Where the photographer stood: position [m], the point looked at [m], roll, lens, exposure."""

    position: tuple[float, float, float]
    target: tuple[float, float, float]
    roll_deg: float
    focal_35mm: float
    width: int
    height: int
    exposure: float = 0.42


@dataclass(frozen=True)
class Lamp:
    """A ball that shines: middle [m], radius [m], radiance."""

    middle: tuple[float, float, float]
    radius_m: float
    radiance: Colour


@dataclass(frozen=True)
class Solid:
    """A simple solid that can be drawn on the photograph: points of its foot and one of its top [m], as proxies are."""

    kind: str
    foot: tuple[tuple[float, float, float], ...]
    top: tuple[float, float, float]
    count: int = 3
    material: str = "plaster"


@dataclass
class Place:
    """A place with everything in it, and the truth that can be marked in its photograph."""

    name: str
    camera: Camera
    sun_azimuth_deg: float
    sun_elevation_deg: float
    turbidity: float
    ground_material: str
    model: str
    model_at: tuple[float, float, float]
    model_turn_deg: float
    parts: list[tuple[Mesh, str]] = field(default_factory=list)
    materials: dict[str, Material] = field(default_factory=dict)
    edges: list[tuple[str, Segment]] = field(default_factory=list)
    gnomons: list[Segment] = field(default_factory=list)
    yardstick: Segment = ((0, 0, 0), (1, 0, 0))
    sun_width_deg: float = 0.5358
    overcast: bool = False
    lamps: list[Lamp] = field(default_factory=list)
    night: Colour | None = None  # the even radiance of a sky after sunset, in place of the day's
    white: Colour | None = None  # the radiance of white that the camera is set for; None: in open daylight
    windows: list[Array] = field(default_factory=list)  # corners (4, 3) that can be marked in the photograph
    signs: list[Array] = field(default_factory=list)  # corners (4, 3) of empty boards, from the upper left, clockwise
    solids: list[Solid] = field(default_factory=list)  # and what can be drawn on it
    turned: list[tuple[Segment, Array]] = field(default_factory=list)  # plumb axes, and (radius, height) about them
    bars: list[tuple[Segment, float]] = field(default_factory=list)  # thin straight things, and half their width
    level_m: float | None = None  # of what the model stands on, if that is not the ground

    def add(self, mesh: Mesh, material: str) -> None:
        """Put a thing into the place."""
        self.parts.append((mesh, material))

    def edge(self, run: str, start: tuple[float, float, float], end: tuple[float, float, float]) -> None:
        """Note a straight edge of the place that can be marked in the photograph."""
        self.edges.append((run, (start, end)))

    @property
    def to_sun(self) -> Array:
        """Unit vector from the ground to the sun."""
        azimuth, elevation = np.radians([self.sun_azimuth_deg, self.sun_elevation_deg])
        return np.array([np.cos(elevation) * np.cos(azimuth), np.cos(elevation) * np.sin(azimuth), np.sin(elevation)])


def _paved_ground(
    place: Place,
    extent: tuple[float, float, float, float],
    colour: tuple[float, float, float],
    bands: tuple[list[float], list[float]],
    rise: tuple[float, float],
    rng: np.random.Generator,
    texture: int,
    apron: float = 0.0,
) -> None:
    """Slabs in rows along x, broken by straight bands along x and y whose joints run through."""
    x0, y0, x1, y1 = extent
    slabs: list[tuple[float, float, float, float]] = []
    band = 0.32
    columns = [x0, *[v for b in sorted(bands[0]) for v in (b, b + band)], x1]
    rows = [y0, *[v for b in sorted(bands[1]) for v in (b, b + band)], y1]
    for i in range(0, len(columns) - 1):
        for j in range(0, len(rows) - 1):
            _lay(slabs, (columns[i], rows[j], columns[i + 1], rows[j + 1]), i % 2 == 1, j % 2 == 1, rise, rng)
    joint = 0.007
    boxes = []
    for a, b, c, d in slabs:
        if c - a < 0.06 or d - b < 0.06:
            continue
        box = meshes.bevelled_box((c - a - joint, d - b - joint, 0.08), rng.uniform(0.006, 0.012))
        tilt = rng.normal(scale=0.0016, size=2)
        turn = np.array([[1, 0, tilt[0]], [0, 1, tilt[1]], [-tilt[0], -tilt[1], 1]])
        box = box.transformed(turn, ((a + c) / 2, (b + d) / 2, -0.04 + rng.normal(scale=0.0012)))
        boxes.append(box)
    ground = meshes.join(boxes)
    uv = (ground.vertices[:, :2] - [x0, y0]) / [x1 - x0, y1 - y0]
    place.add(Mesh(ground.vertices, ground.normals, uv, ground.faces), "paving")
    place.materials["paving"] = Material(textures.paving(slabs, extent, texture, colour, rng), roughness=0.9)
    place.materials["mortar"] = Material((0.16, 0.14, 0.115), roughness=1.0)
    place.add(
        meshes.quad(
            [
                (x0, y0 - apron, -0.012),
                (x1 + apron, y0 - apron, -0.012),
                (x1 + apron, y1, -0.012),
                (x0, y1, -0.012),
            ]
        ),
        "mortar",
    )
    for y in (v for b in bands[1] for v in (b, b + band)):
        place.edge("a", (x0 + 0.3, y, 0.0), (x1 - 0.3, y, 0.0))
    for x in (v for b in bands[0] for v in (b, b + band)):
        place.edge("b", (x, y0 + 0.3, 0.0), (x, y1 - 0.3, 0.0))


def _lay(
    slabs: list[tuple[float, float, float, float]],
    area: tuple[float, float, float, float],
    narrow_x: bool,
    narrow_y: bool,
    rise: tuple[float, float],
    rng: np.random.Generator,
) -> None:
    """Fill one area with slabs; a narrow area (a band) takes one slab across."""
    a, b, c, d = area
    y = b
    while y < d - 0.01:
        step = d - b if narrow_y else rng.uniform(*((0.5, 0.9) if narrow_x else rise))
        if d - (y + step) < 0.3:
            step = d - y
        x = a
        while x < c - 0.01:
            run = c - a if narrow_x else rng.uniform(0.55, 1.15)
            if c - (x + run) < 0.35:
                run = c - x
            slabs.append((x, y, x + run, y + step))
            x += run
        y += step


def lamp_post(place: Place, x: float, y: float, height: float) -> None:
    """A cast-iron lamp post with a lantern; its finial's tip throws a sharp shadow."""
    profile = [
        (0.0, 0.0),
        (0.13, 0.0),
        (0.13, 0.06),
        (0.1, 0.1),
        (0.085, 0.42),
        (0.1, 0.46),
        (0.06, 0.52),
        (0.045, 0.6),
        (0.034, height - 0.75),
        (0.06, height - 0.72),
        (0.06, height - 0.66),
        (0.03, height - 0.62),
        (0.03, height - 0.55),
        (0.1, height - 0.5),
    ]
    place.add(meshes.lathe(profile, 32, sharp=True).moved((x, y, 0)), "iron")
    whole = [*profile, (0.085, height - 0.5), (0.135, height - 0.2), (0.17, height - 0.2), (0.05, height - 0.08)]
    place.turned.append((((x, y, 0.0), (x, y, height)), _border([*whole, (0.018, height - 0.05), (0.018, height)])))
    glass = [(0.085, height - 0.5), (0.135, height - 0.2)]
    place.add(meshes.lathe(glass, 6, sharp=True).moved((x, y, 0)), "lantern")
    roof = [
        (0.17, height - 0.2),
        (0.05, height - 0.08),
        (0.018, height - 0.05),
        (0.018, height),
        (0.0, height),
    ]
    place.add(meshes.lathe(roof, 24, sharp=True).moved((x, y, 0)), "iron")
    place.gnomons.append(((x, y, 0.0), (x, y, height)))
    place.materials.setdefault("iron", Material((0.045, 0.05, 0.048), roughness=0.5, specular=0.5))
    place.materials.setdefault("lantern", Material((0.62, 0.6, 0.5), roughness=0.25, specular=0.6))


def _border(profile: list[tuple[float, float]], steps: int = 48) -> Array:
    """How far a turned thing reaches at each height, (steps, 2), as it is seen from the side."""
    heights = np.linspace(0, profile[-1][1], steps)
    reach = np.zeros(steps)
    for (r1, h1), (r2, h2) in itertools.pairwise(profile):
        low, high = min(h1, h2), max(h1, h2)
        at = np.clip((heights - h1) / (h2 - h1), 0, 1) if h1 != h2 else np.zeros(steps)
        within = (heights >= low - 1e-9) & (heights <= high + 1e-9)
        reach = np.where(within, np.maximum(reach, r1 + at * (r2 - r1)), reach)
    return np.column_stack([reach, heights])


def _tub(place: Place, x: float, y: float, size: float, rng: np.random.Generator, leaves: int = 2600) -> None:
    """A stone tub with a clipped shrub."""
    tub = [
        (0, 0),
        (size * 0.42, 0),
        (size * 0.5, size * 0.72),
        (size * 0.56, size * 0.74),
        (size * 0.56, size * 0.84),
        (size * 0.48, size * 0.84),
        (size * 0.46, size * 0.76),
        (0, size * 0.76),
    ]
    place.add(meshes.lathe(tub, 40, sharp=True).moved((x, y, 0)), "tub")
    shrub = meshes.leaves((x, y, size * 1.45), (size * 0.62, size * 0.62, size * 0.75), leaves, 0.075, rng)
    place.add(shrub, "leaf")


def hills(place: Place, distance: float, height: float, rng: np.random.Generator, material: str) -> None:
    """A far ridge along the horizon."""
    x = np.linspace(-distance * 2.2, distance * 2.2, 160)
    ridge = height * (0.55 + 0.3 * np.sin(x / distance * 2.1 + rng.uniform(0, 6)) + 0.2 * np.sin(x / distance * 6.3))
    ridge += np.cumsum(rng.normal(scale=height * 0.02, size=len(x)))
    low = np.stack([x, 0 * x + distance, 0 * x - 30], -1)
    high = np.stack([x, 0 * x + distance + 30, np.maximum(ridge, 0.5)], -1)
    place.add(meshes.flat(np.stack([low, high])), material)


def _common(place: Place, rng: np.random.Generator) -> None:
    place.materials["leaf"] = Material(textures.foliage(64, (0.055, 0.1, 0.028), rng), roughness=0.6)
    place.materials["tub"] = Material(textures.stone(512, (0.4, 0.35, 0.28), rng), roughness=0.9)
    place.materials["dark"] = Material((0.02, 0.02, 0.022), roughness=0.7)


def cloister_yard(seed: int = 1) -> Place:
    """A paved yard behind a monastery church in late sun, an arcade on two sides, a well head."""
    rng = np.random.default_rng(seed)

    def vary(spread: float) -> float:
        return float(rng.uniform(-spread, spread)) if seed != 1 else 0.0

    place = Place(
        name="Cloister yard, late sun",
        camera=Camera(
            position=(3.1 + vary(0.8), -6.6 + vary(0.7), 1.62 + vary(0.12)),
            target=(-0.15 + vary(0.5), 1.6, 1.0 + vary(0.15)),
            roll_deg=0.45 + vary(0.8),
            focal_35mm=27.5 + vary(4),
            width=1920,
            height=1280,
        ),
        sun_azimuth_deg=-8.0 + vary(12),
        sun_elevation_deg=28.0 + vary(5),
        turbidity=3.4 + vary(0.8),
        ground_material="pale stone",
        model="marl-bench",
        model_at=(0.95, -1.75, 0.0),
        model_turn_deg=14.0 + vary(40),
    )
    _common(place, rng)
    _paved_ground(
        place,
        (-6.4, -8.0, 7.5, 6.0),
        (0.36, 0.315, 0.25),
        ([-4.1, -0.9, 2.6], [-3.2, 0.7, 4.3]),
        (0.42, 0.68),
        rng,
        4096,
        apron=30.0,
    )
    wall = Material(textures.courses(2048, 8.0, (0.42, 0.36, 0.275), rng), roughness=0.9, tile_m=(8.0, 8.0))
    place.materials["wall"] = wall
    place.materials["plaster"] = Material(
        textures.plaster(2048, (0.62, 0.53, 0.4), rng), roughness=0.95, tile_m=(6.0, 4.6)
    )
    place.materials["column"] = Material(textures.stone(512, (0.46, 0.4, 0.31), rng), roughness=0.85, tile_m=(1.2, 1.2))
    place.materials["timber"] = Material(
        textures.timber(512, (0.16, 0.095, 0.05), rng), roughness=0.7, tile_m=(1.4, 1.4)
    )
    place.materials["tile"] = Material(
        textures.stone(512, (0.33, 0.15, 0.09), rng, 0.2), roughness=0.85, tile_m=(0.9, 0.9)
    )
    _arcade(place, rng)
    _side_wall(place, rng)
    _sign(place)
    _well_head(place, -2.35, 1.75)
    lamp_post(place, 3.9, 2.2, 2.85)
    lamp_post(place, 2.2, 4.9, 2.85)
    _tub(place, -4.9, -0.3, 0.72, rng)
    _tub(place, -5.0, 2.6, 0.66, rng)
    _tub(place, 5.6, 4.9, 0.8, rng)
    tower = meshes.bevelled_box((4.2, 4.2, 16), 0.05).moved((-5.5, 24.0, 8.0))
    place.add(tower, "wall")
    spire = meshes.lathe([(3.2, 16), (0.0, 22)], 4, sharp=True).moved((-5.5, 24, 0), 45)
    place.add(spire, "tile")
    for x in (6.5, 10.0, 13.5):
        place.add(meshes.leaves((x, 17 + vary(1), 6.2), (2.2, 2.0, 2.6), 5200, 0.26, rng), "leaf")
    place.yardstick = ((-0.9, 0.7, 0.0), (2.6 + 0.32, 0.7, 0.0))
    return place


def _arcade(place: Place, rng: np.random.Generator) -> None:
    """The far side: a plinth, columns, arches, a tiled lean-to roof and a plastered wall behind."""
    front, bay, bays, x0 = 6.0, 2.15, 7, -6.4
    length = bay * bays
    place.add(
        meshes.bevelled_box((length, 3.4, 0.3), 0.012, 2).moved((x0 + length / 2, front + 1.7, 0.15 - 0.012)),
        "column",
    )
    place.edge("a", (x0 + 0.4, front, 0.28), (x0 + length - 0.4, front, 0.28))
    place.add(meshes.arch_wall(x0, bays, bay, 2.25, 3.95, 0.42, 0.36).moved((0, front + 0.14, 0)), "wall")
    place.edge("a", (x0, front + 0.14, 3.95), (x0 + length, front + 0.14, 3.95))
    shaft = [
        (0.0, 0.288),
        (0.19, 0.288),
        (0.19, 0.36),
        (0.15, 0.4),
        (0.17, 0.44),
        (0.128, 0.5),
        (0.132, 1.2),
        (0.115, 2.02),
        (0.14, 2.05),
        (0.13, 2.08),
        (0.2, 2.2),
        (0.21, 2.25),
    ]
    for i in range(bays + 1):
        x = x0 + i * bay
        place.add(meshes.lathe(shaft, 40).moved((x, front + 0.35, 0)), "column")
        place.add(meshes.bevelled_box((0.44, 0.46, 0.1), 0.008).moved((x, front + 0.35, 2.22)), "column")
    place.add(
        meshes.quad(
            [
                (x0, front + 3.4, 0.28),
                (x0 + length, front + 3.4, 0.28),
                (x0 + length, front + 3.4, 5.2),
                (x0, front + 3.4, 5.2),
            ]
        ),
        "plaster",
    )
    for i in (1, 4):
        x = x0 + (i + 0.5) * bay
        place.add(meshes.bevelled_box((1.05, 0.1, 2.2), 0.01).moved((x, front + 3.37, 1.38)), "timber")
        place.add(meshes.bevelled_box((1.3, 0.08, 0.14), 0.01).moved((x, front + 3.36, 2.55)), "column")
    u, v = np.meshgrid(np.arange(0, length + 0.6, 0.018), np.linspace(0, 1, 30))
    lap = 0.022 * (v * 12 % 1)
    z = 4.02 + v * 1.25 + 0.035 * np.abs(np.sin(u * np.pi / 0.2)) - lap
    roof = np.stack([x0 - 0.3 + u, front - 0.12 + v * 3.7, z], -1)
    place.add(meshes.surface(roof, np.stack([u, v * 4], -1)), "tile")
    place.add(
        meshes.bevelled_box((length + 0.5, 0.09, 0.1), 0.01).moved((x0 + length / 2, front - 0.08, 3.99)),
        "timber",
    )
    for _ in range(3):
        x = rng.uniform(x0, x0 + length)
        place.add(meshes.leaves((x, front + 0.1, 3.4), (0.75, 0.16, 0.7), 1500, 0.09, rng), "leaf")


def _side_wall(place: Place, rng: np.random.Generator) -> None:
    """The left side: a plastered wall with buttresses, windows and a low stone bench."""
    x, y0, y1, top = -6.4, -8.0, 9.4, 4.6
    place.add(meshes.quad([(x, y0, 0), (x, y1, 0), (x, y1, top), (x, y0, top)]), "plaster")
    place.add(meshes.bevelled_box((0.5, y1 - y0, 0.12), 0.02).moved((x + 0.05, (y0 + y1) / 2, top + 0.05)), "column")
    place.edge("b", (x + 0.3, y0, top), (x + 0.3, 5.6, top))
    place.add(meshes.bevelled_box((0.46, 9.6, 0.1), 0.014).moved((x + 0.23, 0.6, 0.43)), "column")
    place.add(meshes.bevelled_box((0.34, 9.4, 0.4), 0.01).moved((x + 0.19, 0.6, 0.19)), "wall")
    place.edge("b", (x + 0.46, -4.1, 0.48), (x + 0.46, 5.3, 0.48))
    for y in (-2.6, 0.6, 3.8):
        place.add(meshes.bevelled_box((0.06, 0.95, 1.5), 0.01).moved((x + 0.01, y, 2.35)), "dark")
        for offset, size in (((0, 0.53, 0), (0.14, 0.14, 1.75)), ((0, -0.53, 0), (0.14, 0.14, 1.75))):
            place.add(meshes.bevelled_box(size, 0.012).moved((x + 0.04, y + offset[1], 2.35)), "column")
        place.edge("plumb", (x + 0.11, y - 0.46, 1.5), (x + 0.11, y - 0.46, 3.2))
        place.edge("plumb", (x + 0.11, y + 0.46, 1.5), (x + 0.11, y + 0.46, 3.2))
        place.add(meshes.bevelled_box((0.2, 1.3, 0.12), 0.014).moved((x + 0.06, y, 1.54)), "column")
        place.add(meshes.bevelled_box((0.18, 1.3, 0.16), 0.014).moved((x + 0.05, y, 3.2)), "column")
        for bar in (-0.24, 0.0, 0.24):
            place.add(meshes.bevelled_box((0.02, 0.02, 1.5), 0.005, 1).moved((x + 0.06, y + bar, 2.35)), "iron")
    ivy = meshes.leaves((x + 0.1, 5.2, 2.2), (0.18, 1.1, 1.9), 5200, 0.085, rng)
    place.add(ivy, "leaf")


def _sign(place: Place) -> None:
    """An empty notice board in an iron frame on the left wall."""
    x, y, z, wide, tall, rim = -6.36, 2.2, 2.02, 0.9, 1.35, 0.04
    place.materials["board"] = Material((0.13, 0.17, 0.18), roughness=0.7)
    place.add(meshes.bevelled_box((0.06, wide, tall), 0.004).moved((x, y, z)), "board")
    for side in (-1, 1):
        upright = meshes.bevelled_box((0.1, rim, tall + 2 * rim), 0.008)
        place.add(upright.moved((x, y + side * (wide + rim) / 2, z)), "iron")
        across = meshes.bevelled_box((0.1, wide + 2 * rim, rim), 0.008)
        place.add(across.moved((x, y, z + side * (tall + rim) / 2)), "iron")
    corners = [(x + 0.03, y + v * wide / 2, z + w * tall / 2) for v, w in ((-1, 1), (1, 1), (1, -1), (-1, -1))]
    place.signs.append(np.array(corners))


def _well_head(place: Place, x: float, y: float) -> None:
    """An old well head on an eight-sided step, with an iron yoke."""
    step = [(0, 0.0), (1.12, 0.0), (1.12, 0.14), (1.08, 0.17), (0, 0.17)]
    place.add(meshes.lathe(step, 8, sharp=True).moved((x, y, 0), 22.5), "column")
    drum = [
        (0.62, 0.17),
        (0.62, 0.27),
        (0.56, 0.31),
        (0.53, 0.6),
        (0.56, 0.86),
        (0.64, 0.9),
        (0.66, 0.98),
        (0.64, 1.03),
        (0.5, 1.04),
        (0.46, 1.0),
        (0.44, 0.4),
        (0.0, 0.4),
    ]
    place.add(meshes.lathe(drum, 64, sharp=True).moved((x, y, 0)), "column")
    angle = np.linspace(0, np.pi, 30)
    yoke = np.stack([0.57 * np.cos(angle), 0 * angle, 1.02 + 0.95 * np.sin(angle)], -1)
    place.add(meshes.tube(yoke, 0.018).moved((x, y, 0), 35), "iron")
    place.add(
        meshes.lathe([(0, 1.62), (0.1, 1.62), (0.12, 1.86), (0.0, 1.86)], 24, sharp=True).moved((x, y, 0)),
        "iron",
    )


def sea_terrace(seed: int = 2) -> Place:
    """A terrace above the sea: balustrade, steps up to a house, a low sun from the side."""
    rng = np.random.default_rng(seed)

    def vary(spread: float) -> float:
        return float(rng.uniform(-spread, spread)) if seed != 2 else 0.0

    place = Place(
        name="Sea terrace, low sun",
        camera=Camera(
            position=(-2.6 + vary(0.7), -6.4 + vary(0.6), 1.68 + vary(0.1)),
            target=(-0.6 + vary(0.3), 1.4, 0.86 + vary(0.12)),
            roll_deg=-0.35 + vary(0.7),
            focal_35mm=29.0 + vary(4),
            width=2400,
            height=1350,
        ),
        sun_azimuth_deg=12.0 + vary(15),
        sun_elevation_deg=19.5 + vary(4),
        turbidity=4.2 + vary(1.0),
        ground_material="warm stone",
        model="tern-fountain",
        model_at=(-0.35, -0.6, 0.0),
        model_turn_deg=-28.0 + vary(60),
    )
    _common(place, rng)
    _paved_ground(
        place, (-6.5, -7.6, 13.5, 5.0), (0.4, 0.315, 0.235), ([-3.4, 0.4, 4.2], [-2.4, 1.3]), (0.5, 0.62), rng, 4096
    )
    place.materials["column"] = Material(textures.stone(512, (0.5, 0.44, 0.35), rng), roughness=0.85, tile_m=(1.3, 1.3))
    place.materials["wall"] = Material(
        textures.courses(2048, 8.0, (0.4, 0.33, 0.25), rng), roughness=0.9, tile_m=(8.0, 8.0)
    )
    place.materials["plaster"] = Material(
        textures.plaster(2048, (0.66, 0.5, 0.36), rng), roughness=0.95, tile_m=(6.0, 5.0)
    )
    place.materials["timber"] = Material(
        textures.timber(512, (0.07, 0.13, 0.13), rng), roughness=0.6, tile_m=(1.2, 1.2)
    )
    place.materials["sea"] = Material((0.02, 0.055, 0.07), roughness=0.28, specular=0.6)
    place.materials["headland"] = Material((0.12, 0.15, 0.15), roughness=1.0)
    place.materials["far"] = Material((0.2, 0.25, 0.29), roughness=1.0)
    _balustrade(place, 5.0)
    _house(place, rng)
    lamp_post(place, 4.6, 1.9, 2.7)
    lamp_post(place, 3.4, 4.2, 2.7)
    _tub(place, -1.8, 4.1, 0.68, rng)
    _tub(place, 5.6, 3.9, 0.6, rng)
    x, y = np.meshgrid(
        np.linspace(-900, 900, 500), np.concatenate([np.linspace(5.6, 60, 260), np.geomspace(61, 2500, 160)])
    )
    swell = (
        0.16 * np.sin(x * 0.21 + y * 0.6) + 0.12 * np.sin(-x * 0.4 + y * 1.1 + 1) + rng.normal(scale=0.07, size=x.shape)
    )
    place.add(meshes.surface(np.stack([x, y, -7 + swell], -1), np.stack([x, y], -1)), "sea")
    hills(place, 900.0, 55.0, rng, "headland")
    hills(place, 1700.0, 120.0, rng, "far")
    place.yardstick = ((0.4, 1.3, 0.0), (4.2, 1.3, 0.0))
    return place


def _balustrade(place: Place, y: float) -> None:
    """A balustrade along the terrace's edge, with piers and urns."""
    x0, x1 = -6.5, 13.5
    length, middle = x1 - x0, (x0 + x1) / 2
    place.add(meshes.bevelled_box((length, 0.36, 0.16), 0.014).moved((middle, y, 0.08)), "column")
    place.add(meshes.bevelled_box((length, 0.34, 0.12), 0.03, 3).moved((middle, y, 0.92)), "column")
    place.edge("a", (x0, y - 0.18, 0.15), (x1, y - 0.18, 0.15))
    place.edge("a", (x0, y - 0.17, 0.965), (x1, y - 0.17, 0.965))
    baluster = [
        (0.0, 0.15),
        (0.075, 0.15),
        (0.075, 0.2),
        (0.045, 0.23),
        (0.08, 0.36),
        (0.085, 0.42),
        (0.05, 0.6),
        (0.038, 0.7),
        (0.06, 0.76),
        (0.06, 0.79),
        (0.075, 0.81),
        (0.075, 0.87),
    ]
    turned = meshes.lathe(baluster, 24)
    piers = np.arange(x0 + 0.3, x1, 2.9)
    for pier in piers:
        place.add(meshes.bevelled_box((0.42, 0.42, 0.96), 0.012).moved((pier, y, 0.48)), "column")
        place.add(meshes.bevelled_box((0.52, 0.52, 0.1), 0.02).moved((pier, y, 1.02)), "column")
        place.edge("plumb", (pier - 0.21, y - 0.21, 0.02), (pier - 0.21, y - 0.21, 0.95))
        place.edge("plumb", (pier + 0.21, y - 0.21, 0.02), (pier + 0.21, y - 0.21, 0.95))
        for x in np.arange(pier + 0.42, pier + 2.6, 0.258):
            if x < x1 - 0.1:
                place.add(turned.moved((float(x), y, 0)), "column")
    urn = [
        (0, 1.07),
        (0.15, 1.07),
        (0.15, 1.12),
        (0.06, 1.17),
        (0.07, 1.22),
        (0.22, 1.4),
        (0.25, 1.52),
        (0.2, 1.58),
        (0.24, 1.62),
        (0, 1.62),
    ]
    for pier in piers[1:3]:
        place.add(meshes.lathe(urn, 40).moved((pier, y, 0)), "tub")


def _house(place: Place, rng: np.random.Generator) -> None:
    """The left side: a plastered house wall with a door up three steps and shutters."""
    x, y0, y1, top = -5.2, -7.6, 4.4, 5.0
    place.add(meshes.quad([(x, y0, 0), (x, y1, 0), (x, y1, top), (x, y0, top)]), "plaster")
    place.add(meshes.quad([(x, y1, -7), (x - 6, y1, -7), (x - 6, y1, top), (x, y1, top)]), "plaster")
    place.add(meshes.bevelled_box((0.12, y1 - y0, 0.5), 0.01).moved((x + 0.03, (y0 + y1) / 2, 0.25)), "wall")
    place.edge("b", (x + 0.09, y0, 0.5), (x + 0.09, y1 - 0.05, 0.5))
    for i in range(3):
        depth = 1.35 - 0.38 * i
        place.add(
            meshes.bevelled_box((depth, 2.1, 0.165), 0.012).moved((x + depth / 2, 1.1, 0.0825 + 0.165 * i)),
            "column",
        )
        place.edge("b", (x + depth, 0.06, 0.16 + 0.165 * i), (x + depth, 2.14, 0.16 + 0.165 * i))
    place.add(meshes.bevelled_box((0.08, 1.05, 2.15), 0.01).moved((x + 0.02, 1.1, 0.5 + 1.07)), "timber")
    for side in (-0.6, 0.6):
        place.add(meshes.bevelled_box((0.16, 0.15, 2.3), 0.012).moved((x + 0.05, 1.1 + side, 0.5 + 1.15)), "column")
        place.edge("plumb", (x + 0.13, 1.1 + side * 1.125, 0.52), (x + 0.13, 1.1 + side * 1.125, 2.78))
    place.add(meshes.bevelled_box((0.2, 1.6, 0.18), 0.014).moved((x + 0.06, 1.1, 2.88)), "column")
    for y in (-2.2, 3.2):
        place.add(meshes.bevelled_box((0.05, 0.9, 1.4), 0.01).moved((x + 0.01, y, 2.1)), "dark")
        for side in (-0.7, 0.7):
            place.add(meshes.bevelled_box((0.05, 0.48, 1.45), 0.008).moved((x + 0.03, y + side, 2.1)), "timber")
            place.edge("plumb", (x + 0.055, y + side * 1.343, 1.4), (x + 0.055, y + side * 1.343, 2.8))
        place.add(meshes.bevelled_box((0.18, 1.2, 0.1), 0.014).moved((x + 0.07, y, 1.35)), "column")
    place.add(meshes.leaves((x + 0.15, -0.9, 2.6), (0.2, 0.8, 1.4), 3800, 0.09, rng), "leaf")


PLACES = {"cloister-yard": cloister_yard, "sea-terrace": sea_terrace}
