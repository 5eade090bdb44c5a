"""`make bench sharp`: marks by a hand, refined, against what they were drawn on, and what that does to camera and sun.

Photographs of our own of plain blocks and posts whose edges are true to the micrometre, with noise and JPEG.
"""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from PIL import Image
from proving.truth import marked_shot_of

from lithopos.core.arrays import Array
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.derive import derive
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.sun import KnownCamera, SunProblem, solve_sun
from lithopos.core.place.sunlight import REFINED
from lithopos.core.readings import READ, Sources, with_readings
from lithopos.core.render.engine import load_renderer
from lithopos.core.shot import load_shot
from lithopos.core.shot.change import changed
from lithopos.samples import meshes, textures
from lithopos.samples.photograph import Studio, develop, truth_of
from lithopos.samples.places import Camera, Material, Place

PHOTOGRAPHS, SAMPLES, SIZE = 30, 16, (960, 640)
NOISE_PX = 0.7
SHARPEST = 1.96  # deviations within which 95 % lie

__all__ = ["bench_sharp"]


def bench_sharp(count: int = PHOTOGRAPHS) -> None:
    """Print how far refined marks are off, how honest that is stated, and the errors by hand and refined."""
    mi = load_renderer()
    off: dict[str, list[tuple[float, float]]] = {"edge": [], "shadow": [], "top": []}
    marks = dict.fromkeys(off, 0)
    errors: dict[str, list[tuple[float, float, float]]] = {"by hand": [], "refined": []}
    for seed in range(count):
        place = _place(seed)
        studio = Studio(mi, place, 1.0)
        codes = develop(studio.radiance(SAMPLES, seed=seed), studio.daylight(), place.camera.exposure, seed=seed)
        truth = truth_of(studio, "p")
        documents = _documents(truth, Picture(np.asarray(Image.open(io.BytesIO(codes)))), seed)
        _compare(documents["refined"], truth, off, marks)
        for name, document in documents.items():
            errors[name].append(_errors(document, truth))
    print(f"sharp marks: {count} photographs of {SIZE[0]} x {SIZE[1]}, marked to {NOISE_PX} px")
    for name, told in off.items():
        if told:
            far, sigma = np.array(told).T
            print(
                f"  {name:7s} {len(told)} figures of {marks[name]} marks; off by {np.median(np.abs(far)):.2f} px "
                f"(median), {100 * np.mean(np.abs(far) < SHARPEST * sigma):.0f} % within what 95 % should be"
            )
    for name, figures in errors.items():
        camera, sun, given = np.nanmedian(np.array(figures), axis=0)
        print(f"  {name:8s} camera off by {camera:.3f}°, sun by {sun:.3f}°, by {given:.3f}° with the true camera")


def _place(seed: int) -> Place:
    """Some blocks and posts on a rough pale ground."""
    rng = np.random.default_rng(5000 + seed)
    heading = rng.uniform(55, 125)
    way = np.array([np.cos(np.radians(heading)), np.sin(np.radians(heading)), rng.uniform(-0.22, -0.12)])
    eye = np.array([0, 0, rng.uniform(1.5, 1.9)]) - [*(6 * way[:2]), 0]
    x, y, z = (float(v) for v in eye)
    tx, ty, tz = (float(v) for v in eye + way)
    aim = Camera((x, y, z), (tx, ty, tz), float(rng.uniform(-1, 1)), float(rng.uniform(24, 32)), *SIZE)
    sun = heading + float(rng.choice([-1, 1]) * rng.uniform(40, 130))
    place = Place("Blocks", aim, sun, float(rng.uniform(25, 50)), 3.5, "pale stone", "", (0.0, 0.0, 0.0), 0.0)
    place.materials["ground"] = Material(textures.stone(1024, (0.36, 0.32, 0.26), rng), 0.9, tile_m=(3.0, 3.0))
    place.materials["block"] = Material((0.5, 0.4, 0.3), 0.9)
    place.materials["post"] = Material((0.06, 0.06, 0.06), 0.9)
    place.add(meshes.quad([(-40, -40, 0), (40, -40, 0), (40, 40, 0), (-40, 40, 0)]), "ground")
    right, ahead = np.array([way[1], -way[0]]), way[:2]
    for number, across in enumerate((-2.0, -0.4, 1.5)):
        middle = across * right + rng.uniform(0, 3) * ahead
        _block(place, middle, rng.uniform([0.7, 0.7, 0.5], [1.4, 1.4, 1.1]))
        post = middle - rng.uniform(1.2, 1.8) * ahead + (0.6 - number * 0.4) * right
        _post(place, post, float(rng.uniform(0.015, 0.035)), float(rng.uniform(0.5, 1.1)))
    place.yardstick = ((-1.0, 0.0, 0.0), (1.0, 0.0, 0.0))
    return place


def _block(place: Place, middle: Array, size: Array) -> None:
    low, high = np.append(middle - size[:2] / 2, 0), np.append(middle + size[:2] / 2, size[2])
    (x0, y0, z0), (x1, y1, z1) = low.tolist(), high.tolist()
    corners = [[(x, y, z) for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))] for z in (z0, z1)]
    foot, top = corners
    place.add(meshes.quad(top), "block")
    for n in range(4):
        m = (n + 1) % 4
        place.add(meshes.quad([foot[n], foot[m], top[m], top[n]]), "block")
        place.edge("a" if n % 2 == 0 else "b", top[n], top[m])
        place.edge("plumb", foot[n], top[n])


def _post(place: Place, foot: Array, radius: float, height: float) -> None:
    x, y = (float(v) for v in foot)
    rod = meshes.lathe([(radius, 0.0), (radius, height), (0.0, height)], 24, sharp=True)
    place.add(rod.moved((x, y, 0)), "post")
    place.gnomons.append(((x, y, 0.0), (x, y, height)))


def _documents(truth: dict[str, Any], photograph: Picture, seed: int) -> dict[str, dict[str, Any]]:
    """The shot by a hand, and with its marks refined."""
    document = marked_shot_of(truth, NOISE_PX, seed).model_dump(mode="json", by_alias=True) | {"models": []}
    drawn = {name: document[name] for name in READ}
    read = with_readings({**document, **{name: [] for name in READ}}, drawn, Sources(lambda _: photograph))
    refined = changed(document, read)
    by_hand = {
        name: [{**mark, "by_hand": True} for mark in refined[name]] if name in ("edges", "gnomons") else value
        for name, value in refined.items()
    }
    return {"by hand": by_hand, "refined": refined}


def _compare(
    document: dict[str, Any],
    truth: dict[str, Any],
    off: dict[str, list[tuple[float, float]]],
    marks: dict[str, int],
) -> None:
    """Add how far refined marks lie beside what they were drawn on, and what is stated of that [px]."""
    for mark, true in zip(document["edges"], truth["edges"], strict=True):
        marks["edge"] += 1
        _beside(mark["sharp"], true["points"], off["edge"])
    for mark, true in zip(document["gnomons"], truth["gnomons"], strict=True):
        marks["shadow"] += 1
        marks["top"] += 1
        _beside(mark["shadow"], [true["foot"], true["tip"]], off["shadow"])
        if sharp := mark["sharp_top"]:
            axis = np.subtract(true["top"], true["foot"])
            along = np.subtract(sharp["at"], true["top"]) @ (axis / np.linalg.norm(axis))
            off["top"].append((float(along), sharp["sigma_px"]))


def _beside(line: dict[str, Any] | None, true: list[list[float]], off: list[tuple[float, float]]) -> None:
    if line is None:
        return
    a, b = np.array(true)
    across = np.array([-(b - a)[1], (b - a)[0]]) / np.linalg.norm(b - a)
    off += [(float((np.array(p) - a) @ across), line["sigma_px"]) for p in (line["points"][0], line["points"][-1])]


def _errors(document: dict[str, Any], truth: dict[str, Any]) -> tuple[float, float, float]:
    """How far the camera's direction, the sun's, and the sun's under the true camera are off [deg]."""
    facts = derive(load_shot(document))
    sun, rotation = np.array(truth["sun"]["direction"]), np.array(truth["camera"]["rotation"])
    if facts.camera is None:
        return np.nan, np.nan, np.nan
    turned = pinhole_of(facts.camera).rotation @ rotation.T
    camera = float(np.degrees(np.arccos(np.clip((np.trace(turned) - 1) / 2, -1, 1))))
    given = _sun_alone(document, truth)
    return camera, _apart(facts.sun.direction if facts.sun else None, sun), _apart(given, sun)


def _sun_alone(document: dict[str, Any], truth: dict[str, Any]) -> Any:
    """The sun from the gnomons and the true camera."""
    known, image = truth["camera"], truth["image"]
    camera = KnownCamera.model_validate(
        {
            "focal_px": known["focal_px"],
            "principal_point": [image["width"] / 2, image["height"] / 2],
            "rotation": known["rotation"],
            "camera_position": known["camera_position"],
        }
    )
    gnomons = [
        {
            name: value
            for name, value in mark.items()
            if name not in {"id", "by_hand"} | (REFINED if mark["by_hand"] else set())
        }
        for mark in document["gnomons"]
    ]
    if not gnomons:
        return None
    answer = solve_sun(SunProblem.model_validate({"image": image, "camera": camera, "gnomons": gnomons}))
    return getattr(answer, "direction", None)


def _apart(told: Any, true: Array) -> float:
    if told is None:
        return float("nan")
    return float(np.degrees(np.arccos(np.clip(np.array(told) @ true, -1, 1))))
