"""`python tools/try_models.py FOLDER`: read every model of a folder as an upload would, and print what came of it."""

from __future__ import annotations

import sys
import time
from pathlib import Path

from lithopos.core.errors import InputError
from lithopos.core.exchange.kinds import MODEL_KINDS, file_kind
from lithopos.core.reading.ask import inspect_file

NAMED = {".glb", ".gltf", ".obj", ".stl", ".ply", ".3mf", ".off", ".step", ".stp", ".usd", ".usda", ".usdc", ".usdz"}
NAMED |= {".ifc"}


def main() -> None:
    """Print a row a file: format, time, and its size and triangles or the line that refuses it."""
    read = refused = 0
    for path in sorted(Path(sys.argv[1]).rglob("*")):
        if not path.is_file() or not (path.suffix.lower() in NAMED or file_kind(path) in MODEL_KINDS):
            continue
        started = time.monotonic()
        try:
            told = inspect_file(path)
            size = " × ".join(f"{v:.3g}" for v in told.get("size_m", []))
            words = f"{told['format']:5} {size} m ({told.get('unit')}, {told.get('unit_from')}) {told.get('triangles')}"
            words += f" · {'; '.join(told.get('lost', []) + told.get('mended', []))}"
            read += 1
        except InputError as error:
            words = f"refused: {error}"
            refused += 1
        print(f"{time.monotonic() - started:5.1f} s  {path.relative_to(sys.argv[1])}: {words[:300]}", flush=True)
    print(f"{read} read, {refused} refused")


if __name__ == "__main__":
    main()
