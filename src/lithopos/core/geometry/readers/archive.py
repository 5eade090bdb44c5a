"""A zip of a model's several files, and the folder that it is unpacked into."""

from __future__ import annotations

import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path, PurePosixPath

from lithopos.core.errors import InputError
from lithopos.core.geometry.model import Model

MOST_FILES = 2000
MOST_BYTES = 2 << 30

__all__ = ["read_archive"]


def read_archive(path: Path, main_files: Callable[[Path], list[Path]], read: Callable[[Path], Model]) -> Model:
    """Unpack within bounds, choose the file that is the model, and read it.

    Parameters
    ----------
    main_files : the files in a folder that are models by their content, the likeliest first.
    """
    with tempfile.TemporaryDirectory(prefix="lithopos-") as name:
        folder = Path(name)
        _unpack(path, folder)
        found = main_files(folder)
        if not found:
            raise InputError("model", "is a zip with no model in it that is read")
        model = read(found[0])
    for other in found[1:4]:
        model.lost.append(f"{other.relative_to(folder)} in the same zip is left out")
    return model


def _unpack(path: Path, folder: Path) -> None:
    try:
        with zipfile.ZipFile(path) as package:
            entries = [entry for entry in package.infolist() if not entry.is_dir()]
            if len(entries) > MOST_FILES:
                raise InputError("model", f"is a zip of {len(entries):,} files; {MOST_FILES:,} are the limit")
            if sum(entry.file_size for entry in entries) > MOST_BYTES:
                raise InputError("model", f"is a zip of more than {MOST_BYTES >> 30} GB")
            for entry in entries:
                inside = PurePosixPath(entry.filename.replace("\\", "/"))
                if inside.is_absolute() or ".." in inside.parts or ":" in entry.filename:
                    raise InputError("model", "is a zip with names that lead outside it")
                place = folder / inside
                place.parent.mkdir(parents=True, exist_ok=True)
                # By portions: what an entry really holds may be more than it says.
                left = entry.file_size
                with package.open(entry) as source, place.open("wb") as target:
                    while portion := source.read(min(1 << 20, left + 1)):
                        left -= len(portion)
                        if left < 0:
                            raise InputError("model", "is a zip whose files are larger than it says")
                        target.write(portion)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, OSError, EOFError, ValueError) as error:
        if isinstance(error, InputError):
            raise
        raise InputError("model", "is a zip that can't be unpacked: damaged, encrypted or unknown") from error
