"""`python -m bench.large SAMPLES [WIDTH]`: a master over the whole frame; prints time and peak memory.

Of 24 megapixels, 6000 wide; 10250 wide are 70 megapixels, A1 at 300 dpi. With passes, as for delivery.
"""

from __future__ import annotations

import resource
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from proving.truth import SAMPLES, marked_shot

from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import Picture
from lithopos.core.reading.ask import read_model
from lithopos.core.render.influence import influence_of
from lithopos.core.render.render import Step, render_shot
from lithopos.core.render.session import Session, sized
from lithopos.core.render.tracer import MitsubaTracer
from lithopos.core.shot import Shot

WIDTH = 6000

__all__ = ["large_master"]


def main() -> None:
    """Render, then trace and denoise the same pixels barely, in the same process."""
    samples = int(sys.argv[1])
    width = int(sys.argv[2]) if len(sys.argv) > 2 else WIDTH
    height = width * 2 // 3
    tracer = MitsubaTracer()
    folder = tempfile.TemporaryDirectory()
    started = time.perf_counter()
    for step in large_master(width, samples, session=Session(tracer=tracer), passes=Path(folder.name)):
        print(f"{step.done} of {step.of}", end="\r", file=sys.stderr)
    whole = time.perf_counter() - started
    influence = influence_of(tracer.scene)
    kept = sum(file.stat().st_size for file in Path(folder.name).iterdir()) / 2**30
    folder.cleanup()
    bare = _bare(tracer, samples, width, height)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20
    print(f"share of the frame {influence.changed.mean():.0%}, {samples} samples, {step.of} tiles and portions")
    print(
        f"finished after {whole:.0f} s; both traces and one denoising of each barely {bare:.0f} s: {whole / bare:.2f} ×"
    )
    print(f"{width} × {height}: peak memory {peak:.1f} GB, passes of {kept:.1f} GB on the disk")


def large_master(width: int, samples: int, **more: Any) -> Iterator[Step]:
    """A master of the yard at a width, step by step; `more` as `render_shot` takes it."""
    shot, photograph = _large_shot(width)
    told = {"quality": "master", "scale": 1.0, "samples": samples, **more}
    return render_shot(shot, photograph, lambda name: read_model(SAMPLES / Path(name).name), **told)


def _large_shot(width: int) -> tuple[Shot, Picture]:
    """The cloister yard as if photographed `width` pixels wide, with its marks, and a model that fills most of it."""
    height = width * 2 // 3
    shot = marked_shot("cloister-yard")
    small = read_picture(SAMPLES / "cloister-yard.jpg")
    scale = width / small.codes.shape[1]
    codes = sized(small, scale).codes[:height].astype(np.uint8)

    def enlarged(point: tuple[float, float]) -> tuple[float, float]:
        return point[0] * scale, point[1] * scale

    assert shot.photograph and shot.origin
    edges = [edge.model_copy(update={"points": [enlarged(p) for p in edge.points]}) for edge in shot.edges]
    lengths = [
        item.model_copy(update={"from_": enlarged(item.from_), "to": enlarged(item.to)}) for item in shot.lengths
    ]
    gnomons = [
        mark.model_copy(update={n: enlarged(p) for n in ("foot", "top", "tip") if (p := getattr(mark, n))})
        for mark in shot.gnomons
    ]
    placed = shot.models[0].model_copy(update={"size": 3.4})
    shot = shot.model_copy(
        update={
            "photograph": shot.photograph.model_copy(update={"width": width, "height": height}),
            "edges": edges,
            "lengths": lengths,
            "gnomons": gnomons,
            "origin": enlarged(shot.origin),
            "models": [placed],
        }
    )
    return shot, Picture(codes)


def _bare(tracer: MitsubaTracer, samples: int, width: int, height: int) -> float:
    """Seconds of both traces and a denoising of the ratio and of the models, with nothing about them."""
    import pyoidn

    influence = influence_of(tracer.scene)
    taken = 0.0
    side = 1000
    for y in range(0, height, side):
        for x in range(0, width, side):
            mask = np.kron(influence.changed, np.ones((influence.cell, influence.cell), bool))
            rows, columns = np.nonzero(mask[y : y + side, x : x + side])
            if not len(rows):
                continue
            pixels = np.column_stack([columns + x, rows + y]).astype(np.int32)
            started = time.perf_counter()
            for batch in tracer.batches(pixels, samples // 2):
                tracer.radiance("with", batch, 0, samples // 2, 5)
                tracer.radiance("without", batch, 0, samples // 2, 5)
                tracer.first_hits(batch, 0, samples // 2, 5)
            picture = np.zeros((side, side, 3), np.float32)
            pyoidn.denoise(picture, hdr=True, quality="high")
            pyoidn.denoise(picture, picture, picture, hdr=True, quality="high")
            taken += time.perf_counter() - started
    return taken


if __name__ == "__main__":
    main()
