"""IFC (ISO 16739), where the extra for it is installed: products as parts, with their styles' colours."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from lithopos.core.errors import InputError
from lithopos.core.geometry.model import Material, Model, Part
from lithopos.core.geometry.units import known

__all__ = ["read_ifc"]


def read_ifc(path: Path) -> Model:
    """The products of a building model, in metres, z up."""
    try:
        import ifcopenshell
        import ifcopenshell.geom as shapes
    except ImportError as error:
        raise InputError(
            "model",
            "is IFC; reading it needs an extra that is not installed here: `.venv/bin/pip install ifcopenshell`",
        ) from error
    try:
        opened = ifcopenshell.open(str(path))
        settings = shapes.settings()
        settings.set("use-world-coords", True)
        each = shapes.iterator(settings, opened, 1)
        started = each.initialize()
    except Exception as error:  # the library's own errors have no common root
        raise InputError("model", "can't be read as IFC: it is damaged or incomplete") from error
    parts, materials, numbers = list[Part](), list[Material](), dict[tuple[float, ...], int]()
    while started:
        shape = each.get()
        geometry = shape.geometry
        vertices = np.asarray(geometry.verts, float).reshape(-1, 3)
        faces = np.asarray(geometry.faces, np.int64).reshape(-1, 3)
        styles = np.asarray(geometry.material_ids, np.int64)
        for style in np.unique(styles):
            source = geometry.materials[style] if 0 <= style < len(geometry.materials) else None
            colour = tuple(float(c) for c in source.diffuse.components) if source else (0.6, 0.6, 0.6)
            see_through = float(source.transparency) if source and source.has_transparency() else 0.0
            key = (*colour, see_through)
            if key not in numbers:
                numbers[key] = len(materials)
                name = str(source.name) if source else "plain"
                materials.append(Material(name, np.array(colour, np.float32), 0.7, opacity=1 - see_through))
            used, back = np.unique(faces[styles == style], return_inverse=True)
            parts.append(
                Part(
                    str(shape.name or shape.type),
                    vertices[used],
                    np.zeros((0, 3)),
                    np.zeros((len(used), 2)),
                    back.reshape(-1, 3),
                    numbers[key],
                )
            )
        if not each.next():
            break
    return Model(parts, materials, unit=known("m"), up="z")
