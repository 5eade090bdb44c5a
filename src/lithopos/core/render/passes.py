"""A render as a row of sample passes: each makes the picture finer, and is kept when it is done.

A killed render goes on where it was, because the sums so far lie in `keep` with the number of passes
in them; the same shot, quality and seed give the same picture, in one go or in several.
"""

from __future__ import annotations

import io
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, fields
from pathlib import Path
from typing import Literal

import cv2
import numpy as np

from lithopos.core.composite.catch import compose, cut_pixels, model_gain
from lithopos.core.errors import Cancelled
from lithopos.core.exchange.picture import Picture, write_atomically
from lithopos.core.geometry.model import Model
from lithopos.core.render.scene import Scene, build_scene
from lithopos.core.render.tracer import Layers, MitsubaTracer, Tracer
from lithopos.core.shot import Shot

Quality = Literal["proof", "master"]
PROOF_WIDTH = 960
PROOF_SAMPLES = 32

__all__ = ["PROOF_SAMPLES", "PROOF_WIDTH", "Pass", "Quality", "pass_plan", "render_shot"]


@dataclass(frozen=True)
class Pass:
    """What stands after a pass: the picture so far, how far the render is, and how many stray pixels were cut."""

    number: int
    of: int
    samples: int
    seconds_left: float
    picture: Picture
    cut: int


def pass_plan(samples: int, quality: Quality) -> list[int]:
    """Samples of each pass: a proof doubles from two, so that something stands soon; a master goes in even steps."""
    plan: list[int] = []
    while sum(plan) < samples:
        step = max(2, sum(plan)) if quality == "proof" else 16
        plan.append(min(step, samples - sum(plan)))
    return plan


def sized(photograph: Picture, scale: float) -> Picture:
    """A copy of the photograph at another size; the photograph itself at scale 1."""
    if scale == 1:
        return photograph
    height, width = photograph.codes.shape[:2]
    size = (max(16, round(width * scale)), max(16, round(height * scale)))
    way = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
    return Picture(
        np.ascontiguousarray(cv2.resize(photograph.codes, size, interpolation=way)),
        photograph.icc,
        photograph.notes,
    )


def render_shot(
    shot: Shot,
    photograph: Picture,
    read_model: Callable[[str], Model],
    *,
    quality: Quality = "proof",
    scale: float | None = None,
    samples: int | None = None,
    seed: int = 0,
    keep: Path | None = None,
    stopped: Callable[[], bool] = lambda: False,
    tracer_of: Callable[[Scene], Tracer] = MitsubaTracer,
) -> Iterator[Pass]:
    """Render a shot pass by pass.

    Parameters
    ----------
    scale : of the photograph's size; by default a proof is `PROOF_WIDTH` wide and a master as the shot says.
    samples : a pixel; by default those of the quality.
    keep : a file for the sums so far; a render that finds it goes on from there.
    stopped : asked between passes.

    Raises
    ------
    InputError
        If the shot lacks something; Cancelled if it was stopped; NoRoom if the disk is full.
    """
    if scale is None:
        scale = min(1.0, PROOF_WIDTH / photograph.codes.shape[1]) if quality == "proof" else shot.output.scale
    base = sized(photograph, scale)
    scene = build_scene(shot, base, read_model)
    tracer = tracer_of(scene)
    plan = pass_plan(samples or (PROOF_SAMPLES if quality == "proof" else shot.output.samples), quality)
    gain = model_gain(scene.ground_level, tracer.level_irradiance())
    total, done = _kept(keep, scene)
    started, at_start = time.monotonic(), sum(plan[:done])
    if done >= len(plan) and total is not None:
        yield Pass(
            done,
            len(plan),
            total.samples,
            0.0,
            compose(base, scene.region, total, gain, "high"),
            cut_pixels(total),
        )
    for number in range(done, len(plan)):
        if stopped():
            raise Cancelled("The render was stopped.")
        new = tracer.trace(plan[number], seed * 100_003 + number)
        total = new if total is None else total + new
        if keep:
            _keep(keep, total, number + 1)
        last = number + 1 == len(plan)
        picture = compose(base, scene.region, total, gain, "high" if last else "fast")
        left = (time.monotonic() - started) / (total.samples - at_start) * (sum(plan) - total.samples)
        yield Pass(number + 1, len(plan), total.samples, left, picture, cut_pixels(total))


def _keep(path: Path, layers: Layers, passes: int) -> None:
    buffer = io.BytesIO()
    np.savez(buffer, passes=passes, **{item.name: getattr(layers, item.name) for item in fields(layers)})
    write_atomically(path, lambda file: file.write(buffer.getbuffer()))


def _kept(path: Path | None, scene: Scene) -> tuple[Layers | None, int]:
    """The sums so far and the passes in them; none if nothing is kept or it fits another picture."""
    if path is None or not path.exists():
        return None, 0
    x0, y0, x1, y1 = scene.region
    with np.load(path) as kept:
        if kept["coverage"].shape != (y1 - y0, x1 - x0):
            return None, 0
        values = {item.name: kept[item.name] for item in fields(Layers)}
        values["samples"] = int(values["samples"])
        return Layers(**values), int(kept["passes"])
