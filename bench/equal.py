"""A master against two full-frame passes done naively: time at equal error."""

from __future__ import annotations

import time

import numpy as np
from proving.truth import SAMPLES, marked_shot

from lithopos.core.arrays import Floats, Mask
from lithopos.core.colour import decode_srgb
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import Picture
from lithopos.core.layers import Window
from lithopos.core.reading.ask import read_model
from lithopos.core.render.film import FilmSampler
from lithopos.core.render.render import render_shot
from lithopos.core.render.session import Session
from lithopos.core.render.tracer import MAX_DEPTH, ROULETTE_DEPTH, MitsubaTracer

__all__ = ["bench_equal"]

NAME, SCALE = "cloister-yard", 0.32


def bench_equal(ours: int = 32, naive: int = 64, truth: int = 256) -> None:
    """The naive way: with and without the model, each traced over the whole frame, denoised, one over the other.

    Errors are of the relit ground's linear values where the truth changes, against two naive pairs of many
    samples: the mean of the product of both differences is free of the truth's own noise.
    """
    tracer = MitsubaTracer()
    session = Session(tracer=tracer)
    _master(session, 2, 1)  # compiles
    started = time.perf_counter()
    made, base = _master(session, ours, 2)
    ours_s = time.perf_counter() - started
    frame = Window(0, 0, base.codes.shape[1], base.codes.shape[0])
    _pair(tracer, frame, 4, 1, denoised=True)  # compiles
    started = time.perf_counter()
    plain = _pair(tracer, frame, naive, 3, denoised=True)
    naive_s = time.perf_counter() - started
    true = [np.mean([_pair(tracer, frame, 64, 10 * i + j, False) for j in range(truth // 128)], axis=0) for i in (1, 2)]
    light = decode_srgb(base.encoded)
    where = _ground(tracer, base, np.asarray((true[0] + true[1]) / 2, np.float32))
    bad = {
        "ours": _error(decode_srgb(made.encoded), light * true[0], light * true[1], where),
        "naive": _error(light * plain, light * true[0], light * true[1], where),
    }
    print(f"a master at equal error, {base.codes.shape[1]} × {base.codes.shape[0]}")
    print(
        f"  ours, {ours} samples: {ours_s:.1f} s, error {bad['ours']:.5f}; "
        f"two naive full-frame passes, {naive} samples: {naive_s:.1f} s, error {bad['naive']:.5f}; "
        f"time {ours_s / naive_s:.2f}"
    )


def _master(session: Session, samples: int, seed: int) -> tuple[Picture, Picture]:
    shot = marked_shot(NAME)
    photograph = read_picture(SAMPLES / f"{NAME}.jpg")
    model = lambda file: read_model(SAMPLES / file)  # noqa: E731
    steps = list(
        render_shot(
            shot,
            photograph,
            model,
            quality="master",
            scale=SCALE,
            samples=samples,
            seed=seed,
            session=session,
            photograph_key=NAME,
        )
    )
    made = steps[-1].picture
    assert made
    return made, session.photograph(NAME, lambda: photograph, SCALE)


def _pair(tracer: MitsubaTracer, frame: Window, samples: int, seed: int, denoised: bool) -> Floats:
    """The ratio of two whole pictures, each with random numbers of its own, (H, W, 3)."""
    import pyoidn

    mi = tracer.mi
    path = {"type": "path", "max_depth": MAX_DEPTH, "rr_depth": ROULETTE_DEPTH}
    whole = mi.load_dict({"type": "aov", "aovs": "albedo:albedo,normal:sh_normal", "image": path})
    film = FilmSampler(mi)
    film.aim(tracer.scene.camera)
    sensor = mi.load_dict(film._sensor(frame))
    pictures = []
    for number, place in enumerate(("with", "without")):
        scene = tracer._places[place]  # type: ignore[index]
        made = np.array(
            mi.render(scene, sensor=sensor, integrator=whole, spp=samples, seed=2 * seed + number), np.float32
        )
        light, albedo, normal = (np.ascontiguousarray(made[..., i : i + 3]) for i in (0, 4, 7))
        if denoised:
            light = pyoidn.denoise(light, np.clip(albedo, 0, 1), np.clip(normal, -1, 1), hdr=True, quality="high")
        pictures.append(light)
    return np.asarray((pictures[0] + 1e-7) / (pictures[1] + 1e-7), np.float32)


def _ground(tracer: MitsubaTracer, base: Picture, true: Floats) -> Mask:
    """Where the ground's light truly changes by two codes or so and no model is seen."""
    height, width = base.codes.shape[:2]
    y, x = np.mgrid[0:height, 0:width]
    pixels = np.column_stack([x.ravel(), y.ravel()]).astype(np.int32)
    cover = np.concatenate([tracer.first_hits(part, 0, 4, 5)["coverage"] for part in tracer.batches(pixels, 4)])
    return np.asarray((cover.reshape(height, width) == 0) & (np.abs(true - 1).max(-1) > 0.03))


def _error(made: Floats, one: Floats, two: Floats, where: Mask) -> float:
    """Root of the mean square of what linear values are off, from two truths with noise of their own."""
    return float(np.sqrt(max(float(np.mean((made[where] - one[where]) * (made[where] - two[where]))), 0)))
