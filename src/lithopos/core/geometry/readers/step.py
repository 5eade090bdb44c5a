"""STEP (ISO 10303-21): exact solids, turned into triangles by a library that makes glTF of them."""

from __future__ import annotations

import re
import tempfile
from dataclasses import replace
from pathlib import Path

from lithopos.core.errors import InputError
from lithopos.core.geometry.gltf.read import read_gltf
from lithopos.core.geometry.model import Model
from lithopos.core.geometry.units import known

FINE_MM = 0.5  # how far a triangle may lie from the solid; finer takes a hundred times as long

__all__ = ["read_step"]


def read_step(path: Path) -> Model:
    """The solids of a STEP file, z up; its unit is told in the file."""
    import cascadio

    with tempfile.TemporaryDirectory(prefix="lithopos-") as folder:
        made = Path(folder) / "made.glb"
        # The library gives 0 for success and tells nothing else.
        if cascadio.step_to_glb(str(path), str(made), FINE_MM, 0.5) != 0 or not made.is_file():
            raise InputError("model", "can't be read as STEP: it is damaged, or holds no solids")
        model = read_gltf(made)
    return replace(model, unit=known(_unit(path)), up="z", lost=[])


def _unit(path: Path) -> str:
    """The name of the length unit, for telling; the library has applied it."""
    text = path.read_bytes()[: 1 << 22].decode("latin-1").upper()
    if re.search(r"LENGTH_UNIT\s*\(\s*\)[^;]*SI_UNIT\s*\(\s*\.MILLI\.", text):
        return "mm"
    if re.search(r"LENGTH_UNIT\s*\(\s*\)[^;]*SI_UNIT\s*\(\s*\.CENTI\.", text):
        return "cm"
    if re.search(r"CONVERSION_BASED_UNIT\s*\(\s*'INCH'", text):
        return "inch"
    return "m" if re.search(r"LENGTH_UNIT\s*\(\s*\)[^;]*SI_UNIT\s*\(\s*\$", text) else "mm"
