"""`python tools/fixtures.py`: what the Python core says of a few cases; the front end's tests are held to it."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import numpy as np

from lithopos.core.blend.grade import curve_through
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.footage.states import value_at
from lithopos.core.geometry.model import Model, Part
from lithopos.core.geometry.units import known
from lithopos.core.light.sun import sun_direction
from lithopos.core.light.turning import rotation_of
from lithopos.core.shot import Key, Placed
from lithopos.core.shot.change import changed
from lithopos.core.standing.placement import placement, stands

OUT = Path(__file__).parents[1] / "frontend/src/fixtures/core.json"


def _rotation(tilt_deg: float, roll_deg: float, heading_deg: float) -> Any:
    t, r, h = np.radians([tilt_deg, roll_deg, heading_deg])
    forward = np.array([np.cos(t) * np.cos(h), np.cos(t) * np.sin(h), np.sin(t)])
    level = np.array([np.sin(h), -np.cos(h), 0])
    down = np.cross(forward, level)
    return np.stack([np.cos(r) * level + np.sin(r) * down, np.cos(r) * down - np.sin(r) * level, forward])


def _camera(k1: float, shift: tuple[float, float], roll: float) -> dict[str, Any]:
    camera = Pinhole(
        900.0, np.array([640.0, 427.0]) + shift, _rotation(-9, roll, 62), np.array([0.4, -1.1, 1.6]), 1280, 854, k1
    )
    points = [[x, y, z] for x in (-2.0, 3.0) for y in (1.0, 6.0) for z in (0.0, 1.8)] + [[0.0, -9.0, 0.0]]
    # Far to the side, where a strongly bent lens folds its picture back.
    points += [[9.0, 0.5, 0.3], [-6.0, 2.0, 1.0]]
    seen = camera.project(points)
    pixels = [[200.0, 700.0], [640.0, 500.0], [1200.0, 820.0], [640.0, 20.0]]
    ground = camera.ground_points(pixels, 0.4)
    rays = camera.rays(pixels)
    return {
        "camera": {
            "focal": camera.focal_px,
            "cx": float(camera.principal_point[0]),
            "cy": float(camera.principal_point[1]),
            "rotation": camera.rotation.tolist(),
            "position": camera.position.tolist(),
            "k1": k1,
            "metric": True,
        },
        "points": points,
        "seen": [p.tolist() if np.isfinite(p).all() else None for p in seen],
        "pixels": pixels,
        "plane_m": 0.4,
        "on_plane": [p.tolist() if np.isfinite(p).all() else None for p in ground],
        "rays": rays.tolist(),
    }


def _changes() -> list[dict[str, Any]]:
    document = {
        "edges": [{"id": "a1", "run": "a"}, {"id": "a2", "run": "a"}, {"id": "b1", "run": "b"}],
        "models": [{"id": "k", "surfaces": {"oak": {"kind": "matte"}, "paint": {"kind": "paint"}}}],
        "sun": {"kind": "gnomons", "strength": 1.0},
        "camera": {"kind": "solved", "robust": True},
        "origin": [1, 2],
    }
    patches: list[dict[str, Any]] = [
        {"edges": {"a1": None, "c1": {"run": "plumb"}, "a2": {"run": "b"}, "gone": None}},
        {"edges": [{"id": "z", "run": "a"}]},
        {"sun": {"strength": 2.0}, "origin": [3, 4]},
        {"camera": {"kind": "hand", "height_m": 1.6}},
        {"models": {"m": {"id": "m", "turn_deg": 5}}},
        {"edges": {"a1": {"nested": {"one": {"x": 1}, "two": 2}}}},
        {"models": {"k": {"surfaces": {"oak": None, "steel": {"kind": "metal"}}}}},
    ]
    return [{"document": document, "patch": patch, "result": changed(document, patch)} for patch in patches]


def _suns() -> list[dict[str, Any]]:
    found = []
    for azimuth, elevation in ((20.0, 35.0), (-130.0, 8.0), (170.0, 70.0)):
        way = sun_direction(np.radians(azimuth), np.radians(elevation))
        top = np.array([1.0, 2.0, 1.3])
        tip = top - way * (top[2] / way[2])
        found.append({"top": top.tolist(), "tip": tip.tolist(), "azimuth_deg": azimuth, "elevation_deg": elevation})
    return found


def _standings() -> list[dict[str, Any]]:
    """A box of 2 × 1 × 0.5 m that its reader took to be in cm, y up, and where its corners come to stand."""
    corners = np.array([[x, y, z] for x in (-1, 1) for y in (-0.5, 0.5) for z in (0, 0.5)], float) + [3, 4, 5]
    pose = (0.8, 0.36, 0.48, 0.0)
    more: list[dict[str, Any]] = [
        {"lean_deg": 20.0, "lean_toward_deg": 70.0},
        {"pose": pose},
        {"pose": pose, "lean_deg": 12.0, "up": "z"},
    ]
    part = Part("box", corners, np.zeros((0, 3)), np.zeros((8, 2)), np.zeros((0, 3), np.int64), 0)
    model = Model([part], [], unit=known("cm"), up="y")
    found = []
    plain = [{"unit": unit, "up": up} for unit, up in ((None, None), ("mm", None), (None, "z"), ("m", "y"))]
    for values in (*plain, *more):
        told = {"unit": None, "up": None, "pose": None, "lean_deg": 0.0, "lean_toward_deg": 0.0, **values}
        told |= {"size": 1.5, "turn_deg": 30.0, "position_m": (1.0, 2.0, 0.25)}
        matrix = placement(Placed.model_validate({"id": "m", "file": "x.glb", **told}), model)
        stood = corners @ matrix[:3, :3].T + matrix[:3, 3]
        found.append({**told, "corners": (corners - [3, 4, 5]).tolist(), "stood": stood.tolist()})
    return found


def _carried() -> dict[str, Any]:
    """A row of three on a thing on a thing, and where the feet of the copies come to stand."""
    told = [
        {"id": "a", "file": "x.glb", "position_m": (2.0, 1.0, 0.0), "turn_deg": 40.0},
        {"id": "b", "file": "x.glb", "on": "a", "position_m": (0.3, 0.1, 0.5), "turn_deg": -10.0},
        {"id": "c", "file": "x.glb", "on": "b", "position_m": (0.1, -0.2, 0.25), "turn_deg": 5.0},
    ]
    told[2]["row"] = {"count": 3, "spacing_m": 0.2, "direction_deg": 30.0, "spread_deg": 15.0, "seed": 7}
    models = [Placed.model_validate(one) for one in told]
    cube = np.array([[x, y, z] for x in (-0.1, 0.1) for y in (-0.1, 0.1) for z in (0, 0.2)])
    model = Model([Part("box", cube, np.zeros((0, 3)), np.zeros((8, 2)), np.zeros((0, 3), np.int64), 0)], [])
    feet = [stand.matrix[:3, 3].tolist() for stand in stands(models, lambda _: model) if stand.placed.id == "c"]
    return {"things": [model.model_dump(mode="json") for model in models], "feet": feet}


def _turnings() -> list[dict[str, Any]]:
    """World directions in the own frames of turned panoramas."""
    angles = [(0.0, 0.0, 0.0), (137.0, 0.0, 0.0), (-60.0, 24.0, -11.0)]
    rays = np.array([[1.0, 0.2, 0.1], [-0.3, 0.8, 0.5], [0.1, -0.2, -0.9]])
    return [
        {
            "around": dict(zip(("turn_deg", "pitch_deg", "roll_deg"), one, strict=True)),
            "rays": rays.tolist(),
            "ways": (rays @ rotation_of(*one)).tolist(),
        }
        for one in angles
    ]


def _curves() -> list[dict[str, Any]]:
    """What drawn curves of tones make of encoded values."""
    drawn: list[list[tuple[float, float]]] = [
        [(0.5, 0.62)],
        [(0.3, 0.2), (0.7, 0.78)],
        [(0.0, 0.1), (0.2, 0.5), (0.4, 0.45), (1.0, 0.9)],
    ]
    at = np.linspace(0.02, 0.98, 17)
    return [{"points": points, "at": at.tolist(), "becomes": curve_through(points)(at).tolist()} for points in drawn]


def _keys() -> list[dict[str, Any]]:
    """What keys of one thing set at frames."""
    turns = [(10, 0.0, "soft"), (30, 90.0, "even"), (50, -20.0, "hold"), (60, 5.0, "soft")]
    places = [(0, [0.0, 1.0, 0.0], "even"), (40, [2.0, -1.0, 0.5], "soft"), (90, [1.0, 0.0, 0.0], "soft")]
    told = []
    for path, drawn in (("models/m1/turn_deg", turns), ("models/m1/position_m", places)):
        keys = [
            Key.model_validate({"id": f"k{frame}", "frame": frame, "path": path, "value": value, "easing": easing})
            for frame, value, easing in drawn
        ]
        at = list(range(0, 100, 7))
        values = [value_at(keys, frame) for frame in at]
        told.append({"keys": [key.model_dump(mode="json") for key in keys], "at": at, "values": values})
    return told


def fixtures() -> dict[str, Any]:
    """All cases, rounded so that another machine prints the same."""
    cameras = [_camera(0.0, (0, 0), 0), _camera(-0.18, (21, -13), 3), _camera(0.09, (0, 0), -2)]
    told = {
        "cameras": cameras,
        "changes": _changes(),
        "suns": _suns(),
        "standings": _standings(),
        "carried": _carried(),
        "turnings": _turnings(),
        "curves": _curves(),
        "keys": _keys(),
    }
    rounded: dict[str, Any] = json.loads(json.dumps(told), parse_float=lambda text: round(float(text), 11))
    return rounded


if __name__ == "__main__":
    text = json.dumps(fixtures(), indent=1) + "\n"
    if "--check" in sys.argv:
        sys.exit(0 if OUT.read_text() == text else "the fixtures are old: run tools/fixtures.py")
    OUT.write_text(text)
