"""From a shot to what the renderer needs: camera, ground, light, models, and the part of the picture
that the models can change.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.colour import decode_srgb, luminance
from lithopos.core.derive import derive
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Model
from lithopos.core.materials import GROUND_MATERIALS, GroundMaterial
from lithopos.core.shot import Placed, Shot

Region = tuple[int, int, int, int]  # x0, y0, x1, y1 [px]

__all__ = ["Region", "Scene", "StoodModel", "build_scene", "placement"]


@dataclass(frozen=True)
class StoodModel:
    """A model with the matrix (4, 4) that stands it in the world."""

    model: Model
    matrix: Array


@dataclass(frozen=True)
class Scene:
    """Everything a tracer needs, in plain data.

    Attributes
    ----------
    camera : for the picture's size.
    region : the part of the picture that the models can change [px].
    ground_rect : (x0, y0, x1, y1) [m] covered by `ground_reflectance`.
    ground_reflectance : (N, N, 3) linear, first row at y0; its border is the mean, which goes on outside.
    sun : unit vector to the sun.
    ground_level : linear luminance that a white sunlit ground would have in the photograph's exposure.
    """

    camera: Pinhole
    region: Region
    models: list[StoodModel]
    ground: GroundMaterial
    ground_rect: tuple[float, float, float, float]
    ground_reflectance: Floats
    ground_level: float
    sun: Array
    sun_strength: float
    sun_softness_deg: float
    sky_strength: float
    turbidity: float


def placement(placed: Placed, model: Model) -> Array:
    """(4, 4) matrix that stands a model: the middle of its foot at the place, turned and sized.

    A model's foot is the middle of its bounding box, at its lowest point.
    """
    low, high = model.bounds()
    foot = np.array([(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]])
    angle = np.radians(placed.turn_deg)
    c, s = np.cos(angle) * placed.size, np.sin(angle) * placed.size
    matrix = np.eye(4)
    matrix[:3, :3] = [[c, -s, 0], [s, c, 0], [0, 0, placed.size]]
    matrix[:3, 3] = np.array(placed.position_m) - matrix[:3, :3] @ foot
    return matrix


def build_scene(shot: Shot, photograph: Picture, read_model: Callable[[str], Model]) -> Scene:
    """The scene of a shot for a photograph of any size (a smaller one for a proof).

    Parameters
    ----------
    photograph : the photograph, or a smaller copy of the same shape.
    read_model : gives the model of a file's name.

    Raises
    ------
    InputError
        If the shot lacks something that a render needs; it says what.
    """
    if shot.photograph is None:
        raise InputError("photograph", "is missing: a shot begins with one")
    facts = derive(shot)
    if facts.camera is None:
        raise InputError("camera", facts.camera_reason or "is not solved")
    if not facts.metric:
        raise InputError("lengths", "holds no yardstick: without a known length the model has no size in the picture")
    if facts.sun_shown is None:
        raise InputError("sun", f"is not known: {facts.sun_reason}")
    if not shot.models:
        raise InputError("models", "is empty: nothing stands in the photograph yet")
    height, width = photograph.codes.shape[:2]
    camera = pinhole_of(facts.camera).scaled(width / shot.photograph.width)
    stood = []
    for placed in shot.models:
        model = read_model(placed.file)
        stood.append(StoodModel(model, placement(placed, model)))
    sun = np.array(facts.sun_shown)
    material = GROUND_MATERIALS[shot.ground.material]
    mean = shot.ground.reflectance or material.reflectance
    linear = decode_srgb(photograph.encoded)
    footprint = np.concatenate([_corners(thing)[:, :2] for thing in stood])
    level = _sunlit_level(linear, camera, footprint)
    rect, reflectance = _ground_picture(linear, camera, footprint, mean, level)
    return Scene(
        camera=camera,
        region=_influenced(camera, stood, sun, width, height),
        models=stood,
        ground=material,
        ground_rect=rect,
        ground_reflectance=reflectance,
        ground_level=level / mean,
        sun=sun,
        sun_strength=shot.sun.strength,
        sun_softness_deg=shot.sun.softness_deg,
        sky_strength=shot.sky.strength,
        turbidity=shot.sky.turbidity,
    )


def _corners(thing: StoodModel) -> Array:
    """The eight corners of a stood model's box, (8, 3) [m]."""
    bounds = thing.model.bounds()
    grid = np.array([[bounds[i, 0], bounds[j, 1], bounds[k, 2]] for i in (0, 1) for j in (0, 1) for k in (0, 1)])
    return np.asarray(grid @ thing.matrix[:3, :3].T + thing.matrix[:3, 3])


def _influenced(camera: Pinhole, models: list[StoodModel], sun: Array, width: int, height: int) -> Region:
    """The pixels that models, their shadows and the dimmed ground about them can fall on."""
    points = []
    for thing in models:
        corners = _corners(thing)
        rise = np.maximum(corners[:, 2], 0)
        reach = np.minimum(rise / max(sun[2], 0.02), 60)
        shadow = corners - (reach / max(float(np.linalg.norm(sun)), 1e-9))[:, None] * sun
        low = np.concatenate([corners, shadow])[:, :2]
        margin = 0.35 + 0.9 * float(rise.max())
        angle = np.linspace(0, 2 * np.pi, 24, endpoint=False)
        ring = margin * np.column_stack([np.cos(angle), np.sin(angle)])
        about = (low[:, None] + ring[None]).reshape(-1, 2)
        points += [corners, np.column_stack([about, np.zeros(len(about))])]
    pixels = camera.project(np.concatenate(points))
    if not np.isfinite(pixels).all():
        return (0, 0, width, height)
    x0, y0 = np.floor(pixels.min(0)).astype(int) - 8
    x1, y1 = np.ceil(pixels.max(0)).astype(int) + 8
    x0, y0, x1, y1 = max(x0, 0), max(y0, 0), min(x1, width), min(y1, height)
    if x1 - x0 < 16 or y1 - y0 < 16:
        raise InputError("models", "stand outside the picture; move one into view")
    return (int(x0), int(y0), int(x1), int(y1))


def _sunlit_level(linear: Floats, camera: Pinhole, footprint: Array) -> float:
    """Luminance of the sunlit ground beside the models: the brighter cluster where there are two.

    The ground within twice the footprint's reach is looked at; light and shade are parted where the
    spread between them is largest (Otsu 1979, DOI 10.1109/TSMC.1979.4310076), on a logarithmic scale.
    """
    middle, reach = footprint.mean(0), max(float(np.ptp(footprint, axis=0).max()), 0.6)
    axis = np.linspace(-1.6 * reach, 1.6 * reach, 160)
    x, y = np.meshgrid(middle[0] + axis, middle[1] + axis)
    pixels = camera.project(np.column_stack([x.ravel(), y.ravel(), 0 * x.ravel()]))
    height, width = linear.shape[:2]
    inside = np.isfinite(pixels).all(1) & (pixels > 1).all(1) & (pixels < [width - 1, height - 1]).all(1)
    if np.count_nonzero(inside) < 50:
        raise InputError("models", "stand where the photograph shows no ground; move one into view")
    column, row = pixels[inside].astype(int).T
    bright = np.log(np.maximum(luminance(linear[row, column]), 1e-4))
    low, high = np.percentile(bright, [2, 98])
    if high - low < 0.7:
        return float(np.exp(np.median(bright)))
    scaled = np.clip((bright - low) / (high - low) * 255, 0, 255).astype(np.uint8)
    cut, _ = cv2.threshold(scaled[None], 0, 255, cv2.THRESH_BINARY | cv2.THRESH_OTSU)
    lit, dim = bright[scaled > cut], bright[scaled <= cut]
    parted = len(lit) > 0.08 * len(bright) and np.median(lit) - np.median(dim) > 0.6
    return float(np.exp(np.median(lit if parted else bright)))


def _ground_picture(
    linear: Floats, camera: Pinhole, footprint: Array, mean: float, level: float, pixels: int = 1024
) -> tuple[tuple[float, float, float, float], Floats]:
    """The ground's reflectance, looked up in the photograph point by point through the camera and its lens.

    The photograph's level in the sun stands for the material's mean reflectance. Shade that is in the
    photograph stays in the reflectance; it only colours the light that the ground throws back.
    """
    low, high = footprint.min(0), footprint.max(0)
    half = max(3.0, 1.5 * float((high - low).max()))
    middle = (low + high) / 2
    x0, y0 = middle - half
    step = 2 * half / pixels
    x, y = np.meshgrid(x0 + (np.arange(pixels) + 0.5) * step, y0 + (np.arange(pixels) + 0.5) * step)
    column, row = camera.project(np.column_stack([x.ravel(), y.ravel(), 0 * x.ravel()])).T.reshape(2, pixels, pixels)
    tint = np.full(3, level, np.float32)
    # Ground behind the camera has no pixel (NaN): it is looked up outside the picture.
    seen = cv2.remap(
        linear,
        np.nan_to_num(column - 0.5, nan=-9).astype(np.float32),
        np.nan_to_num(row - 0.5, nan=-9).astype(np.float32),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_CONSTANT,
        borderValue=(-1, -1, -1),
    )
    known = seen.min(-1) >= 0
    if known.any():
        tint = np.median(seen[known], axis=0).astype(np.float32)
        tint *= level / max(float(luminance(tint)), 1e-6)
    seen = np.where(known[..., None], seen, tint)
    seen[[0, -1]] = tint
    seen[:, [0, -1]] = tint
    reflectance = np.clip(seen * (mean / level), 0.02, 0.9).astype(np.float32)
    return (float(x0), float(y0), float(x0 + 2 * half), float(y0 + 2 * half)), reflectance
