"""`python -m lithopos.samples.viewpoints`: the cloister yard from two more places, and what ties the photographs.

The truth beside them tells each camera in the yard's own frame, and for things that are told apart by the eye where
they are and in which of the photographs they are seen.
"""

from __future__ import annotations

import json
import sys
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import click
import numpy as np

from lithopos.samples.make import DATA, load_renderer_quietly
from lithopos.samples.meshes import Array
from lithopos.samples.photograph import Studio, develop, truth_of
from lithopos.samples.places import Camera, Place, cloister_yard

FIRST = "cloister-yard"
VIEWPOINTS = {
    "cloister-yard-west": Camera((-2.5, -7.1, 1.55), (-0.7, 2.4, 1.0), -0.5, 36.0, 1440, 960),
    "cloister-yard-east": Camera((6.4, -3.6, 1.74), (-2.9, 1.6, 0.85), 0.7, 25.5, 1440, 960),
}
SEEN_WITHIN_M = 0.03  # a thing is seen where the first surface on its way is no farther from it

__all__ = ["FIRST", "VIEWPOINTS", "landmarks"]


def landmarks(place: Place) -> dict[str, tuple[Array, bool]]:
    """Things of the yard that the eye tells apart, by name: where they are [m], and whether on the ground."""
    found: dict[str, tuple[Array, bool]] = {}
    columns, rows = (-4.1, -0.9, 2.6), (-3.2, 0.7, 4.3)
    for i, x in enumerate(columns):
        for j, y in enumerate(rows):
            found[f"Band {'ABC'[i]}{j + 1}"] = (np.array([x, y, 0.0]), True)
    for number, (_, top) in enumerate(place.gnomons, 1):
        found[f"Lamp {number}, tip"] = (np.array(top), False)
    for number, y in enumerate((-2.6, 0.6, 3.8), 1):
        found[f"Window {number}, sill"] = (np.array([-6.24, y - 0.65, 1.6]), False)
        found[f"Window {number}, head"] = (np.array([-6.26, y + 0.65, 3.12]), False)
    for number, corner in enumerate(place.signs[0], 1):
        found[f"Board, corner {number}"] = (np.array(corner), False)
    return found


def _seen(studio: Studio, point: Array) -> list[float] | None:
    """The pixel of a thing; None where it is outside the picture or behind something."""
    mi, view = studio.mi, studio.view
    (x, y), margin = view.project(point[None])[0], 12.0
    if not (margin < x < view.width - margin and margin < y < view.height - margin):
        return None
    away = point - view.position
    reach = float(np.linalg.norm(away))
    ray = mi.Ray3f(mi.Point3f(*view.position.tolist()), mi.Vector3f(*(away / reach).tolist()))
    hit = studio.scene.ray_intersect(ray)
    first = float(np.array(hit.t).ravel()[0])
    return [float(x), float(y)] if first > reach - SEEN_WITHIN_M else None


@click.command()
@click.option("--samples", default=160, show_default=True)
@click.option("--scale", default=1.0, show_default=True)
@click.option("--seed", type=int, default=1, show_default=True)
@click.option("--out", type=click.Path(path_type=Path), default=DATA)
@click.option("--only", type=click.Choice([*VIEWPOINTS]), help="Only this photograph; the ties of all.")
@click.option("--with-model", is_flag=True, help="Also the pictures with the model there.")
def main(samples: int, scale: float, seed: int, out: Path, only: str | None, with_model: bool) -> None:
    """Make the further photographs with their truth."""
    mi = load_renderer_quietly()
    first = cloister_yard(seed)
    out.mkdir(parents=True, exist_ok=True)
    seen: dict[str, dict[str, Any]] = {name: {} for name in landmarks(first)}
    for name, camera in {FIRST: first.camera, **VIEWPOINTS}.items():
        place = replace(
            first, camera=camera, name=f"{first.name}{name.removeprefix(FIRST).replace('-', ', from the ')}"
        )
        studio = Studio(mi, place, scale)
        for landmark, (point, _) in landmarks(place).items():
            if pixel := _seen(studio, point):
                seen[landmark][name] = pixel
        if name == FIRST or only not in (None, name):
            continue
        (out / f"{name}.json").write_text(json.dumps(truth_of(studio, name), indent=1) + "\n")
        pictures = {f"{name}.jpg": False} | ({f"{name}.truth.jpg": True} if with_model else {})
        for file, is_there in pictures.items():
            started = time.monotonic()
            taken = Studio(mi, place, scale, is_there)
            radiance = taken.radiance(samples, seed=1)
            (out / file).write_bytes(develop(radiance, taken.daylight(), camera.exposure, seed=5))
            print(f"{file}: {time.monotonic() - started:.0f} s", file=sys.stderr)
    ties = [
        {"name": name, "position": point.tolist(), "on_ground": ground, "seen": seen[name]}
        for name, (point, ground) in landmarks(first).items()
        if len(seen[name]) > 1
    ]
    told = {"photographs": [FIRST, *VIEWPOINTS], "ties": ties}
    (out / f"{FIRST}.site.json").write_text(json.dumps(told, indent=1) + "\n")


if __name__ == "__main__":
    main()
