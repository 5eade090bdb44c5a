"""`python -m bench.around`: balls in the yard, lit by one photograph, and by the site's others as well.

The other photographs are taken with other exposures, and their cameras are the true ones.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bench.balls import SCALE, apart, ball_mask, balls_in, feet_of, rendered, shot_of, taken
from lithopos.core.derive import derive
from lithopos.core.geometry.check import RADIUS_M
from lithopos.core.render.engine import load_renderer
from lithopos.core.shot import AtSite, Shot, load_shot
from lithopos.samples.photograph import Studio, View
from lithopos.samples.places import Camera, cloister_yard
from lithopos.samples.viewpoints import VIEWPOINTS

SEEDS = (1, 831)
FACING = {"facing": Camera((-1.0, 5.0, 1.6), (3.1, -6.6, 1.2), 0.3, 26.0, 1440, 960)}  # what is behind the first one
EXPOSURES = (1.35, 0.8, 0.9)

__all__ = ["bench_around"]


def bench_around() -> None:
    """Print the table: mean ΔE2000 over each ball."""
    mi = load_renderer()
    print("balls really there against ours, mean dE2000: grey and mirror, by one photograph, three, four")
    for seed in SEEDS:
        place = cloister_yard(seed)
        bare = Studio(mi, place, SCALE)
        feet, daylight = feet_of(bare), bare.daylight()
        own, others, views = taken(bare, daylight), {}, {}
        for (name, camera), exposure in zip({**VIEWPOINTS, **FACING}.items(), EXPOSURES, strict=True):
            there = Studio(mi, replace(place, camera=replace(camera, exposure=camera.exposure * exposure)), SCALE)
            others[f"{name}.jpg"], views[name] = taken(there, daylight), there.view
        truth = taken(Studio(mi, balls_in(place, feet), SCALE), daylight)
        masks = [ball_mask(bare.view, foot + [0, 0, RADIUS_M]) for foot in feet]
        alone = shot_of(place, bare.view, feet, around=False)
        solved = derive(alone).camera
        assert solved and solved.camera_position
        origin = bare.view.position - solved.camera_position
        told = []
        two = {name: views[name] for name in VIEWPOINTS}
        for shot in (alone, *(_with_others(alone, bare.view, some, origin) for some in (two, views))):
            made = rendered(shot, own, read_photograph=others.__getitem__)
            told += [apart(made, truth, mask) for mask in masks]
        print(f"  cloister yard, seed {seed}: " + "  ".join(f"{value:5.1f}" for value in told), flush=True)


def _with_others(shot: Shot, own: View, views: dict[str, View], origin: np.ndarray) -> Shot:
    others = [{"file": f"{name}.jpg", "camera": _known(view, origin)} for name, view in views.items()]
    at_site = AtSite.model_validate({"camera": _known(own, origin), "others": others})
    return load_shot({**shot.model_dump(mode="json", by_alias=True), "site": at_site.model_dump(mode="json")})


def _known(view: View, origin: np.ndarray) -> dict[str, object]:
    return {
        "kind": "known",
        "image": {"width": view.width, "height": view.height},
        "focal_px": view.focal_px,
        "rotation": view.rotation.tolist(),
        "camera_position": (view.position - origin).tolist(),
    }


if __name__ == "__main__":
    bench_around()
