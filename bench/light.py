"""`make bench light`: what the photograph tells of its light and its materials, against the made-up places' truth."""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import Any

import numpy as np
from PIL import Image
from proving.real import Taken, marked_document

from lithopos.core.arrays import Array
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.colour import luminance
from lithopos.core.derive import daylight_of, derive
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.patches import Facing
from lithopos.core.place.balance import BalanceAnswer, balance_of, proposed_patches
from lithopos.core.place.reflectance import ReflectanceQuestion, picked_reflectance
from lithopos.core.render.engine import load_renderer
from lithopos.core.shot import LightPatch, load_shot
from lithopos.samples.photograph import Studio, develop, truth_of
from lithopos.samples.places import PLACES

SCALE, SAMPLES, NOISE_PX = 0.5, 24, 0.7
PICKS = 60
UP = np.array([0.0, 0, 1])

__all__ = ["NOISE_PX", "SCALE", "Case", "bench_light", "case_of", "facing_of", "seen_in"]


@dataclass
class Case:
    """A photograph with the truth of its light: the photograph's values per radiance, white, the ground's albedo."""

    photograph: Picture
    truth: dict[str, Any]
    studio: Studio
    gain: Array
    white: Array


def bench_light(seeds: int = 3) -> None:
    """Print a table: the committed places, and new seeds of both."""
    cases: list[tuple[str, Any, int | None]] = [(name, make, None) for name, make in PLACES.items()]
    cases += [(name, make, 700 + n) for name, make in PLACES.items() for n in range(seeds)]
    print(
        "how far off, in per cent (mean over channels): white level and lit; sun; sky and bounce where the model stands"
    )
    print("and how many picked reflectances are within 10 % in the sun, 15 % in shade, by channel")
    totals: dict[str, list[float]] = {}
    for name, make, seed in cases:
        case = case_of(name, make, seed)
        for how in ("ground", "tone"):
            told = _line(case, how)
            for key, value in told.items():
                totals.setdefault(f"{how} {key}", []).append(value)
            figures = "  ".join(f"{key} {value:6.1f}" for key, value in told.items())
            print(f"{name:>14} {seed or '':>4} {how:>7}: {figures}")
    for key, values in totals.items():
        print(f"{key:>24}: median {np.nanmedian(values):.1f}, worst {np.nanmax(values):.1f}")


def case_of(name: str, make: Any, seed: int | None) -> Case:
    """A photograph of a made-up place, of its committed seed (None) or another."""
    place = make() if seed is None else make(seed)
    studio = Studio(load_renderer(), place, SCALE)
    radiance, daylight = studio.radiance(SAMPLES, seed=1), studio.daylight()
    codes = np.asarray(Image.open(io.BytesIO(develop(radiance, daylight, place.camera.exposure, seed=5))))
    gain = (daylight.mean() / daylight) ** 0.9 * place.camera.exposure / (daylight.mean() * 0.36)
    return Case(Picture(codes), truth_of(studio, name), studio, gain, gain * daylight)


def _line(case: Case, how: str) -> dict[str, float]:
    taken = Taken(case.studio.place, case.studio, case.truth, case.photograph, case.photograph)
    shot = load_shot(marked_document(taken, NOISE_PX * SCALE))
    facts = derive(shot)
    assert facts.camera
    camera, day = pinhole_of(facts.camera), daylight_of(shot, facts)
    patches = proposed_patches(case.photograph, camera, day)
    albedo, normals, lit, points = seen_in(case)
    if how == "tone":  # somebody knows what one spot of the ground throws back
        patches.append(_known(patches, albedo))
    balance = balance_of(patches, camera, day)
    sun, sky = day.irradiance(UP)
    direct, rest = _light_at_the_model(case)
    told = np.array(balance.gain) / np.pi
    return {
        "white": _off(np.array(balance.white), case.white),
        "sun": _off(told * sun, case.gain * direct / np.pi),
        "sky": _off(told * np.array(balance.sky) * sky, case.gain * rest / np.pi),
        "sun within 10 %": _picked(case, camera, day, balance, albedo, normals, lit, points, True),
        "shade within 15 %": _picked(case, camera, day, balance, albedo, normals, lit, points, False),
    }


def _off(told: Array, true: Array) -> float:
    return float(100 * np.abs(told / np.maximum(true, 1e-9) - 1).mean())


def seen_in(case: Case) -> tuple[Any, Any, Any, Any]:
    """Albedo and normal (H, W, 3), whether the sun shines there (H, W), and where it is (H, W, 3)."""
    mi, studio = case.studio.mi, case.studio
    view = studio.view
    rows, columns = np.mgrid[: view.height, : view.width]
    offset = (
        np.column_stack([columns.ravel(), rows.ravel()]) + 0.5 - [view.width / 2, view.height / 2]
    ) / view.focal_px
    ways = np.column_stack([offset, np.ones(len(offset))]) @ view.rotation
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    ray = mi.Ray3f(mi.Point3f(*[float(v) for v in view.position]), mi.Vector3f(*ways.T.astype(np.float32)))
    hit = studio.scene.ray_intersect(ray)
    valid = np.array(hit.is_valid())
    albedo = np.array(hit.bsdf().eval_diffuse_reflectance(hit)).T
    points, normals = np.array(hit.p).T, np.array(hit.sh_frame.n).T
    normals = np.where(((normals * ways).sum(1) > 0)[:, None], -normals, normals)
    sun = studio.place.to_sun
    blocked = studio.blocked(points + 0.01 * normals, points.mean(0) * 0 + sun * 1e4)
    lit = valid & ~blocked & (normals @ sun > 0.1)
    shape = (view.height, view.width)
    albedo[~valid] = np.nan
    return albedo.reshape(*shape, 3), normals.reshape(*shape, 3), lit.reshape(shape), points.reshape(*shape, 3)


def _known(patches: list[LightPatch], albedo: Array) -> LightPatch:
    """The first lit patch again, as a material of a known tone: what a grey card there would have told."""
    first = next(patch for patch in patches if patch.light == "sun")
    assert first.seen
    x, y = (int(v) for v in first.at)
    radius = int(first.radius_px)
    true = np.nanmean(albedo[y - radius : y + radius, x - radius : x + radius].reshape(-1, 3), axis=0)
    card = 0.18
    colour = np.array(first.seen.colour) * card / true
    seen = first.seen.model_copy(update={"colour": tuple(float(v) for v in colour)})
    return first.model_copy(update={"id": "card", "material": "grey card", "tone": card, "seen": seen})


def _light_at_the_model(case: Case) -> tuple[Array, Array]:
    """Irradiance of level ground where the model stands: from the sun itself, and all else, (3,) each."""
    mi, studio = case.studio.mi, case.studio
    x, y, z = studio.place.model_at
    tile = mi.load_dict(
        {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().translate([x, y, z + 0.02]).scale(0.05),
            "bsdf": {"type": "diffuse", "reflectance": {"type": "rgb", "value": 1.0}},
        }
    )
    sensor = mi.load_dict(
        {
            "type": "perspective",
            "fov": 3,
            "to_world": mi.ScalarTransform4f().look_at([x, y - 0.001, z + 1.2], [x, y, z], [0, 1, 0]),
            "film": {"type": "hdrfilm", "width": 8, "height": 8, "rfilter": {"type": "box"}},
        }
    )
    shapes = {f"s{n}": shape for n, shape in enumerate(studio.scene.shapes())}
    light = {"type": "sunsky", "sun_direction": studio.place.to_sun.tolist()}
    light |= {"turbidity": studio.place.turbidity, "albedo": 0.3}
    integrator = mi.load_dict({"type": "path", "max_depth": 8})

    def shown(**told: float) -> Array:
        scene = mi.load_dict({"type": "scene", "light": {**light, **told}, "tile": tile, **shapes})
        return np.array(mi.render(scene, sensor=sensor, integrator=integrator, spp=2048)).reshape(-1, 3).mean(0) * np.pi

    direct_only = mi.load_dict({"type": "path", "max_depth": 2})
    scene = mi.load_dict({"type": "scene", "light": {**light, "sky_scale": 0.0}, "tile": tile, **shapes})
    direct = np.array(mi.render(scene, sensor=sensor, integrator=direct_only, spp=512)).reshape(-1, 3).mean(0) * np.pi
    return direct, shown() - direct


def _picked(
    case: Case,
    camera: Any,
    day: Any,
    balance: BalanceAnswer,
    albedo: Array,
    normals: Array,
    lit: Array,
    points: Array,
    in_sun: bool,
) -> float:
    """The share of channels of random patches whose reflectance comes out right, in per cent."""
    rng = np.random.default_rng(3)
    off: list[Array] = []
    within = 0.10 if in_sun else 0.15
    for _ in range(4000):
        if len(off) >= PICKS:
            break
        y, x = rng.integers(8, albedo.shape[0] - 8), rng.integers(8, albedo.shape[1] - 8)
        around = (slice(y - 6, y + 7), slice(x - 6, x + 7))
        facing = facing_of(normals[y, x])
        same = np.abs(normals[around] - normals[y, x]).max() < 0.02
        if facing is None or not same or not (lit[around] == in_sun).all() or not np.isfinite(albedo[around]).all():
            continue
        if np.ptp(points[around].reshape(-1, 3), axis=0).max() > 1.0:
            continue
        true = albedo[around].reshape(-1, 3).mean(0)
        question = ReflectanceQuestion(at=(x + 0.5, y + 0.5), radius_px=6, facing=facing, in_sun=in_sun)
        try:
            told = picked_reflectance(question, case.photograph, camera, day, balance)
        except InputError:
            continue
        if luminance(true) > 0.03:
            off.append(np.array(told.colour) / true - 1)
    return float(100 * (np.abs(np.array(off)) < within).mean()) if off else float("nan")


def facing_of(normal: Array) -> Facing | None:
    """How a surface of this normal (3,) faces, as a pick is told."""
    if normal[2] > 0.99:
        return "level"
    if abs(normal[1]) > 0.99:
        return "along run A"
    return "along run B" if abs(normal[0]) > 0.99 else None
