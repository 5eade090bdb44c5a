"""Solids as receivers: their sides with the photograph on them, and with others of the site what it does not show."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.filling import filled
from lithopos.core.grounds import PROXY_MATERIALS
from lithopos.core.place.face import Face, plane_axes, triangles_of
from lithopos.core.place.lookup import MOST_TEXELS, looked_up, texels_beside, texels_of
from lithopos.core.place.others import shown_by
from lithopos.core.place.placelight import PlaceLight
from lithopos.core.place.receiver import LEAST_REFLECTANCE, MOST_REFLECTANCE, Patch, Receiver, Sheen
from lithopos.core.place.solids import Solid
from lithopos.core.shot import Proxy

STRIPS = 8  # in which a long side is laid out at most, each as finely as the picture shows it
BENT_TEXELS, BENT_COARSE = 24, 2  # across one of a bent side's flat parts, and places that it is looked round from

__all__ = ["material_tint", "proxy_receiver"]


def material_tint(proxy: Proxy) -> Array:
    """What a proxy throws back where the photograph does not show it, (3,)."""
    material = PROXY_MATERIALS[proxy.material]
    return np.clip(material.reflectance * np.array(material.tint), LEAST_REFLECTANCE, MOST_REFLECTANCE)


def proxy_receiver(proxy: Proxy, solid: Solid, first: int, light: PlaceLight, sheen: Sheen) -> Receiver:
    """A proxy with the photograph on its sides.

    Parameters
    ----------
    first : the number of its first side among all sides of the place.
    """
    parts: list[_Part] = []
    bent: list[_Part] = []
    for number, face in enumerate(solid.faces, first):
        if face.normals is not None:
            tall = 1 if proxy.is_ground else 8
            bent.append(_part(face, number, light, (BENT_TEXELS, tall * BENT_TEXELS)))
        else:
            parts += [_part(strip, number, light) for strip in _strips(face, light)]
    means = [part.values[part.known].mean(0) for part in (*parts, *bent) if part.known.any()]
    usual = np.mean(means, axis=0) if means else material_tint(proxy)
    patches = [part.patch(usual) for part in parts]
    if bent:
        patches.append(_joined(bent, usual))
    return Receiver(f"proxy {proxy.id}", tuple(patches), sheen, proxy.receives, proxy.hides)


class _Part:
    """A flat side with what it throws back: (rows, columns, 3), and where that is known."""

    def __init__(self, face: Face, uv: Array, values: Floats, known: Mask) -> None:
        self.face, self.uv, self.values, self.known = face, uv, values, known

    def reflectance(self, usual: Array) -> Floats:
        """Filled in where it is not known: from what is near, else with what is usual (3,)."""
        if not self.known.any():
            return np.asarray(usual, np.float32)
        return np.asarray(filled(self.values, self.known), np.float32)

    def patch(self, usual: Array) -> Patch:
        return Patch(self.face.corners, self.uv, triangles_of(self.face), self.reflectance(usual))


def _part(face: Face, number: int, light: PlaceLight, texels: tuple[int, int] | None = None) -> _Part:
    """A side as the photograph shows it, in the light that falls there."""
    across, along = plane_axes(face)
    u, v = face.corners @ across, face.corners @ along
    low, size = np.array([u.min(), v.min()]), np.maximum([np.ptp(u), np.ptp(v)], 1e-6)
    # From the top left on, so that v runs with the rows.
    origin = face.corners[0] + across * (low[0] - u[0]) + along * (low[1] + size[1] - v[0])
    wide, tall = across * size[0], -along * size[1]
    uv = np.column_stack([(u - low[0]) / size[0], 1 - (v - low[1]) / size[1]])
    facing = _facing(face, light.camera)
    others = [other for other in light.others if _facing(face, other.camera)]
    spread = _spread(origin, wide, tall, 24, 24).reshape(-1, 3), wide, tall
    sizes = (texels_of(light.camera, *spread) if facing else None) or texels_beside(
        [other.camera for other in others], *spread
    )
    if sizes is None:
        return _Part(face, uv, np.zeros((1, 1, 3), np.float32), np.zeros((1, 1), bool))
    columns, rows = texels or (min(sizes[0], MOST_TEXELS), min(sizes[1], MOST_TEXELS))
    points = _spread(origin, wide, tall, columns, rows)
    seen, known = looked_up(light.linear, light.camera, points)
    white, sure = light.white(points, face.normal, BENT_COARSE) if texels else light.white(points, face.normal)
    known &= facing & ~light.sight.hidden(points, number)
    seen, known = shown_by(others, seen, known, points, number)
    known &= sure
    values = np.clip(seen / white, LEAST_REFLECTANCE, MOST_REFLECTANCE)
    return _Part(face, uv, np.asarray(np.where(known[..., None], values, 0), np.float32), known)


def _facing(face: Face, camera: Pinhole) -> bool:
    return float(face.normal @ (camera.position - face.corners[0])) > 0


def _spread(origin: Array, wide: Array, tall: Array, columns: int, rows: int) -> Array:
    """The middles of a field's cells, (rows, columns, 3)."""
    x, y = np.meshgrid((np.arange(columns) + 0.5) / columns, (np.arange(rows) + 0.5) / rows)
    return np.asarray(origin + x[..., None] * wide + y[..., None] * tall)


def _strips(face: Face, light: PlaceLight) -> list[Face]:
    """A side cut upright where it is too wide for one picture of it; only one with four square corners is."""
    if len(face.corners) != 4:
        return [face]
    a, b, c, d = face.corners
    wide, tall = b - a, d - a
    points = _spread(a, wide, tall, 24, 24).reshape(-1, 3)
    sizes = texels_of(light.camera, points, wide, tall)
    if sizes is None or sizes[0] <= MOST_TEXELS or np.linalg.norm(c - b - tall) > 1e-6:
        return [face]
    count = min(STRIPS, -(-sizes[0] // MOST_TEXELS))
    cuts = [n / count for n in range(count + 1)]
    return [
        Face(np.stack([a + low * wide, a + high * wide, d + high * wide, d + low * wide]))
        for low, high in itertools.pairwise(cuts)
    ]


def _joined(parts: Sequence[_Part], usual: Array) -> Patch:
    """A bent side's flat parts side by side in one picture, smooth where they meet."""
    rows, columns = max((part.known.shape for part in parts), key=lambda shape: shape[0])
    values = np.zeros((rows, columns * len(parts), 3), np.float32)
    known = np.zeros(values.shape[:2], bool)
    for n, part in enumerate(parts):
        if part.known.shape == (rows, columns):
            values[:, n * columns : (n + 1) * columns] = part.values
            known[:, n * columns : (n + 1) * columns] = part.known
    uv = [np.column_stack([(part.uv[:, 0] + n) / len(parts), part.uv[:, 1]]) for n, part in enumerate(parts)]
    faces = [triangles_of(part.face) + 4 * n for n, part in enumerate(parts)]
    reflectance = filled(values, known) if known.any() else np.asarray(usual, np.float32)
    normals = [part.face.normals for part in parts if part.face.normals is not None]
    corners = np.concatenate([part.face.corners for part in parts])
    return Patch(corners, np.concatenate(uv), np.concatenate(faces), reflectance, np.concatenate(normals))
