"""`make bench-truth`: a grey and a mirror ball rendered by us, against the balls really standing there.

Places of all kinds of light; the camera is the true one, so that only the light is judged. Each once lit by the true
panorama, and once by what the photograph alone tells.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from bench.marks import marked
from lithopos.core.camera.pinhole import view_angles
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.colour import decode_srgb, delta_e_2000, linear_to_Lab
from lithopos.core.derive import daylight_of, derive
from lithopos.core.errors import InputError
from lithopos.core.exchange.panorama import Panorama
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.check import GREY, MIRROR, RADIUS_M, check_piece
from lithopos.core.geometry.model import Model
from lithopos.core.place.balance import proposed_patches
from lithopos.core.render.engine import load_renderer
from lithopos.core.render.render import render_shot
from lithopos.core.shot import Shot, load_shot
from lithopos.samples import meshes
from lithopos.samples.further import FURTHER
from lithopos.samples.lamplit import LAMPLIT
from lithopos.samples.panorama import panorama_of
from lithopos.samples.photograph import Studio, View, develop
from lithopos.samples.places import PLACES, Material, Place

SCALE, SAMPLES = 0.25, 32
TRUE_SAMPLES = 64  # a room's picture of 32 is 2.5 (grey) and 5 (mirror) off one of 128 by its own noise
INDOORS_M = 9.0  # away at most, or they would stand behind the window
APART_M = 0.5  # a panorama is that of one place
MOST_BARRED = 0.2  # of balls in a window's sun: its bars' shadows lie everywhere
PIECES = ("grey ball", "mirror ball")

__all__ = [
    "SAMPLES",
    "SCALE",
    "apart",
    "ball_mask",
    "balls_in",
    "bench_balls",
    "feet_of",
    "rendered",
    "shot_of",
    "taken",
]


@dataclass(frozen=True)
class _Scene:
    """A place; what somebody would call its ground, where the place itself does not say."""

    name: str
    make: Callable[[], Place]
    ground: str | None = None
    in_sun: bool = False  # that comes in by a window


def _scenes() -> list[_Scene]:
    yard, terrace = PLACES["cloister-yard"], PLACES["sea-terrace"]

    def hazy(seed: int) -> Place:
        return replace(yard(seed), turbidity=8.0, sun_width_deg=3.0)

    def overcast(make: Callable[..., Place], seed: int) -> Place:
        return replace(make(seed), overcast=True)

    def coloured(seed: int) -> Place:
        place = yard(seed)
        for name, colour in (("wall", (0.55, 0.2, 0.08)), ("plaster", (0.1, 0.35, 0.3))):
            place.materials[name] = Material(colour, roughness=0.9)
        return place

    return [
        _Scene("cloister yard", yard),
        _Scene("sea terrace", terrace),
        _Scene("cloister yard, seed 801", lambda: yard(801)),
        _Scene("sea terrace, seed 802", lambda: terrace(802)),
        _Scene("hazy yard", lambda: hazy(803)),
        _Scene("overcast yard", lambda: overcast(yard, 804)),
        _Scene("overcast terrace", lambda: overcast(terrace, 805)),
        _Scene("coloured courtyard", lambda: coloured(806)),
        _Scene("coloured courtyard 2", lambda: coloured(807)),
        _Scene("quay street", lambda: FURTHER["quay-street"](808), "asphalt"),
        _Scene("long front", lambda: FURTHER["long-front"](809), "warm stone"),
        _Scene("planted yard", lambda: FURTHER["planted-yard"](810), "grass"),
        _Scene("hall under a grey sky", lambda: LAMPLIT["hall"](821), "timber"),
        _Scene("room with window and lamp", lambda: LAMPLIT["lamp-room"](822), "timber"),
        _Scene("room with window and lamp 2", lambda: LAMPLIT["lamp-room"](823), "timber"),
        _Scene("lamp-lit evening", lambda: LAMPLIT["evening-yard"](824), "brick"),
        _Scene("room by its windows", lambda: FURTHER["workshop-room"](811), "timber"),
        _Scene("room by its windows 2", lambda: FURTHER["workshop-room"](812), "timber"),
        _Scene("in the sun of a window", lambda: FURTHER["workshop-room"](811), "timber", in_sun=True),
        _Scene("in the sun of a window 2", lambda: FURTHER["workshop-room"](812), "timber", in_sun=True),
    ]


def bench_balls() -> None:
    """Print the table: mean ΔE2000 over each ball."""
    mi = load_renderer()
    print("balls really there against ours: mean dE2000 (grey asked 4 with panorama, 6 without; mirror 10 and 16)")
    print(f"  {'':26s}{'panorama: grey':>15s}{'mirror':>9s}{'without: grey':>16s}{'mirror':>9s}")
    every: list[list[float]] = []
    for scene in _scenes():
        try:
            told = _case(mi, scene)
        except InputError as error:
            print(f"  {scene.name:26s}  {error}")
            continue
        print(f"  {scene.name:26s}{told[0]:15.1f}{told[1]:9.1f}{told[2]:16.1f}{told[3]:9.1f}", flush=True)
        every.append(told)
    mean = np.mean(np.array(every), axis=0)
    print(f"  {'mean':26s}{mean[0]:15.1f}{mean[1]:9.1f}{mean[2]:16.1f}{mean[3]:9.1f}")


def _case(mi: Any, scene: _Scene) -> list[float]:
    """Grey and mirror with the panorama, and without."""
    place = scene.make()
    place.ground_material = scene.ground or place.ground_material
    bare = Studio(mi, place, SCALE)
    feet = feet_of(bare, in_sun=scene.in_sun)
    daylight = bare.daylight()
    photograph = taken(bare, daylight)
    middles = [foot + [0, 0, RADIUS_M] for foot in feet]
    panorama = panorama_of(bare, np.mean(middles, axis=0), rows=128, samples=48)
    truth = taken(Studio(mi, balls_in(place, feet), SCALE), daylight, TRUE_SAMPLES)
    masks = [ball_mask(bare.view, middle) for middle in middles]
    found = []
    for with_panorama in (True, False):
        made = _ours(place, bare, photograph, feet, panorama if with_panorama else None)
        found += [apart(made, truth, mask) for mask in masks]
    return found


def balls_in(place: Place, feet: list[Any]) -> Place:
    """The place with a grey and a mirror ball standing in it."""
    materials = Material((GREY,) * 3, 1.0), Material((MIRROR,) * 3, 0.02, 1.0)
    for piece, foot, material in zip(PIECES, feet, materials, strict=True):
        place.materials[piece] = material
        place.add(_ball().moved(foot), piece)
    return place


def taken(studio: Studio, daylight: Any, samples: int = SAMPLES) -> Picture:
    """The photograph of a place."""
    encoded = develop(studio.radiance(samples, seed=1), daylight, studio.place.camera.exposure, seed=5)
    return Picture(np.asarray(Image.open(io.BytesIO(encoded))))


def feet_of(studio: Studio, in_sun: bool = False) -> list[Any]:
    """Where the balls stand: on open ground in the lower part of the picture, side by side; `in_sun`: there alone."""
    view = studio.view
    right = view.rotation[0] * [1, 1, 0]
    right /= np.linalg.norm(right)
    # Of a window's sun lies little on the floor.
    downs = np.linspace(0.54, 0.94, 41) if in_sun else (0.7, 0.76, 0.64, 0.82, 0.58)
    for down in downs:
        for across in np.linspace(0.1, 0.9, 41) if in_sun else (0.5, 0.4, 0.6, 0.3, 0.7):
            way = np.array([(across - 0.5) * view.width, (down - 0.5) * view.height, view.focal_px]) @ view.rotation
            middle = view.position - way * view.position[2] / way[2]
            feet = [middle + side * APART_M / 2 * right for side in (-1, 1)]
            tops = np.array([foot + [0, 0, h] for foot in feet for h in (0.03, RADIUS_M, 2 * RADIUS_M)])
            outlines = np.concatenate([_outline(foot, right) for foot in feet])
            # All of both balls and the panorama's lens between them lie in the sun, or in the shade.
            lens = middle + [0, 0, RADIUS_M]
            to_sun = lens + 100 * studio.place.to_sun
            shaded = studio.blocked(np.vstack([tops, lens]), to_sun)
            partly = in_sun and studio.blocked(outlines, to_sun).mean() > MOST_BARRED
            if in_sun and (partly or shaded.any() or np.linalg.norm(middle - view.position) > INDOORS_M):
                continue
            seen = way[2] < 0 and studio.sees(tops).all() and studio.sees(outlines).all()
            if seen and len(set(shaded.tolist())) == 1:
                return feet
    raise InputError("place", "has no open ground for the balls")


def _outline(foot: Any, right: Any) -> Any:
    """Points (N, 3) of a ball's outline as it is seen, and half as far out; none of them in the floor."""
    turn = np.linspace(0, 2 * np.pi, 24, endpoint=False)[:, None]
    around = np.cos(turn) * right + np.sin(turn) * [0, 0, 0.98]
    return foot + [0, 0, RADIUS_M] + RADIUS_M * np.concatenate([around, 0.5 * around])


def _ball() -> meshes.Mesh:
    turn = np.linspace(-np.pi / 2, np.pi / 2, 65)
    profile = zip(RADIUS_M * np.cos(turn), RADIUS_M * (1 + np.sin(turn)), strict=True)
    return meshes.lathe([(float(r), float(z)) for r, z in profile], 128)


def _ours(place: Place, studio: Studio, photograph: Picture, feet: list[Any], panorama: Any) -> Picture:
    """Our picture of the balls, with patches as they are proposed; windows and lamps are marked by hand."""
    shot = shot_of(place, studio.view, feet, panorama is not None)
    around = Panorama(panorama, panorama.shape[1], panorama.shape[0]) if panorama is not None else None
    facts = derive(shot)
    assert facts.camera
    if panorama is None and (place.white is not None or place.windows):
        shot = marked(shot, place, studio, photograph, np.random.default_rng(1))
    elif panorama is None:
        try:
            patches = proposed_patches(photograph, pinhole_of(facts.camera), daylight_of(shot, facts))
            shot = shot.model_copy(update={"patches": patches})
        except InputError:
            pass
    return rendered(shot, photograph, read_panorama=(lambda _: around) if around else None)


def rendered(shot: Shot, photograph: Picture, **readers: Any) -> Picture:
    """The shot with its balls; what it notes is printed."""

    def model(name: str) -> Model:
        return check_piece("grey ball" if "grey" in name else "mirror ball")

    *_, last = render_shot(shot, photograph, model, quality="master", scale=1.0, samples=SAMPLES, **readers)
    for note in last.notes:
        print(f"    {note}")
    assert last.picture
    return last.picture


def shot_of(place: Place, view: View, feet: list[Any], around: bool) -> Shot:
    tilt, roll, heading = (float(np.degrees(angle)) for angle in view_angles(view.rotation))
    # A pixel whose ground lies ahead: the world's zero is told by it.
    way = np.array([0.0, 0.25 * view.height, view.focal_px]) @ view.rotation
    origin = view.position - way * view.position[2] / way[2]
    return load_shot(
        {
            "format": 4,
            "photograph": {"file": "p.jpg", "width": view.width, "height": view.height},
            "camera": {
                "kind": "hand",
                "focal_35mm": view.focal_px / np.hypot(view.width, view.height) * 43.266615,
                "height_m": float(view.position[2]),
                "tilt_deg": tilt,
                "roll_deg": roll,
                "heading_deg": heading,
            },
            "origin": view.project(origin[None])[0].tolist(),
            "models": [
                {"id": f"m{n}", "file": f"{piece.split()[0]}.glb", "position_m": (foot - origin).tolist()}
                for n, (piece, foot) in enumerate(zip(PIECES, feet, strict=True))
            ],
            "sun": {
                "kind": "hand",
                "azimuth_deg": place.sun_azimuth_deg,
                "elevation_deg": place.sun_elevation_deg,
                "softness_deg": place.sun_width_deg,
            },
            "sky": {"cover": 1.0 if place.overcast else 0.0},
            "ground": {"material": place.ground_material},
            **(
                {"panorama": {"file": "around.hdr", "here": True, "lens_m": RADIUS_M}, "lit_by": "panorama"}
                if around
                else {}
            ),
        }
    )


def ball_mask(view: View, middle: Any) -> NDArray[np.bool_]:
    """Pixels whose rays meet a ball a little smaller than it is."""
    columns, rows = np.meshgrid(np.arange(view.width) + 0.5, np.arange(view.height) + 0.5)
    ways = np.stack([columns - view.width / 2, rows - view.height / 2, np.full(columns.shape, view.focal_px)], -1)
    ways = ways @ view.rotation
    ways /= np.linalg.norm(ways, axis=-1, keepdims=True)
    off = middle - view.position
    return np.asarray(np.linalg.norm(np.cross(ways, off), axis=-1) < 0.96 * RADIUS_M)


def apart(one: Picture, two: Picture, mask: NDArray[np.bool_]) -> float:
    """Mean ΔE2000 over the pixels of a ball."""
    colours = [linear_to_Lab(decode_srgb(picture.encoded)[mask]) for picture in (one, two)]
    return float(np.mean(delta_e_2000(*colours)))
