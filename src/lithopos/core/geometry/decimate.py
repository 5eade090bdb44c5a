"""Fewer triangles for the live view, by quadric error (a library does it)."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lithopos.core.geometry.model import Model, Part

LEAST_A_PART = 12
ROUGHLY = 12  # times what is wanted: more is thinned by a grid first, which takes a tenth of the time
MOST_ERROR = 0.05  # of a part's size; beyond, its own shape would be lost

__all__ = ["decimated"]


def decimated(model: Model, triangles: int) -> Model:
    """A model with about so many triangles; parts keep their share of them."""
    whole = model.triangles
    if whole <= triangles:
        return model
    parts = [_fewer(part, max(LEAST_A_PART, len(part.faces) * triangles // whole)) for part in model.parts]
    return replace(model, parts=[part for part in parts if len(part.faces)])


def _fewer(part: Part, wanted: int) -> Part:
    import meshoptimizer

    if len(part.faces) <= wanted:
        return part
    indices = np.ascontiguousarray(part.faces, np.uint32).ravel()
    points = np.ascontiguousarray(part.vertices, np.float32)
    made = np.empty_like(indices)
    if len(part.faces) > 2 * ROUGHLY * wanted:
        count = meshoptimizer.simplify_sloppy(
            made, indices, points, target_index_count=3 * ROUGHLY * wanted, target_error=MOST_ERROR
        )
        indices = made[:count].copy() if count else indices
    count = meshoptimizer.simplify(made, indices, points, target_index_count=3 * wanted, target_error=MOST_ERROR)
    if count > 6 * wanted:  # many small shells, or seams all over: their shape gives way to their number
        count = meshoptimizer.simplify_sloppy(made, indices, points, target_index_count=3 * wanted, target_error=1.0)
    used, back = np.unique(made[:count], return_inverse=True)
    return replace(
        part,
        vertices=part.vertices[used],
        normals=part.normals[used],
        uv=part.uv[used],
        faces=back.reshape(-1, 3).astype(np.int64),
        colours=None if part.colours is None else part.colours[used],
    )
