"""From a shot to what a tracer needs, in plain data: camera, receivers, models, lights, exposure."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.colour import decode_srgb
from lithopos.core.derive import Derived, derive
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Y_TO_Z, Model
from lithopos.core.geometry.units import METRES
from lithopos.core.materials import GROUND_MATERIALS
from lithopos.core.place.exposure import GroundLevel, ground_level
from lithopos.core.place.planes import Rect, level_patch, plane_receiver
from lithopos.core.place.receiver import Receiver, Sheen
from lithopos.core.readiness import missing
from lithopos.core.shot import Placed, Shot
from lithopos.core.surfaces import dressed

MOST_AWAY_M = 2000.0
LOOKED_AT_PIXELS = 4_000_000  # of the photograph, for what it shows of the place
SAME_HEIGHT_M = 0.002

__all__ = ["Environment", "KnownPlace", "Lamp", "Light", "Scene", "StoodModel", "SunSky", "build_scene", "placement"]


@dataclass(frozen=True)
class StoodModel:
    """A model with the matrix (4, 4) that stands it in the world, and the height of what it stands on [m]."""

    name: str
    model: Model
    matrix: Array
    stands_at_m: float = 0.0

    def corners(self) -> Array:
        """The eight corners of its box, (8, 3) [m]."""
        low, high = self.model.bounds()
        grid = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        return np.asarray(grid @ self.matrix[:3, :3].T + self.matrix[:3, 3])


@dataclass(frozen=True)
class SunSky:
    """A clear day's sun and sky; `direction` is the unit vector to the sun, strengths beside that day's."""

    direction: tuple[float, float, float]
    sun_strength: float
    sky_strength: float
    sun_width_deg: float
    turbidity: float


@dataclass(frozen=True)
class Environment:
    """Light from all around: (H, W, 3) linear radiance by longitude and latitude, z up, its middle towards +x."""

    radiance: Floats
    turn_deg: float = 0.0


@dataclass(frozen=True)
class Lamp:
    """A small ball that shines: middle [m], radius [m], radiance (3,)."""

    position: tuple[float, float, float]
    radius_m: float
    radiance: tuple[float, float, float]


Light = SunSky | Environment | Lamp


@dataclass(frozen=True)
class Scene:
    """Everything a tracer needs.

    Attributes
    ----------
    camera : for the picture's size.
    white_level : linear luminance that a white, level, lit surface has in the photograph's exposure.
    place_key, things_key : tell what the empty place, and the models without their places, are made of: as
        long as they stay, what was traced or loaded of them holds.
    notes : plain sentences on what is doubtful.
    """

    camera: Pinhole
    receivers: tuple[Receiver, ...]
    models: tuple[StoodModel, ...]
    lights: tuple[Light, ...]
    white_level: float
    place_key: str = ""
    things_key: str = ""
    notes: tuple[str, ...] = field(default=())

    @property
    def sun(self) -> Array | None:
        """The direction to the sun, if one shines."""
        for light in self.lights:
            if isinstance(light, SunSky) and light.sun_strength > 0:
                return np.array(light.direction)
        return None


def placement(placed: Placed, model: Model) -> Array:
    """(4, 4) matrix that stands a model: the middle of its foot at the place, turned and sized.

    A model's foot is the middle of its bounding box, at its lowest point, as it stands upright.
    """
    upright = _upright(placed, model)
    corners = model.bounds() @ upright.T  # a quarter turn keeps boxes boxes
    low, high = corners.min(0), corners.max(0)
    foot = np.linalg.inv(upright) @ [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]]
    size = placed.size * (METRES[placed.unit] / model.unit.metres if placed.unit else 1.0)
    angle = np.radians(placed.turn_deg)
    c, s = np.cos(angle), np.sin(angle)
    matrix = np.eye(4)
    matrix[:3, :3] = size * np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]) @ upright
    matrix[:3, 3] = np.array(placed.position_m) - matrix[:3, :3] @ foot
    return matrix


def _upright(placed: Placed, model: Model) -> Array:
    """The quarter turn about x that puts up what the shot says is up, where the reader took another axis."""
    if placed.up is None or placed.up == model.up:
        return np.eye(3)
    return Y_TO_Z if placed.up == "y" else Y_TO_Z.T


@dataclass
class KnownPlace:
    """The receivers of the last scene and the level of its ground: held while what they are made of stays."""

    key: str = ""
    receivers: tuple[Receiver, ...] = ()
    level: GroundLevel = field(default_factory=lambda: GroundLevel(0.0))


def build_scene(
    shot: Shot,
    photograph: Picture,
    read_model: Callable[[str], Model],
    photograph_key: str = "",
    known: KnownPlace | None = None,
) -> Scene:
    """The scene of a shot for a photograph of any size (a smaller one for a proof).

    Parameters
    ----------
    photograph : the photograph, or a smaller copy of the same shape.
    read_model : gives the model of a file's name.
    photograph_key : tells the photograph's content for the keys; without it nothing is known again.
    known : the place of the last scene, brought up to date.

    Raises
    ------
    InputError
        If the shot lacks something that a render needs; it says what.
    """
    facts = derive(shot)
    for lack in missing(shot, facts):
        raise InputError(lack.field, lack.cause)
    assert shot.photograph and facts.camera and facts.sun_shown
    height, width = photograph.codes.shape[:2]
    camera = pinhole_of(facts.camera).scaled(width / shot.photograph.width)
    stood = tuple(
        _stood(placed, dressed(read_model(placed.file), placed.surfaces), facts, camera) for placed in shot.models
    )
    light = SunSky(facts.sun_shown, shot.sun.strength, shot.sky.strength, shot.sun.softness_deg, shot.sky.turbidity)
    material = GROUND_MATERIALS[shot.ground.material]
    mean = shot.ground.reflectance or material.reflectance
    sheen = Sheen(material.coat, material.roughness)
    layout = _layout(stood)
    figures = (camera.focal_px, *camera.principal_point, *camera.rotation.ravel(), *camera.position, camera.k1)
    made_of = (photograph_key, width, height, figures, layout, mean, sheen, light.sun_strength > 0)
    known = known or KnownPlace()
    if not photograph_key or known.key != repr(made_of):
        receivers, level = _place(photograph, camera, layout, mean, sheen, light.sun_strength > 0)
        known.key, known.receivers, known.level = repr(made_of), receivers, level
    return Scene(
        camera,
        known.receivers,
        stood,
        (light,),
        known.level.luminance / mean,
        repr((made_of, light)) if photograph_key else "",
        repr([(thing.file, thing.id, thing.surfaces) for thing in shot.models]),
        known.level.notes,
    )


def _stood(placed: Placed, model: Model, facts: Derived, camera: Pinhole) -> StoodModel:
    away = np.linalg.norm(np.array(placed.position_m) - camera.position)
    if away > MOST_AWAY_M:
        raise InputError("models", f"{placed.name or placed.id} stands {away / 1000:.1f} km away; bring it nearer")
    return StoodModel(placed.name or placed.id, model, placement(placed, model), _standing_height(placed, facts))


def _standing_height(placed: Placed, facts: Derived) -> float:
    """The height of the level that a model names, or whose height its foot has; else the ground's."""
    for level in facts.levels:
        if level.id == placed.level and level.height_m is None:
            raise InputError("levels", f"the level that {placed.name or placed.id} stands on has no height yet")
        at = level.height_m
        named = level.id == placed.level
        if at is not None and (named or (placed.level is None and abs(placed.position_m[2] - at) < SAME_HEIGHT_M)):
            return at
    return 0.0


@dataclass(frozen=True)
class _Layout:
    """The height of the main plane [m], and the parts of other levels that models stand on, by height."""

    main_m: float
    levels: tuple[tuple[float, Rect], ...]


def _layout(stood: tuple[StoodModel, ...]) -> _Layout:
    """Which planes receive.

    A level has no borders of its own yet: with nothing on the ground it is a whole plane in the ground's stead;
    beside things on the ground it is the part that its models can change.
    """
    heights = sorted({thing.stands_at_m for thing in stood})
    main = 0.0 if 0.0 in heights else heights[0]
    levels = []
    for height in heights:
        if height == main:
            continue
        corners = [thing.corners() for thing in stood if thing.stands_at_m == height]
        tallest = max(float(np.ptp(part[:, 2])) for part in corners)
        levels.append((height, level_patch(np.concatenate(corners)[:, :2], 1.0 + 1.5 * tallest)))
    return _Layout(main, tuple(levels))


def _place(
    photograph: Picture, camera: Pinhole, layout: _Layout, mean: float, sheen: Sheen, has_sun: bool
) -> tuple[tuple[Receiver, ...], GroundLevel]:
    """The receivers with the photograph on them, and how bright the main plane is in it."""
    height, width = photograph.codes.shape[:2]
    scale = min(1.0, (LOOKED_AT_PIXELS / (width * height)) ** 0.5)
    if scale < 1:
        camera = camera.scaled(round(width * scale) / width)
        size = (round(width * scale), round(height * scale))
        photograph = Picture(cv2.resize(photograph.codes, size, interpolation=cv2.INTER_AREA))
    encoded = photograph.encoded
    linear = decode_srgb(encoded)
    level = ground_level(encoded, linear, camera, layout.main_m, has_sun)

    def plane(name: str, height_m: float, only: Rect | None = None, without: tuple[Rect, ...] = ()) -> Receiver:
        return plane_receiver(
            name,
            linear,
            camera,
            height_m=height_m,
            mean=mean,
            level=level.luminance,
            sheen=sheen,
            only=only,
            without=without,
        )

    holes = tuple(part for at, part in layout.levels if at < layout.main_m)
    others = [plane(f"level {at:g}", at, only=part) for at, part in layout.levels]
    return (plane("ground", layout.main_m, without=holes), *others), level
