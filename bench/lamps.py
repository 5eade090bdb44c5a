"""`make bench-truth`: what windows, lamps and a room's own light give the ground, against the truth, from noisy marks.

The camera is the true one. Windows, lamps and patches of the floor are marked with 0.7 px of noise at full size; the
truth is traced at the place by rays in all directions.
"""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from PIL import Image

from bench.balls import SAMPLES, SCALE, feet_of, shot_of
from bench.marks import marked
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.derive import daylight_of, derive
from lithopos.core.exchange.picture import Picture
from lithopos.core.place.balance import balance_of, read_patches
from lithopos.core.render.engine import load_renderer
from lithopos.core.shot import LightPatch, Shot
from lithopos.samples import meshes
from lithopos.samples.lamplit import LAMPLIT
from lithopos.samples.photograph import Studio, develop
from lithopos.samples.places import Material, Place

CARD, CARD_M = 0.5, 0.4  # a grey card on the ground
RAYS = 1 << 15

__all__ = ["bench_lamps"]


def bench_lamps() -> None:
    """Print the table: each light on level ground where things stand, beside the truth."""
    mi = load_renderer()
    print("light of windows, lamps and rooms on the ground: found / true by channel, and what is stated (95 %)")
    for name, seeds in (("hall", (901, 902)), ("lamp-room", (903, 904)), ("evening-yard", (905, 906))):
        for seed in seeds:
            _case(mi, LAMPLIT[name](seed), f"{name} {seed}")


def _case(mi: Any, place: Place, name: str) -> None:
    bare = Studio(mi, place, SCALE)
    feet = feet_of(bare)
    place.materials["card"] = Material((CARD,) * 3, 1.0)
    at = np.mean(feet, axis=0)
    half = CARD_M / 2
    corners = [(-half, -half), (half, -half), (half, half), (-half, half)]
    place.add(meshes.quad([(at[0] + x, at[1] + y, 0.004) for x, y in corners]), "card")
    studio = Studio(mi, place, SCALE)
    daylight = studio.daylight()
    encoded = develop(studio.radiance(SAMPLES, seed=1), daylight, place.camera.exposure, seed=5)
    photograph = Picture(np.asarray(Image.open(io.BytesIO(encoded))))
    shot = marked(shot_of(place, studio.view, feet, False), place, studio, photograph, np.random.default_rng(1))
    develops = (daylight.mean() / daylight) ** 0.9 * place.camera.exposure / (daylight.mean() * 0.36)
    true = {kind: light * develops for kind, light in _true(mi, bare, at).items()}
    pixel = studio.view.project(at[None])[0]
    card = LightPatch(id="card", at=(float(pixel[0]), float(pixel[1])), radius_px=3, material="card", tone=CARD)
    _compare(name, shot, true)
    with_card = [*shot.patches, *read_patches([card], photograph, studio.view.width)]
    _compare(f"{name}, a grey card", shot.model_copy(update={"patches": with_card}), true)


def _compare(name: str, shot: Shot, true: dict[str, Any]) -> None:
    facts = derive(shot)
    assert facts.camera
    found = balance_of(shot.patches, pinhole_of(facts.camera), daylight_of(shot, facts))
    sums = {kind: np.zeros(3) for kind in true}
    sigma = dict.fromkeys(sums, 0.0)
    for light in found.lights:
        kind = {"lamp": "lamps", "window": "windows"}.get(light.kind, "far")
        sums[kind] += light.colour
        sigma[kind] = max(sigma[kind], light.sigma)
    whole = sum(true.values())
    for kind, light in {**true, "all": whole}.items():
        if light.max() <= 1e-6:
            continue
        found_sum = sum(sums.values()) if kind == "all" else sums[kind]
        told = ", ".join(f"{value:.2f}" for value in found_sum / light)
        stated = float(np.mean(found.white_sigma)) if kind == "all" else sigma[kind]
        print(f"  {name:32s}{kind:9s}{told}  ± {2 * stated:.2f}   {100 * light.sum() / whole.sum():3.0f} %", flush=True)


def _true(mi: Any, studio: Studio, at: Any) -> dict[str, Any]:
    """The radiance of white, level, by what comes straight from windows, from lamps, and from all else."""
    rng = np.random.default_rng(4)
    u, v = rng.random((2, RAYS))
    radius, turn = np.sqrt(u), 2 * np.pi * v
    ways = np.stack([radius * np.cos(turn), radius * np.sin(turn), np.sqrt(1 - u)])
    start = np.tile((np.asarray(at) + [0, 0, 0.02])[:, None], (1, RAYS))
    ray = mi.Ray3f(mi.Point3f(start.astype(np.float32)), mi.Vector3f(ways.astype(np.float32)))
    sampler = mi.load_dict({"type": "independent"})
    sampler.seed(3, RAYS)
    path = mi.load_dict({"type": "path", "max_depth": 12})
    light, _, _ = path.sample(studio.scene, sampler, mi.RayDifferential3f(ray))
    hit = studio.scene.ray_intersect(ray)
    shines = np.array(hit.shape.is_emitter())
    light, missed = np.array(light).T, ~np.array(hit.is_valid())
    indoors = studio.place.night is None
    windows = light * (missed & indoors)[:, None]
    rest = light * ~(missed & indoors)[:, None] * ~shines[:, None]
    lamps = np.zeros(3)
    for lamp in studio.place.lamps:
        off = np.array(lamp.middle) - at
        away = float(np.linalg.norm(off))
        if not studio.blocked(
            np.atleast_2d(at) + [0, 0, 0.02], np.array(lamp.middle) - off / away * 1.2 * lamp.radius_m
        )[0]:
            lamps += np.array(lamp.radiance) * (lamp.radius_m / away) ** 2 * off[2] / away
    return {"windows": windows.mean(0), "lamps": lamps, "far": rest.mean(0)}
