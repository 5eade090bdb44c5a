"""`make bench-contact`: composites from noisy marks alone in places with walls, steps and blocks, against the truth.

Each scene is photographed with the model really there, and without; the shot is made from marks off by a hand's noise,
refined on the photograph as the program does. Beside it the *oracle*: which of what is marked makes the difference.
"""

from __future__ import annotations

import io
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from proving.truth import SAMPLES, marked_shot_of, psnr

from lithopos.core.camera.pinhole import view_angles
from lithopos.core.colour import decode_srgb, delta_e_2000, linear_to_Lab
from lithopos.core.errors import InputError
from lithopos.core.exchange.panorama import Panorama
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.dome import dome_of
from lithopos.core.reading.ask import read_model
from lithopos.core.readings import READ, Sources, with_readings
from lithopos.core.render.engine import load_renderer
from lithopos.core.render.render import render_shot
from lithopos.core.shot import Shot, load_shot
from lithopos.samples.court import COURTS, court
from lithopos.samples.models import MODELS
from lithopos.samples.panorama import panorama_of
from lithopos.samples.photograph import Studio, View, develop, truth_of
from lithopos.samples.places import Place

SCALE, SAMPLES_A_PIXEL = 0.4, 32
PANORAMA_UP_M = 1.5
NOISE_PX = 0.7  # at full size
HAND_DEG = 0.4
CHANGED = 0.012  # of an encoded value: a pixel that the model truly changes
PICTURES = Path("bench/pictures")

ASKED = ("without proxies", "marked", "panorama", "oracle")

__all__ = ["bench_contact"]


@dataclass(frozen=True)
class Taken:
    """A scene as it was photographed: its truth in figures, the empty place, the model really there."""

    place: Place
    view: View
    truth: dict[str, Any]
    empty: Picture
    real: Picture
    panorama: NDArray[np.float32]

    @property
    def body(self) -> NDArray[np.bool_]:
        """Pixels that the model fills; something before it is left out by the caller."""
        mask = np.zeros(self.empty.codes.shape[:2], np.uint8)
        for _, mesh, _ in MODELS[self.place.model]().parts:
            stood = mesh.moved(self.place.model_at, self.place.model_turn_deg)
            pixels = self.view.project(stood.vertices) - 0.5
            for triangle in np.round(pixels[stood.faces] * 16).astype(np.int32):
                cv2.fillConvexPoly(mask, triangle, 1, shift=4)
        return mask.astype(bool)


def bench_contact(names: Iterable[str] = (), variants: Iterable[str] = ASKED) -> None:
    """Print the table: PSNR over the place's changed pixels [dB], mean ΔE2000 of the model, pixels changed astray."""
    mi = load_renderer()
    print("contact: PSNR of the place's changed pixels [dB] / mean dE2000 of the model / stray pixels")
    print(f"  {'':22s}{'photograph':>11s}" + "".join(f"{name:>22s}" for name in variants))
    every: dict[str, list[tuple[float, float]]] = {name: [] for name in variants}
    for name in names or COURTS:
        taken = _taken(mi, court(name))
        line = f"  {name:22s}{_scored(taken, taken.empty)[0]:11.1f}"
        for variant in variants:
            try:
                made = rendered(_shot(taken, variant), taken)
            except InputError as error:
                line += f"  {error}"
                continue
            db, apart, stray = _scored(taken, made)
            every[variant].append((db, apart))
            line += f"{db:12.1f} /{apart:4.1f} /{stray:3d}"
            _keep(f"{name}, {variant}", made)
        _keep(f"{name}, real", taken.real)
        print(line, flush=True)
    for variant in variants:
        if every[variant]:
            db, apart = np.array(every[variant]).T
            print(f"  {variant}: median {np.median(db):.1f} dB, least {db.min():.1f}; dE mean {apart.mean():.1f}")


def _taken(mi: Any, place: Place) -> Taken:
    empty = Studio(mi, place, SCALE)
    daylight = empty.daylight()

    def photograph(studio: Studio) -> Picture:
        encoded = develop(studio.radiance(SAMPLES_A_PIXEL, seed=1), daylight, place.camera.exposure, seed=5)
        return Picture(np.asarray(Image.open(io.BytesIO(encoded))))

    around = panorama_of(empty, np.add(place.model_at, [0, 0, PANORAMA_UP_M]), rows=128, samples=48)
    real = photograph(Studio(mi, place, SCALE, with_model=True))
    return Taken(place, empty.view, truth_of(empty, "p"), photograph(empty), real, around)


def _shot(taken: Taken, variant: str) -> Shot:
    """The shot as it would be made, with what a variant puts in its stead."""
    noise = 0.0 if variant == "oracle" else NOISE_PX * SCALE
    shot = marked_shot_of(taken.truth, noise)
    document = shot.model_dump(mode="json", by_alias=True)
    read = with_readings(
        {**document, **{name: [] for name in READ}},
        {name: document[name] for name in READ},
        Sources(lambda _: taken.empty),
    )
    document |= {name: read[name] for name in READ}
    place, view = taken.place, taken.view
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
    if variant == "oracle":
        tilt, roll, heading = (float(np.degrees(angle)) for angle in view_angles(view.rotation))
        document["camera"] = {
            "kind": "hand",
            "focal_35mm": view.focal_px / float(np.hypot(view.width, view.height)) * 43.266615,
            "height_m": float(view.position[2]),
            "tilt_deg": tilt,
            "roll_deg": roll,
            "heading_deg": heading,
        }
        document["sun"] |= {
            "kind": "hand",
            "azimuth_deg": place.sun_azimuth_deg,
            "elevation_deg": place.sun_elevation_deg,
        }
    if variant in ("panorama", "oracle"):
        document["panorama"] = {"file": "around.hdr", "disc": not place.overcast}
        document["panorama"]["dome"] = dome_of(taken.panorama).model_dump()
        document["lit_by"] = "panorama"
    return load_shot(document)


def rendered(shot: Shot, taken: Taken) -> Picture:
    """Our picture of a shot."""
    around = Panorama(taken.panorama, taken.panorama.shape[1], taken.panorama.shape[0])
    steps = render_shot(
        shot,
        taken.empty,
        lambda file: read_model(SAMPLES / file),
        quality="master",
        scale=1.0,
        samples=SAMPLES_A_PIXEL,
        read_panorama=lambda _: around,
    )
    made = list(steps)[-1].picture
    assert made
    return made


def _scored(taken: Taken, made: Picture) -> tuple[float, float, int]:
    change = np.abs(taken.empty.encoded - taken.real.encoded).max(-1)
    near = cv2.GaussianBlur(change, (0, 0), 2.0) > CHANGED
    body = taken.body
    place = near & ~cv2.dilate(body.astype(np.uint8), np.ones((7, 7), np.uint8)).astype(bool)
    inner = cv2.erode(body.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
    colours = [linear_to_Lab(decode_srgb(picture.encoded)[inner]) for picture in (made, taken.real)]
    astray = ~cv2.dilate((near | body).astype(np.uint8), np.ones((101, 101), np.uint8)).astype(bool)
    differ = (made.codes != taken.empty.codes).any(-1) & astray
    return psnr(made, taken.real, place), float(np.mean(delta_e_2000(*colours))), int(np.count_nonzero(differ))


def _keep(name: str, picture: Picture) -> None:
    PICTURES.mkdir(parents=True, exist_ok=True)
    Image.fromarray(picture.codes.astype(np.uint8)).save(PICTURES / f"{name}.png")
