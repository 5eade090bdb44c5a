"""Models in the renderer's terms: their parts as meshes, their materials as layered surfaces."""

from __future__ import annotations

from typing import Any

import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.geometry.model import Part, PbrMaterial
from lithopos.core.render.scene import StoodModel
from lithopos.core.render.translate.mesh import flat, mesh

__all__ = ["model_shapes", "moved_values"]


def model_shapes(mi: Any, thing: StoodModel, prefix: str, black: bool = False) -> dict[str, Any]:
    """A stood model's parts as shapes by name; black ones keep their cut-outs and nothing else."""
    bsdfs = [(_black if black else _material)(mi, material) for material in thing.model.materials]
    shapes = {}
    for index, part in enumerate(thing.model.parts):
        vertices, normals = _stood(part, thing.matrix)
        uv = np.column_stack([part.uv[:, 0], 1 - part.uv[:, 1]])  # glTF's v runs down
        shapes[f"{prefix}part{index}"] = mesh(mi, vertices, normals, uv, part.faces, bsdfs[part.material])
    return shapes


def moved_values(thing: StoodModel, prefix: str) -> dict[str, Any]:
    """What changes in a loaded scene when a model is stood elsewhere, by the renderer's parameter names."""
    values = {}
    for index, part in enumerate(thing.model.parts):
        vertices, normals = _stood(part, thing.matrix)
        values[f"{prefix}part{index}.vertex_positions"] = flat(vertices)
        values[f"{prefix}part{index}.vertex_normals"] = flat(normals)
    return values


def _stood(part: Part, matrix: Array) -> tuple[Array, Array]:
    linear = matrix[:3, :3]
    normals = part.normals @ np.linalg.inv(linear)
    normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    return part.vertices @ linear.T + matrix[:3, 3], normals


def _material(mi: Any, material: PbrMaterial) -> Any:
    inner: dict[str, Any] = {
        "type": "principled",
        "base_color": _texture(mi, material.base_colour, colour=True),
        "roughness": _texture(mi, material.roughness),
        "metallic": _texture(mi, material.metallic),
        "specular": 0.5,
    }
    if material.normal_map is not None:
        bumps = {"type": "bitmap", "bitmap": mi.Bitmap(material.normal_map), "raw": True}
        inner = {"type": "normalmap", "normalmap": bumps, "bsdf": inner}
    return mi.load_dict(_cut_out(mi, material, {"type": "twosided", "inner": inner}))


def _black(mi: Any, material: PbrMaterial) -> Any:
    black = {"type": "diffuse", "reflectance": {"type": "rgb", "value": 0.0}}
    return mi.load_dict(_cut_out(mi, material, {"type": "twosided", "inner": black}))


def _cut_out(mi: Any, material: PbrMaterial, inner: dict[str, Any]) -> dict[str, Any]:
    if isinstance(material.opacity, float) and material.opacity >= 1:
        return inner
    return {"type": "mask", "opacity": _texture(mi, material.opacity), "inner": inner}


def _texture(mi: Any, value: float | Floats, colour: bool = False) -> Any:
    if isinstance(value, float):
        return value
    if value.ndim == 1:
        return {"type": "rgb", "value": np.clip(value, 0, 1).tolist()}
    picture = np.ascontiguousarray(value if colour else value[..., None], np.float32)
    return {"type": "bitmap", "bitmap": mi.Bitmap(picture), "raw": True}
