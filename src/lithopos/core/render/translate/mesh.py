"""Triangles in the renderer's terms."""

from __future__ import annotations

from typing import Any

import numpy as np

__all__ = ["flat", "mesh"]


def flat(values: Any) -> Any:
    """An array (N, 3) as the renderer wants it: single precision, one row."""
    return np.ascontiguousarray(values, np.float32).ravel()


def mesh(
    mi: Any, vertices: Any, normals: Any, uv: Any, faces: Any, bsdf: Any, emitter: Any = None, colours: Any = None
) -> Any:
    """A mesh with a surface, which may shine; vertices, normals and colours (N, 3), uv (N, 2), faces (M, 3)."""
    properties = mi.Properties()
    properties["bsdf"] = bsdf
    if emitter is not None:
        properties["emitter"] = emitter
    made = mi.Mesh(
        "part", len(vertices), len(faces), has_vertex_normals=True, has_vertex_texcoords=True, props=properties
    )
    values = mi.traverse(made)
    values["vertex_positions"] = flat(vertices)
    values["vertex_normals"] = flat(normals)
    values["vertex_texcoords"] = flat(uv)
    values["faces"] = np.ascontiguousarray(faces, np.uint32).ravel()
    if colours is not None:
        made.add_attribute("vertex_colour", 3, flat(colours))
    values.update()
    return made
