"""Receivers in the renderer's terms: a diffuse body with the photograph on it under a rough dielectric coat."""

from __future__ import annotations

from typing import Any

import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.place.receiver import Receiver, Sheen
from lithopos.core.render.translate.mesh import mesh

WHOLE_COAT = 0.5  # in the renderer's measure: 4 % at right angles, an index of refraction of 1.5

__all__ = ["receiver_shapes", "shining_receiver"]


def receiver_shapes(mi: Any, receiver: Receiver, prefix: str) -> dict[str, Any]:
    """A receiver's patches as shapes by name."""
    shapes = {}
    for number, patch in enumerate(receiver.patches):
        bsdf = mi.load_dict(_surface(mi, patch.reflectance, receiver.sheen))
        normals = patch.normals
        if normals is None:
            edges = patch.vertices[patch.faces[:, 1:]] - patch.vertices[patch.faces[:, :1]]
            normal = np.cross(edges[0, 0], edges[0, 1])
            normals = np.tile(normal / np.linalg.norm(normal), (len(patch.vertices), 1))
        light = None if patch.shines is None else _light(mi, patch.shines)
        shapes[f"{prefix}patch{number}"] = mesh(mi, patch.vertices, normals, patch.uv, patch.faces, bsdf, light)
    return shapes


def shining_receiver(mi: Any, receiver: Receiver, prefix: str, radiance: float, seen_from: Array) -> dict[str, Any]:
    """The same patches, black, shining towards a point (3,)."""
    shapes = {}
    for number, patch in enumerate(receiver.patches):
        corners = patch.vertices[patch.faces]
        normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        away = ((seen_from - corners[:, 0]) * normal).sum(1) < 0
        faces = np.where(away[:, None], patch.faces[:, ::-1], patch.faces)
        # Corners on their own, since sides that meet may be turned over one by one.
        vertices, uv = patch.vertices[faces].reshape(-1, 3), patch.uv[faces].reshape(-1, 2)
        normals = np.repeat(np.where(away[:, None], -normal, normal), 3, axis=0)
        normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
        faces = np.arange(len(vertices)).reshape(-1, 3)
        black = mi.load_dict({"type": "diffuse", "reflectance": {"type": "rgb", "value": 0.0}})
        light = mi.load_dict({"type": "area", "radiance": {"type": "rgb", "value": radiance}})
        shapes[f"{prefix}patch{number}"] = mesh(mi, vertices, normals, uv, faces, black, light)
    return shapes


def _light(mi: Any, radiance: Floats) -> Any:
    """What shines by itself; it is met by chance, so that nothing is taken from the lights that are looked for."""
    return mi.load_dict({"type": "area", "radiance": _values(mi, radiance), "sampling_weight": 0.0})


def _surface(mi: Any, reflectance: Floats, sheen: Sheen) -> dict[str, Any]:
    if sheen.coat <= 0:
        return {"type": "twosided", "inner": {"type": "diffuse", "reflectance": _values(mi, reflectance)}}
    # The body keeps the reflectance that the photograph shows: what the coat takes from it is in there already.
    inner = {
        "type": "principled",
        "base_color": _values(mi, reflectance),
        "specular": WHOLE_COAT * sheen.coat,
        "roughness": sheen.roughness,
    }
    return {"type": "twosided", "inner": inner}


def _values(mi: Any, values: Floats) -> dict[str, Any]:
    if values.ndim == 1:
        return {"type": "rgb", "value": values.tolist()}
    picture = mi.Bitmap(np.ascontiguousarray(values, np.float32))
    return {"type": "bitmap", "bitmap": picture, "raw": True, "wrap_mode": "clamp"}
