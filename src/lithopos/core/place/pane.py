"""Panes: where the four corners of a flat picture in the photograph lie in the world, and what hangs there.

Four corners of a parallelogram and the camera give its plane: with the rays r of the corners,
t₁ r₁ - t₂ r₂ + t₃ r₃ - t₄ r₄ = 0 has one solution up to a factor, so that the corners are met exactly. The factor
is the pane's size or its distance. How far the angle at its corner is from 90° tells how well marks and camera agree.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, Protocol

import numpy as np
from pydantic import BaseModel

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.errors import NoAnswer
from lithopos.core.exchange.graphic import Graphic
from lithopos.core.geometry.model import Material, Model, Part, Texture
from lithopos.core.place.face import Face, holds
from lithopos.core.shot import Pane

GUESSED_WIDTH_M = 1.0
MOST_ASKEW_DEG = 25.0
BEHIND = 1.002  # how much farther away lies what a pane hangs on
BAR_DEPTH_M = 0.012
SAME_PLACE = 0.15  # how far off what is told of a pane a wall may be, of natural logarithms, and hold it still
ON_WALL_M = 0.003

ScaleFrom = Literal["width", "foot", "wall", "guess"]

__all__ = ["FourCorners", "PaneAnswer", "hung", "pane_answer", "pane_model", "plumb_factor"]


class FourCorners(Protocol):
    """What hangs on four corners of the photograph: a pane, a window."""

    @property
    def id(self) -> str:
        """Its identity in the document."""
        ...

    @property
    def corners(self) -> tuple[Pixel, Pixel, Pixel, Pixel]:
        """Top left, top right, bottom right, bottom left [px]."""
        ...

    @property
    def width_m(self) -> float | None:
        """Its true width [m], if it is known."""
        ...

    @property
    def foot(self) -> Pixel | None:
        """The ground plumb below its bottom left corner [px]."""
        ...


class PaneAnswer(BaseModel):
    """Where a pane hangs.

    Attributes
    ----------
    corners_m : (4, 3) top left, top right, bottom right, bottom left.
    width_m, height_m : as they are in force; `scale_from` says what gave them.
    askew_deg : how far the angle at its corners is from square.
    reason : why there is no answer.
    """

    id: str
    corners_m: list[tuple[float, float, float]] | None = None
    width_m: float | None = None
    height_m: float | None = None
    scale_from: ScaleFrom = "guess"
    askew_deg: float | None = None
    reason: str | None = None


@dataclass(frozen=True)
class _Hung:
    """`on_wall`: it lies on a side of what stands there."""

    corners: Array
    scale_from: ScaleFrom
    on_wall: bool = False


def hung(pane: FourCorners, camera: Pinhole, walls: Sequence[Face] = ()) -> _Hung | NoAnswer:
    """The corners of a pane in the world, (4, 3) [m], or why there are none.

    Parameters
    ----------
    walls : sides of what stands there. On one that holds it, and is about as far away as is told of the pane, it
        lies flat.
    """
    found = _hung_freely(pane, camera)
    if isinstance(found, NoAnswer):
        return found
    on_wall = _on_wall(found, camera, walls)
    if on_wall is None:
        return found
    return _Hung(on_wall, "wall" if found.scale_from == "guess" else found.scale_from, True)


def _on_wall(found: _Hung, camera: Pinhole, walls: Sequence[Face]) -> Array | None:
    """A pane's corners on the nearest side that holds them, just before it; None: on none."""
    away = found.corners - camera.position
    nearest, best = None, np.inf
    for wall in walls:
        normal = wall.normal
        facing = away @ normal
        if (facing >= 0).any():
            continue
        reach = float((wall.corners[0] - camera.position) @ normal) / facing
        corners = camera.position + reach[:, None] * away
        told = found.scale_from == "guess" or abs(float(np.log(np.maximum(reach, 1e-9)).mean())) < SAME_PLACE
        if (reach > 0).all() and told and reach.mean() < best and holds(wall, corners):
            nearest, best = corners + ON_WALL_M * normal, float(reach.mean())
    return nearest


def _hung_freely(pane: FourCorners, camera: Pinhole) -> _Hung | NoAnswer:
    """By its own corners and what is told of its size or place."""
    rays = camera.rays(np.array(pane.corners, float))
    a, b, c, d = rays
    _, spread, axes = np.linalg.svd(np.stack([a, -b, c, -d], axis=1))
    away = axes[-1]
    away = away * np.sign(away.sum())
    if (away <= 0).any() or spread[-1] < 1e-9:
        return NoAnswer("its corners don’t go round a flat picture: top left, top right, bottom right, bottom left")
    points = rays * away[:, None]
    width = float(np.linalg.norm(points[1] - points[0]))
    height = float(np.linalg.norm(points[3] - points[0]))
    if min(width, height) < 1e-6 * float(away.max()):
        return NoAnswer("its corners lie on one line")
    if pane.width_m is not None:
        return _Hung(camera.position + points * (pane.width_m / width), "width")
    if pane.foot is not None:
        factor = plumb_factor(pane.foot, points[3], camera)
        if factor is None:
            return NoAnswer("its foot must lie on the ground, plumb below its bottom left corner")
        return _Hung(camera.position + points * factor, "foot")
    return _Hung(camera.position + points * (GUESSED_WIDTH_M / width), "guess")


def plumb_factor(foot: Pixel, corner: Array, camera: Pinhole) -> float | None:
    """How much farther than a way from the camera (3,) a point lies that is plumb over a pixel of the ground.

    Way and plumb line are nearest there in the level; None where there is no such point.
    """
    ground = camera.ground_points(np.array([foot], float))[0]
    if not np.isfinite(ground).all():
        return None
    level = ground[:2] - camera.position[:2]
    along = corner[:2]
    factor = float(level @ along / max(along @ along, 1e-12))
    return factor if factor > 1e-6 else None


def pane_answer(pane: FourCorners, camera: Pinhole | None, walls: Sequence[Face] = ()) -> PaneAnswer:
    """What is told of a pane; `walls` as of `hung`."""
    if camera is None:
        return PaneAnswer(id=pane.id, reason="the camera must be solved first")
    found = hung(pane, camera, walls)
    if isinstance(found, NoAnswer):
        return PaneAnswer(id=pane.id, reason=found.reason)
    across, down = found.corners[1] - found.corners[0], found.corners[3] - found.corners[0]
    width, height = float(np.linalg.norm(across)), float(np.linalg.norm(down))
    askew = float(np.degrees(np.arcsin(np.clip(across @ down / width / height, -1, 1))))
    corners = [(float(x), float(y), float(z)) for x, y, z in found.corners]
    return PaneAnswer(
        id=pane.id,
        corners_m=corners,
        width_m=width,
        height_m=height,
        scale_from=found.scale_from,
        askew_deg=askew,
    )


def pane_model(pane: Pane, corners: Array, graphic: Graphic | None, white_cd: float) -> Model:
    """What hangs there: the picture, its frame and its thickness, in the world's metres.

    Parameters
    ----------
    graphic : what it shows; None for plain white.
    white_cd : the luminance of white paint in the place's light [cd/m²].
    """
    colour = graphic.linear if graphic is not None else np.ones((1, 1, 4), np.float32)
    rgb, alpha = np.ascontiguousarray(colour[..., :3]), np.ascontiguousarray(colour[..., 3])
    materials = [_shown(pane, rgb, alpha, white_cd), _frame_material(pane)]
    parts = [_quad("picture", corners, 0)]
    out = np.cross(corners[3] - corners[0], corners[1] - corners[0])
    out = out / np.linalg.norm(out)
    if pane.thickness_mm > 0:
        back = corners - out * pane.thickness_mm / 1000
        ring = [0, 1, 2, 3, 0]
        for n in range(4):
            one, two = ring[n], ring[n + 1]
            parts.append(_quad("side", np.stack([corners[one], back[one], back[two], corners[two]]), 1))
        parts.append(_quad("back", back[[1, 0, 3, 2]], 1))
    if pane.frame_mm > 0:
        parts += _bars(corners, out, pane.frame_mm / 1000)
    return Model(parts, materials)


def _shown(pane: Pane, rgb: Floats, alpha: Floats, white_cd: float) -> Material:
    opacity: Texture | float = Texture(alpha, wrap="clamp") if float(alpha.min()) < 1 else 1.0
    coat = 1.0 if pane.glass else 0.0
    if pane.lit == "by the place":
        return Material(
            "picture",
            Texture(rgb, wrap="clamp"),
            1 - pane.gloss,
            opacity=opacity,
            specular=0.0 if pane.gloss == 0 else 1.0,
            coat=coat,
        )
    bright = pane.brightness
    if pane.brightness_in == "cd/m2":
        bright /= white_cd
    shone = Texture(np.asarray(rgb * np.float32(bright), np.float32), wrap="clamp")
    return Material("picture", np.full(3, 0.02, np.float32), 1 - pane.gloss, opacity=opacity, emission=shone, coat=coat)


def _frame_material(pane: Pane) -> Material:
    return Material("frame", np.array(pane.frame_colour, np.float32), 0.5)


def _quad(name: str, corners: Array, material: int) -> Part:
    """Corners that go round clockwise as seen from its front; uv from the first, v down."""
    normal = np.cross(corners[3] - corners[0], corners[1] - corners[0])
    normal = normal / max(float(np.linalg.norm(normal)), 1e-12)
    uv = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])
    return Part(name, corners, np.tile(normal, (4, 1)), uv, np.array([[0, 2, 1], [0, 3, 2]]), material)


def _bars(corners: Array, out: Array, width: float) -> list[Part]:
    """A frame round the picture, mitred, standing out a little."""
    across, down = corners[1] - corners[0], corners[3] - corners[0]
    across, down = across / np.linalg.norm(across), down / np.linalg.norm(down)
    ways = np.array([-across - down, across - down, across + down, -across + down])
    outer, front = corners + width * ways, out * BAR_DEPTH_M
    parts = []
    for n in range(4):
        m = (n + 1) % 4
        parts.append(_quad("frame", np.stack([outer[n], outer[m], corners[m], corners[n]]) + front, 1))
        parts.append(_quad("frame", np.stack([corners[n] + front, corners[m] + front, corners[m], corners[n]]), 1))
        parts.append(_quad("frame", np.stack([outer[m] + front, outer[n] + front, outer[n], outer[m]]), 1))
    return parts
