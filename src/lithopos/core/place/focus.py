"""Where a photograph is sharp and how open its lens was, from a spot of the ground that is sharp and a soft one.

How soft edges are about a spot is told from how much less steep they become when they are spread once more (Zhuo & Sim
2011, DOI 10.1016/j.patcog.2011.03.009, section 3). Where it is sharp an edge is taken for one of a Gaussian of the
deviation σ: spread by σ₁ it is √((σ² + σ₂²) / (σ² + σ₁²)) times as steep as spread by σ₂. Where it is soft it was
spread over a disc of the radius r besides, whose profile across is 2 √(r² − x²) / (π r²); the same ratio then tells r,
and r the opening, edge by edge: on level ground it is another in each row.
"""

from __future__ import annotations

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.depth import Lens, axis_depth
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.colour import decode_srgb, luminance
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture

SHARP_PX, ABOUT_PX = 45, 90  # as far about the sharp and the soft spot edges are looked for
FINE, COARSE = (0.8, 1.6), (1.6, 3.2)  # σ₁, σ₂ [px], for what is sharp and for what is soft
STEEPEST = 0.3  # of all crests of steepness that are judged …
ALONE = 0.25  # … and of those the share that stand apart: beside another edge one seems sharper than it is
LEAST_EDGES, LEAST_STEEP = 25, 0.003  # linear, a pixel
# What looking for steepness spreads an edge by itself, with a pixel's own box: measured on edges of none [px²].
OWN_SPREAD = 0.40
LEAST_SOFT_PX, MOST_SOFT_PX = 0.5, 20.0  # of a disc's radius

__all__ = ["FocusAnswer", "FocusQuestion", "disc_radii_px", "edge_sigma", "focus_of"]


class FocusQuestion(BaseModel):
    """Pixels of the ground: where it is sharp, where it is soft."""

    model_config = ConfigDict(extra="forbid")

    sharp: Pixel
    soft: Pixel


class FocusAnswer(BaseModel):
    """How far along its axis the camera was focused, the opening's diameter; by how much what is sharp is spread beyond
    a pixel; the soft spot's depth and disc radius."""

    focus_m: float
    aperture_mm: float
    softness_px: float
    soft_m: float
    disc_px: float


def focus_of(question: FocusQuestion, photograph: Picture, camera: Pinhole) -> FocusAnswer:
    """The lens by two spots.

    Parameters
    ----------
    camera : for the photograph's size.

    Raises
    ------
    InputError
        If a spot is not on the ground, shows no edges, or is not softer than the other.
    """
    points = camera.ground_points(np.array([question.sharp, question.soft], float))
    if not np.isfinite(points).all():
        raise InputError("focus", "can’t be told there: both spots must lie on the ground")
    sharp_m, soft_m = axis_depth(camera, points)
    if abs(1 / sharp_m - 1 / soft_m) * min(sharp_m, soft_m) < 0.05:
        raise InputError("focus", "can’t be told from spots that are as far away")
    sigma = edge_sigma(_about(photograph, question.sharp, SHARP_PX)[0])
    soft = _about(photograph, question.soft, ABOUT_PX)
    found = _openings(*soft, sigma, camera, float(sharp_m)) if sigma is not None else None
    if sigma is None or found is None:
        which = "sharp" if sigma is None else "soft"
        raise InputError("focus", f"can’t be told: about the {which} spot there are no edges to judge by")
    radius_m = float(np.quantile(found, 1 - ALONE))
    disc_px = float(Lens(radius_m, float(sharp_m)).disc_px(camera, soft_m))
    if disc_px < LEAST_SOFT_PX:
        raise InputError("focus", "can’t be told: the second spot is not softer than the first")
    told = {"focus_m": float(sharp_m), "soft_m": float(soft_m), "disc_px": disc_px}
    softness = float(np.sqrt(max(sigma**2 - OWN_SPREAD, 0)))
    return FocusAnswer(aperture_mm=2000 * radius_m, softness_px=softness, **told)


def _openings(light: Floats, corner: tuple[int, int], sigma: float, camera: Pinhole, focus_m: float) -> Array | None:
    """The lens's radius [m] by each edge of a patch of the ground, whose first pixel is `corner`."""
    crests = _crests(light, *COARSE)
    if crests is None:
        return None
    places, ratios = crests
    depth = axis_depth(camera, camera.ground_points(places + corner + 0.5))
    unit = Lens(1.0, focus_m).disc_px(camera, np.where(np.isfinite(depth), depth, focus_m))
    told = unit > 0.3 * unit.max()
    return disc_radii_px(ratios, sigma)[told] / unit[told]


def _about(photograph: Picture, spot: tuple[float, float], reach: int) -> tuple[Floats, tuple[int, int]]:
    """The linear light about a spot, and its first pixel (x, y)."""
    x0, y0 = (max(0, int(value) - reach) for value in spot)
    codes = photograph.codes[y0 : int(spot[1]) + reach, x0 : int(spot[0]) + reach]
    return luminance(decode_srgb(Picture(codes).encoded)), (x0, y0)


def edge_sigma(light: Floats) -> float | None:
    """The deviation [px] by which the edges of a sharp patch (H, W) of linear light are spread; None if it has none."""
    crests = _crests(light, *FINE)
    if crests is None:
        return None
    ratio = float(np.quantile(crests[1], ALONE))
    one, two = FINE
    return float(np.sqrt(max((two**2 - ratio**2 * one**2) / max(ratio**2 - 1, 1e-6), 0)))


def disc_radii_px(ratios: Array, sigma: float) -> Array:
    """The radii (N,) of discs over which edges, of the deviation `sigma` where they are sharp, are spread [px]."""
    radii = np.arange(0.0, MOST_SOFT_PX, 0.05)
    steep, flat = (_disc_edge(radii, float(np.hypot(sigma, spread))) for spread in COARSE)
    return np.interp(-ratios, -(steep / flat), radii)  # the ratio falls with the radius


def _disc_edge(radii: Array, sigma: float) -> Array:
    """How steep an edge of height 1 is in its middle, spread over discs of radii and by a Gaussian besides."""
    angle = (np.arange(256) + 0.5) / 256 * np.pi - np.pi / 2  # x = r sin φ: (2 / π) cos² φ dφ
    across = radii[:, None] * np.sin(angle)
    gauss = np.exp(-((across / sigma) ** 2) / 2) / (sigma * np.sqrt(2 * np.pi))
    return np.asarray((gauss * np.cos(angle) ** 2).sum(1) * 2 / 256)


def _crests(light: Floats, one: float, two: float) -> tuple[Array, Array] | None:
    """Where edges are (N, 2), x and y, and how many times as steep when spread by `one` as by `two`; None if few."""
    steep, flat = (_steepness(cv2.GaussianBlur(light, (0, 0), sigma)) for sigma in (one, two))
    crest = (steep == cv2.dilate(steep, np.ones((3, 3), np.uint8))) & (steep > LEAST_STEEP)
    margin = int(np.ceil(2 * two))
    crest[:margin] = crest[-margin:] = False
    crest[:, :margin] = crest[:, -margin:] = False
    if np.count_nonzero(crest) < LEAST_EDGES:
        return None
    rows, columns = np.nonzero(crest & (steep >= np.quantile(steep[crest], 1 - STEEPEST)))
    ratios = steep[rows, columns] / np.maximum(flat[rows, columns], 1e-9)
    return np.column_stack([columns, rows]), ratios


def _steepness(light: Floats) -> Array:
    across, down = (cv2.Sobel(light, cv2.CV_32F, *way, ksize=3) / 8 for way in ((1, 0), (0, 1)))
    return np.hypot(across, down)
