"""`python -m lithopos.core.reading.child TASK FILE OUT PARENT`: read one file within limits.

Prints one JSON object. Ends with 2 and one line if the file is not good, with 3 if the disk is full. Tasks:
`tell` what it is; `prepare` what the screen needs of it too; a `picture`'s or a `model`'s quick form; a `graphic@time`,
and as it is `shown@time`; `edges`; what the camera wrote as `notes`; a `take`; a model's materials as `surfaces`;
a `panorama`. Some take a question about several files (`reading.questions`): `rest`, `sides`, `dress`, `swatches`.
"""

from __future__ import annotations

import base64
import errno
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from lithopos.core.errors import InputError, NoTake
from lithopos.core.reading.limits import limit_this_process

THUMB_WIDTHS = (240, 480)


def _read_model(path: Path) -> Any:
    from lithopos.core.geometry.readers.table import read_model

    return read_model(path)


def _read_picture(path: Path) -> Any:
    from lithopos.core.exchange.decode import read_picture

    return read_picture(path)


def _tell(path: Path, _: Path) -> dict[str, Any]:
    return _told(path)[0]


def _prepare(path: Path, out: Path) -> dict[str, Any]:
    from lithopos.core.exchange.kinds import SHOWN_BY_BROWSERS
    from lithopos.core.reading.screen import save_for_screen

    told, read = _told(path)
    if read is None:  # nothing is made of it
        return told
    if told["kind"] == "panorama":
        from lithopos.core.reading.quick import save_panorama
        from lithopos.core.reading.screen import save_panorama_for_screen

        save_panorama(read, out)
        save_panorama_for_screen(read, THUMB_WIDTHS, out)
        return told
    if told["kind"] == "model":
        from lithopos.core.reading.quick import save_model
        from lithopos.core.reading.screen import save_live

        save_model(read, out)
        save_live(read, out)
    else:
        save_for_screen(read, told["format"], THUMB_WIDTHS, out)
        if told["format"] not in SHOWN_BY_BROWSERS:  # developing or unpacking is dear: the working copy is kept
            from lithopos.core.reading.quick import save_picture

            save_picture(read, out)
    return told


def _picture(path: Path, out: Path) -> dict[str, Any]:
    from lithopos.core.reading.quick import save_picture

    save_picture(_read_picture(path), out)
    return {}


def _panorama(path: Path, out: Path) -> dict[str, Any]:
    from lithopos.core.exchange.panorama import read_panorama
    from lithopos.core.reading.quick import save_panorama

    save_panorama(read_panorama(path), out)
    return {}


def _model(path: Path, out: Path) -> dict[str, Any]:
    from lithopos.core.reading.quick import save_model

    save_model(_read_model(path), out)
    return {}


def _graphic(path: Path, out: Path, time_s: float) -> dict[str, Any]:
    from lithopos.core.exchange.graphic import read_graphic
    from lithopos.core.reading.quick import save_graphic

    save_graphic(read_graphic(path, time_s), out)
    return {}


def _shown(path: Path, out: Path, time_s: float) -> dict[str, Any]:
    from lithopos.core.exchange.graphic import read_graphic
    from lithopos.core.reading.screen import save_graphic_for_screen

    save_graphic_for_screen(read_graphic(path, time_s), out / "shown.png")
    return {}


def _sides(path: Path, _: Path) -> dict[str, Any]:
    from lithopos.core.reading.questions import answer_sides

    return answer_sides(path)


def _rest(path: Path, _: Path) -> dict[str, Any]:
    from lithopos.core.reading.questions import answer_rest

    return answer_rest(path)


def _dress(path: Path, out: Path) -> dict[str, Any]:
    from lithopos.core.reading.questions import write_dressed

    write_dressed(path, out)
    return {}


def _swatches(path: Path, out: Path) -> dict[str, Any]:
    from lithopos.core.reading.questions import write_swatches

    write_swatches(path, out)
    return {}


def _surfaces(path: Path, _: Path) -> dict[str, Any]:
    from lithopos.core.materials.recognised import recognised

    surfaces, pictures = recognised(_read_model(path))
    told = {name: surface.model_dump(mode="json") for name, surface in surfaces.items()}
    return {"surfaces": told, "pictures": pictures}


def _take(path: Path, _: Path) -> dict[str, Any]:
    from lithopos.core.exchange.film import take_notes

    return take_notes(path).model_dump(mode="json")


def _edges(path: Path, _: Path) -> dict[str, Any]:
    from lithopos.core.camera.find import find_edges

    return find_edges(_read_picture(path).eight_bit).model_dump(mode="json")


def _notes(path: Path, _: Path) -> dict[str, Any]:
    from lithopos.core.exchange.exif import whole_notes

    found = whole_notes(path)
    return {"exif": found and base64.b64encode(found).decode()}


def _told(path: Path) -> tuple[dict[str, Any], Any]:
    """What a file is, and what was read of it."""
    from lithopos.core.exchange.kinds import GRAPHIC_KINDS, MODEL_KINDS, PANORAMA_KINDS, PHOTOMETRY_KINDS, file_kind

    if path.stat().st_size == 0:
        raise InputError("file", "is empty")
    kind = file_kind(path)
    if kind in MODEL_KINDS:
        model = _read_model(path)
        low, high = model.bounds()
        used = sorted({part.material for part in model.parts})
        return {
            "kind": "model",
            "format": kind,
            "size_m": (high - low).tolist(),
            "unit": model.unit.name,
            "unit_m": model.unit.metres,
            "unit_from": model.unit.source,
            "up": model.up,
            "triangles": model.triangles,
            "parts": [part.name for part in model.parts],
            "materials": [model.materials[number].name for number in used],
            "lost": model.lost,
            "mended": model.mended,
        }, model
    if kind is None:
        raise InputError("file", "is neither a photograph nor a model of a kind that is read (see docs/formats.md)")
    if kind in GRAPHIC_KINDS or kind == "sequence":
        return _told_graphic(path, kind), None
    if kind in PHOTOMETRY_KINDS:
        from lithopos.core.light.photometry import read_photometry

        read_photometry(path.read_bytes())
        return {"kind": "photometry", "format": kind, "notes": []}, None
    if kind == "cube":
        from lithopos.core.blend.lut import read_lut

        read_lut(path.read_bytes())
        return {"kind": "lut", "format": kind, "notes": []}, None
    if kind in PANORAMA_KINDS:
        from lithopos.core.exchange.panorama import read_panorama

        panorama = read_panorama(path)
        size = {"width": panorama.width, "height": panorama.height}
        return {"kind": "panorama", "format": kind, **size, "notes": list(panorama.notes)}, panorama
    from lithopos.core.exchange.exif import camera_notes
    from lithopos.core.place.near_seen import mean_colour
    from lithopos.core.place.sky_seen import sky_spots

    picture = _read_picture(path)
    height, width = picture.codes.shape[:2]
    notes = camera_notes(path, width, height)
    return {
        "kind": "photograph",
        "format": kind,
        "width": width,
        "height": height,
        "notes": list(picture.notes),
        "notes_of_camera": notes.model_dump(mode="json") if notes else None,
        "mean": mean_colour(picture),
        "sky": [spot.model_dump(mode="json") for spot in sky_spots(picture)],
    }, picture


def _told_take(path: Path) -> dict[str, Any]:
    """What a film or numbered pictures tell as a take; why they can't be one, where they can still be shown."""
    from lithopos.core.exchange.film import take_notes

    try:
        told = take_notes(path)
    except NoTake as error:
        return {"take": None, "notes": [f"as a take it {error.cause}"]}
    times = {"times_s"}  # thousands of numbers, which nobody asks for here
    size = {"width": told.width, "height": told.height, "seconds": told.seconds}
    return {**size, "take": told.model_dump(mode="json", exclude=times), "notes": told.notes}


def _told_graphic(path: Path, kind: str) -> dict[str, Any]:
    from lithopos.core.exchange.film import film_size
    from lithopos.core.exchange.graphic import drawing_size, has_lettering, read_graphic

    if kind == "film":
        return {"kind": "film", "format": kind, **film_size(path), **_told_take(path)}
    if kind == "sequence":
        return {"kind": "sequence", "format": kind, **_told_take(path)}
    width, height = drawing_size(path)
    read_graphic(path)
    notes = []
    if has_lettering(path):
        notes.append("its lettering is set in the fonts of this machine; turned into outlines it keeps its own")
    return {"kind": "graphic", "format": kind, "width": round(width), "height": round(height), "notes": notes}


AT_A_TIME: dict[str, Callable[[Path, Path, float], dict[str, Any]]] = {"graphic": _graphic, "shown": _shown}
TASKS: dict[str, Callable[[Path, Path], dict[str, Any]]] = {
    "tell": _tell,
    "prepare": _prepare,
    "picture": _picture,
    "model": _model,
    "edges": _edges,
    "notes": _notes,
    "rest": _rest,
    "sides": _sides,
    "dress": _dress,
    "swatches": _swatches,
    "panorama": _panorama,
    "surfaces": _surfaces,
    "take": _take,
}


def _end(status: int, line: str) -> None:
    print(" ".join(line.split()), file=sys.stderr)  # a name in the file may hold line breaks
    sys.exit(status)


def _main() -> None:
    task, path, out, parent = sys.argv[1:]
    limit_this_process(int(parent))
    try:
        name, _, time_s = task.partition("@")
        if name in AT_A_TIME:
            print(json.dumps(AT_A_TIME[name](Path(path), Path(out), float(time_s))))
        else:
            print(json.dumps(TASKS[name](Path(path), Path(out))))
    except InputError as error:
        _end(2, str(error))
    except MemoryError:
        _end(2, "file: needs more memory than a file may take")
    except RecursionError:
        _end(2, "file: is nested too deep")
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            _end(3, "no room")
        raise


if __name__ == "__main__":
    _main()
