"""`make bench-truth`: composites from noisy marks alone in places with walls, steps and blocks, against the truth.

Each scene is photographed with the model really there, and without; the shot is made from marks off by a hand's noise,
refined on the photograph as the program does. *Unblended* is without grain, spread and fringes. Beside it the *oracle*:
which of what is marked makes the difference.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from proving.real import Taken, marked_document, product, scored, scored_beyond_grain, structure_at_edges, taken

from bench.marks import marked
from lithopos.core.arrays import Floats
from lithopos.core.camera.pinhole import view_angles
from lithopos.core.derive import derive, standing_heights
from lithopos.core.errors import InputError
from lithopos.core.exchange.panorama import Panorama
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.dome import dome_of
from lithopos.core.render.engine import load_renderer
from lithopos.core.render.render import render_shot
from lithopos.core.render.scene import Scene
from lithopos.core.render.session import Session
from lithopos.core.shot import PanoramaLight, Shot, load_shot
from lithopos.samples.court import COURTS, GLEAM, court
from lithopos.samples.gallery import GALLERIES, gallery
from lithopos.samples.panorama import panorama_of
from lithopos.samples.photograph import Studio, gain_of
from lithopos.samples.places import Place

SCALE, SAMPLES_A_PIXEL = 0.4, 32
GATHERED_SAMPLES = 256  # of a photograph in which glass gathers the sun's light: found by luck alone
PANORAMA_UP_M = 1.5
PANORAMA_ROWS, PANORAMA_SAMPLES = 512, 8  # as coarse as it may be for its sun to lie within a tenth of a degree
NOISE_PX = 0.7  # at full size
HAND_DEG = 0.4
CLEAR_DEG, SOFTER = 1.0, 1.15  # a hazy sun is wider, and its width is measured so well
PICTURES = Path("bench/pictures")

ASKED = ("without proxies", "marked", "unblended", "panorama", "oracle")
# What is replaced by the truth; a variant is called after one of them ("true sun"), the oracle has them all.
TRUE = ("camera", "sun", "level", "shape", "surface")

__all__ = ["bench_contact"]


def bench_contact(names: Iterable[str] = (), variants: Iterable[str] = ASKED) -> None:
    """Print the table: PSNR over the place's changed pixels [dB], mean ΔE2000 of the model, wrongly changed pixels."""
    mi = load_renderer()
    print(
        "contact: PSNR of the place's changed pixels [dB] / mean dE2000 of the model / stray pixels / SSIM at its edges"
        " / the first two of means over a few pixels, in which no grain is left"
    )
    print(f"  {'':22s}{'photograph':>11s}" + "".join(f"{name:>38s}" for name in variants))
    every: dict[str, list[tuple[float, float]]] = {name: [] for name in variants}
    for name in names or (*COURTS, *GALLERIES):
        place = gallery(name) if name in GALLERIES else court(name)
        gathers = place.sun_width_deg > CLEAR_DEG and not place.overcast
        scene = taken(mi, place, SCALE, GATHERED_SAMPLES if gathers else SAMPLES_A_PIXEL)
        lens = np.add(scene.place.model_at, [0, 0, PANORAMA_UP_M])
        around = None
        if {"panorama", "oracle"} & set(variants):
            around = panorama_of(Studio(mi, scene.place, SCALE), lens, rows=PANORAMA_ROWS, samples=PANORAMA_SAMPLES)
        line = f"  {name:22s}{scored(scene, scene.empty)[0]:11.1f}"
        for variant in variants:
            try:
                made = _rendered(_shot(scene, variant, around), scene, around, variant)
            except InputError as error:
                line += f"  {error}"
                continue
            db, apart, stray = scored(scene, made)
            every[variant].append((db, apart))
            coarse = scored_beyond_grain(scene, made)
            line += f"{db:8.1f} /{apart:4.1f} /{stray:3d} /{structure_at_edges(scene, made):.3f}"
            line += f" /{coarse[0]:5.1f} /{coarse[1]:4.1f}"
            _keep(f"{name}, {variant}", made)
        _keep(f"{name}, real", scene.real)
        print(line, flush=True)
    for variant in variants:
        if every[variant]:
            db, apart = np.array(every[variant]).T
            print(f"  {variant}: median {np.median(db):.1f} dB, least {db.min():.1f}; dE mean {apart.mean():.1f}")


def _shot(scene: Taken, variant: str, around: Floats | None) -> Shot:
    """The shot as it would be made, with what a variant puts in its stead."""
    true = _true(variant)
    document = marked_document(scene, NOISE_PX * SCALE)
    place, view = scene.place, scene.view
    if place.sun_width_deg > CLEAR_DEG:
        document["sun"]["softness_deg"] = place.sun_width_deg * (1 if "sun" in true else SOFTER)
    if "shape" in true:
        exact = marked_document(scene, 0.0)
        document |= {name: exact[name] for name in ("proxies", "mattes")}
    if "surface" in true:
        roughness, specular = GLEAM.get(place.ground_material, (1.0, 0.0))
        document["ground"] |= {"roughness": roughness, "coat": 2 * specular}  # 0.5 is a whole dielectric's
        document["proxies"] = [{**one, "coat": 0.0} for one in document["proxies"]]  # the sample's walls are matte
    if not document["gnomons"]:
        # Nothing whose shadow can be marked is seen: the sun is pulled by hand until it looks right.
        off = np.random.default_rng(0).normal(0, HAND_DEG, 2)
        angles = {"azimuth_deg": place.sun_azimuth_deg + off[0], "elevation_deg": place.sun_elevation_deg + off[1]}
        document["sun"] |= {"kind": "hand", **angles}
    document["sky"]["cover"] = 1.0 if place.overcast else 0.0
    if place.overcast:
        document["sun"]["strength"] = 0.0
    if variant == "without proxies":
        document["proxies"], document["mattes"] = [], []
        document["models"][0]["level"] = None
    if variant == "unblended":
        document["blend"] |= {"grain": 0.0, "softness_px": 0.0, "fringes": 0.0, "halos": 0.0}
    _set_down(document)
    if "camera" in true:
        tilt, roll, heading = (float(np.degrees(angle)) for angle in view_angles(view.rotation))
        document["camera"] = {
            "kind": "hand",
            "focal_35mm": view.focal_px / float(np.hypot(view.width, view.height)) * 43.266615,
            "height_m": float(view.position[2]),
            "tilt_deg": tilt,
            "roll_deg": roll,
            "heading_deg": heading,
        }
    if "sun" in true:
        document["sun"] |= {
            "kind": "hand",
            "azimuth_deg": place.sun_azimuth_deg,
            "elevation_deg": place.sun_elevation_deg,
        }
    shot = load_shot(document)
    if place.white:
        ground = shot.ground
        shot = marked(shot, place, scene.studio, scene.empty, np.random.default_rng(1))
        shot = shot.model_copy(update={"ground": ground})
    if variant not in ("panorama", "oracle"):
        return shot
    assert around is not None
    disc = variant == "panorama" and not place.overcast
    light = PanoramaLight(file="around.hdr", disc=disc, here=True, dome=dome_of(around))
    behind = _windowed(place)  # a panorama shines through its own windows
    proxies = [one for one in shot.proxies if one.id not in behind]
    return shot.model_copy(update={"panorama": light, "lit_by": "panorama", "patches": [], "proxies": proxies})


def _true(variant: str) -> set[str]:
    """What a variant has from the truth."""
    return set(TRUE) if variant == "oracle" else {variant.removeprefix("true ")} & set(TRUE)


class _Levelled(Session):
    """Renders at the photograph's true level and white."""

    def __init__(self, scene: Taken, panorama: bool) -> None:
        super().__init__()
        self.daylight, self.by_panorama = scene.studio.daylight(), panorama
        self.true = gain_of(self.daylight, scene.place.camera.exposure)

    def scene(self, *arguments: Any, **named: Any) -> Scene:
        """With the true gain; the day's own light is held to what truly falls on open ground."""
        found = super().scene(*arguments, **named)
        own = 1.0 if self.by_panorama else np.pi * self.daylight / self.tracer.irradiance()
        return replace(found, gain=np.asarray(self.true * own, np.float32))


def _set_down(document: dict[str, Any]) -> None:
    """The model onto what it stands on, as that is drawn."""
    model = document["models"][0]
    if model["level"] is not None:
        top = standing_heights(derive(load_shot(document)))[model["level"]]
        model["position_m"] = [*model["position_m"][:2], top]


def _windowed(place: Place) -> set[str]:
    """Walls that windows are in, as the marked document names them."""
    found = set()
    for number, solid in enumerate(place.solids):
        (x, y, _), (to_x, to_y, _) = solid.foot[:2]
        for corners in place.windows:
            off = (corners[0, 0] - x) * (to_y - y) - (corners[0, 1] - y) * (to_x - x)
            if solid.kind == "wall" and abs(off) < 0.01 * np.hypot(to_x - x, to_y - y):
                found.add(f"p{number}")
    return found


def _rendered(shot: Shot, scene: Taken, around: Floats | None, variant: str) -> Picture:
    """Our picture of a shot."""
    levelled = "level" in _true(variant) and shot.lit_by != "room"  # a room's light has no level of its own
    session = _Levelled(scene, shot.lit_by == "panorama") if levelled else Session()
    panorama = None if around is None else Panorama(around, around.shape[1], around.shape[0])
    steps = render_shot(
        shot,
        scene.empty,
        product,
        quality="master",
        scale=1.0,
        samples=SAMPLES_A_PIXEL,
        session=session,
        read_panorama=(lambda _: panorama) if panorama else None,
    )
    made = list(steps)[-1].picture
    assert made
    return made


def _keep(name: str, picture: Picture) -> None:
    PICTURES.mkdir(parents=True, exist_ok=True)
    Image.fromarray(picture.codes.astype(np.uint8)).save(PICTURES / f"{name}.png")
