"""What a file is, told by a child process: native readers can crash, hang or eat the memory.

`python -m lithopos.core.inspect FILE` prints one JSON object and ends with 2 and one line if the file
is not good.
"""

from __future__ import annotations

import json
import resource
import subprocess
import sys
from pathlib import Path
from typing import Any

from lithopos.core.errors import InputError

SECONDS = 30
MEMORY_BYTES = 4 * 2**30

__all__ = ["inspect_file", "read_model"]


def inspect_file(path: Path) -> dict[str, Any]:
    """Tell what a file is, reading it whole in a child process.

    Returns
    -------
    ``{"kind": "photograph", "width", "height", "notes", "notes_of_camera"}`` or ``{"kind": "model", "size_m",
    "triangles", "parts", "materials", "lost"}``.

    Raises
    ------
    InputError
        If it is neither, or can't be read.
    """
    command = [sys.executable, "-m", "lithopos.core.inspect", str(path)]
    try:
        told = subprocess.run(command, capture_output=True, text=True, timeout=SECONDS, check=False)
    except subprocess.TimeoutExpired as error:
        raise InputError("file", f"took longer than {SECONDS} s to read and was left") from error
    if told.returncode == 0:
        return dict(json.loads(told.stdout))
    line = told.stderr.strip().splitlines()[-1:] if told.returncode == 2 else []
    field, _, cause = line[0].partition(": ") if line else ("file", "", "can't be read: the reader broke down over it")
    raise InputError(field, cause)


def read_model(path: Path) -> Any:
    """Read a model by its kind; see `geometry.gltf`."""
    from lithopos.core.geometry.gltf import read_gltf

    return read_gltf(path)


def _looks_like_model(path: Path) -> bool:
    if path.suffix.lower() in (".glb", ".gltf"):
        return True
    with path.open("rb") as file:
        head = file.read(64)
    return head[:4] == b"glTF" or (head.lstrip()[:1] == b"{")


def _told(path: Path) -> dict[str, Any]:
    from lithopos.core.exchange.exif import camera_notes
    from lithopos.core.exchange.picture import read_picture

    if path.stat().st_size == 0:
        raise InputError("file", "is empty")
    if _looks_like_model(path):
        model = read_model(path)
        low, high = model.bounds()
        return {
            "kind": "model",
            "size_m": (high - low).tolist(),
            "triangles": model.triangles,
            "parts": [part.name for part in model.parts],
            "materials": [m.name for m in model.materials[:-1]],
            "lost": model.lost,
        }
    picture = read_picture(path)
    height, width = picture.codes.shape[:2]
    camera = camera_notes(path, width, height)
    return {
        "kind": "photograph",
        "width": width,
        "height": height,
        "notes": list(picture.notes),
        "notes_of_camera": camera.model_dump(mode="json") if camera else None,
    }


def _main() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    try:
        print(json.dumps(_told(Path(sys.argv[1]))))
    except InputError as error:
        print(error, file=sys.stderr)
        sys.exit(2)
    except MemoryError:
        print("file: needs more memory than a file may take", file=sys.stderr)
        sys.exit(2)


if __name__ == "__main__":
    _main()
