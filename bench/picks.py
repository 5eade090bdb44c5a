"""`python -m bench picks`: picked reflectances against the made-up places' truth, by how a surface stands and is lit.

Once with nothing drawn, once with what stands about drawn as a hand would, with its noise: of the yard its side wall
with coping and bench, the well, the arcade's plinth, columns, arches, upper wall, back wall and roof; of the terrace
the house with its door and window, its steps, the balustrade's courses, row and piers.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

import numpy as np
from proving.real import Taken, marked_document

from bench.light import NOISE_PX, SCALE, Case, case_of, facing_of, seen_in
from lithopos.core.arrays import Array
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.colour import luminance
from lithopos.core.derive import daylight_of, derive
from lithopos.core.errors import InputError
from lithopos.core.place.balance import balance_of, proposed_patches
from lithopos.core.place.reflectance import ReflectanceQuestion, picked_reflectance
from lithopos.core.readings import Sources, with_readings
from lithopos.core.shot import load_shot
from lithopos.core.shot.change import changed
from lithopos.samples.places import PLACES

PICKS, TRIES, HALF_PX = 60, 60_000, 4
DARK = 0.2  # of reflectance: leaves, iron, window panes are no diffuse surfaces
CLIPPED = 253
# Of the yard: where its columns stand, where its arches begin and how high they are, where its side wall's coping lies.
PLINTH_M, SPRING_M, CROWN_M, COPING_M = 0.3, 2.25, 3.15, 4.6
# Of the terrace: its piers along the balustrade, the top of that's lowest course, what its rail lies on.
PIERS_M, COURSE_M, HANDRAIL_M = -6.2 + 2.9 * np.arange(7), 0.16, 0.86
LEVELS_M = {
    "plinth": PLINTH_M,
    "spring": SPRING_M,
    "crown": CROWN_M,
    "coping": COPING_M,
    "threshold": 0.5,
    "sill": 1.375,
    "course": COURSE_M,
    "handrail": HANDRAIL_M,
}
Place = tuple[float, float, float]

__all__ = ["bench_picks"]


def bench_picks(seeds: int = 1) -> None:
    """Print the medians of |error| of red, green, blue in per cent; the committed places, and new seeds of both."""
    cases: list[tuple[str, int | None]] = [(name, None) for name in PLACES]
    cases += [(name, 701 + n) for n in range(seeds) for name in PLACES]
    for name, seed in cases:
        case = case_of(name, PLACES[name], seed)
        spots = _spots(case)
        taken = Taken(case.studio.place, case.studio, case.truth, case.photograph, case.photograph)
        bare = marked_document(taken, NOISE_PX * SCALE)
        for how, proxies in (("nothing drawn", []), ("drawn", _drawn(case))):
            errors = _errors(case, _with_drawn(case, bare, proxies), spots)
            for (facing, lit), off in errors.items():
                middle = "/".join(f"{value:2.0f}" for value in 100 * np.median(np.abs(off), axis=0))
                where = f"{facing}, in {'the sun' if lit else 'shade'}"
                print(f"{name:>14} {seed or '':>4} {how:>14}: {where:24s} {len(off):3d} picks: {middle}", flush=True)


def _with_drawn(case: Case, bare: dict[str, Any], proxies: list[dict[str, Any]]) -> dict[str, Any]:
    sources = Sources(lambda _: case.photograph)
    named = {side["level"] for side in proxies if "level" in side}
    levels = [{"id": name, "name": name, "height_m": LEVELS_M[name]} for name in named]
    return changed(bare, with_readings(bare, {"levels": levels, "proxies": proxies}, sources))


def _spots(case: Case) -> dict[tuple[Any, bool], list[tuple[int, int, Array]]]:
    """Random spots of diffuse surfaces with their true reflectances, by how they face and whether the sun shines."""
    albedo, normals, lit, points = seen_in(case)
    rng = np.random.default_rng(3)
    found = dict[tuple[Any, bool], list[tuple[int, int, Array]]]()
    height, width = lit.shape
    for _ in range(TRIES):
        y, x = int(rng.integers(8, height - 8)), int(rng.integers(8, width - 8))
        around = (slice(y - HALF_PX, y + HALF_PX + 1), slice(x - HALF_PX, x + HALF_PX + 1))
        facing, true = facing_of(normals[y, x]), albedo[around].reshape(-1, 3).mean(0)
        flat = np.abs(normals[around] - normals[y, x]).max() < 0.02 and np.isfinite(true).all()
        if facing is None or not flat or np.ptp(points[around].reshape(-1, 3), axis=0).max() > 1:
            continue
        if len(np.unique(lit[around])) > 1 or (case.photograph.codes[around] >= CLIPPED).mean() > 0.02:
            continue
        kept = found.setdefault((facing, bool(lit[y, x])), [])
        if len(kept) < PICKS and luminance(true) > (0.03 if facing == "level" else DARK):
            kept.append((x, y, true))
    return found


def _errors(case: Case, document: dict[str, Any], spots: dict[tuple[Any, bool], Any]) -> dict[tuple[str, bool], Array]:
    shot = load_shot(document)
    facts = derive(shot)
    assert facts.camera
    camera, day = pinhole_of(facts.camera), daylight_of(shot, facts)
    balance = balance_of(proposed_patches(case.photograph, camera, day), camera, day)
    found = dict[tuple[str, bool], Array]()
    for key in sorted(spots):
        off = []
        for x, y, true in spots[key]:
            question = ReflectanceQuestion(at=(x + 0.5, y + 0.5), radius_px=HALF_PX, facing=key[0], in_sun=key[1])
            try:
                told = picked_reflectance(question, case.photograph, camera, day, balance)
            except InputError:
                continue
            off.append(np.array(told.colour) / true - 1)
        if len(off) > 8:
            found[key] = np.array(off)
    return found


def _drawn(case: Case) -> list[dict[str, Any]]:
    """What stands about, as a hand draws it on the photograph."""
    terrace = case.truth["name"].startswith("Sea")
    sides = _of_the_terrace(case) if terrace else _of_the_yard(case)
    return [{"id": f"x{number}", **side} for number, side in enumerate(sides)]


def _pixels(case: Case) -> Callable[..., list[list[float]]]:
    """Where a hand clicks for places (x, y, z)."""
    rng = np.random.default_rng(4)

    def at(*places: Place) -> list[list[float]]:
        pixels = case.studio.view.project(np.array(places, float))
        noisy: list[list[float]] = (pixels + rng.normal(scale=NOISE_PX * SCALE, size=pixels.shape)).round(2).tolist()
        return noisy

    return at


def _inside(case: Case) -> Callable[[Iterable[Place]], bool]:
    """Whether a photograph shows all of some places (x, y, z)."""
    view = case.studio.view

    def inside(places: Iterable[Place]) -> bool:
        pixels = view.project(np.array(list(places)))
        return bool(((pixels > 2) & (pixels < [view.width - 2, view.height - 2])).all())

    return inside


def _of_the_terrace(case: Case) -> list[dict[str, Any]]:
    at, inside, house, rail = _pixels(case), _inside(case), -5.2, 5.0
    leaf, front = house + 0.06, rail - 0.21
    shown = [x for x in PIERS_M if inside(((x, front, 0), (x, front, 1)))]
    left, right = shown[0] - 0.3, shown[-1] + 0.3

    def along(depth_m: float, z: float) -> list[list[float]]:
        return at((left, rail - depth_m / 2, z), (right, rail - depth_m / 2, z))

    def opening(low: float, high: float, level: str, height_m: float) -> dict[str, Any]:
        """A door or a window in the house, from where it comes into the picture."""
        z = LEVELS_M[level]
        first = next(y for y in np.arange(low, high, 0.05) if inside([(leaf, y, z)]))
        points, past_m = at((leaf, first, z), (leaf, high, z)), [round(first - low, 2), 0]
        return {"kind": "wall", "points": points, "height_m": height_m, "past_m": past_m, "level": level}

    return [
        {"kind": "wall", "points": at((house, 2.6, 0), (house, 4.4, 0)), "height_m": 5.0, "past_m": [10, 0]},
        opening(0.57, 1.63, "threshold", 2.15),
        opening(2.26, 4.14, "sill", 1.45),
        {
            "kind": "steps",
            "points": at((house + 1.35, 0.05, 0), (house + 1.35, 2.15, 0)),
            "depth_m": 1.3,
            "height_m": 0.5,
            "count": 3,
        },
        {"kind": "box", "points": along(0.36, 0), "height_m": COURSE_M, "depth_m": 0.36},
        {"kind": "wall", "points": along(0, COURSE_M), "height_m": HANDRAIL_M - COURSE_M, "level": "course"},
        {"kind": "box", "points": along(0.34, HANDRAIL_M), "height_m": 0.12, "depth_m": 0.34, "level": "handrail"},
        *(
            {"kind": "box", "points": at((x - 0.21, front, 0), (x + 0.21, front, 0)), "height_m": 1.07, "depth_m": 0.42}
            for x in shown
        ),
    ]


def _of_the_yard(case: Case) -> list[dict[str, Any]]:
    at, inside = _pixels(case), _inside(case)
    side, upper, back, right = -6.4, 6.14, 9.4, 8.6

    def rim(x: float, y: float, z: float, radius: float) -> tuple[Place, ...]:
        return (x - radius, y, z), (x, y - radius, z), (x + radius, y, z)

    def over(x: float) -> tuple[Place, ...]:
        return (x - 0.3, upper, SPRING_M), (x + 0.3, upper, SPRING_M)

    bays = side + 2.15 * np.arange(1, 8)
    columns = [places for places in (rim(x, 6.35, PLINTH_M, 0.17) for x in bays) if inside(places)]
    between = [places for places in map(over, bays) if inside(places)]
    broad = [
        ((side, back, 5.2), (right, back, 5.2), (right, back, 0.28), (side, back, 0.28)),
        ((side, back, 5.2), (right, back, 5.2), (right, upper - 0.2, 4.0), (side, upper - 0.2, 4.0)),
    ]
    wall, bench = side + 0.3, side + 0.4
    deep = {"depth_m": 0.42}
    return [
        {"kind": "box", "points": at((side + 0.1, 6, 0), (5, 6, 0)), "height_m": PLINTH_M, "depth_m": 3.4},
        *({"kind": "cylinder", "points": at(*places), "height_m": 1.95, "level": "plinth"} for places in columns),
        *(
            {"kind": "box", "points": at(*ends), "height_m": CROWN_M - SPRING_M, "level": "spring", **deep}
            for ends in between
        ),
        {
            "kind": "box",
            "points": at((side + 0.2, upper, CROWN_M), (right, upper, CROWN_M)),
            "height_m": 0.8,
            "level": "crown",
            **deep,
        },
        {"kind": "wall", "points": at((side, 0.5, 0), (side, 5.5, 0)), "height_m": 4.65, "past_m": [8.5, 3.9]},
        {
            "kind": "box",
            "points": at((wall, 0.5, COPING_M), (wall, 5.6, COPING_M)),
            "height_m": 0.12,
            "level": "coping",
            **deep,
        },
        {"kind": "box", "points": at((bench, 0.5, 0), (bench, 5.3, 0)), "height_m": 0.48, **deep},
        {"kind": "cylinder", "points": at(*rim(-2.35, 1.75, 0, 0.6)), "height_m": 1.03},
        *({"kind": "quad", "points": at(*corners), "width_m": right - side} for corners in broad),
    ]
