"""`python -m lithopos.samples.make`: make the sample photographs, their truth and the models."""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path
from typing import Any

import click
import numpy as np

from lithopos.samples.court import COURT
from lithopos.samples.further import FURTHER
from lithopos.samples.graphics import write_graphics
from lithopos.samples.lamplit import LAMPLIT
from lithopos.samples.models import MODELS, write_glb
from lithopos.samples.panorama import panorama_of, write_hdr
from lithopos.samples.photograph import Studio, develop, truth_of
from lithopos.samples.places import PLACES

PANORAMA_UP_M = 1.5  # a panorama camera on its stand, where the model will be
DATA = Path(__file__).parent / "data"
TAKE = "court-walk"  # the sample take, which `samples.take` makes


@click.command()
@click.option(
    "--place",
    "names",
    multiple=True,
    type=click.Choice([*PLACES, *FURTHER, *LAMPLIT, *COURT]),
    help="Default: the committed ones.",
)
@click.option("--seed", type=int, help="A new variant; default: the committed one.")
@click.option("--samples", default=160, show_default=True)
@click.option("--scale", default=1.0, show_default=True, help="Size of the picture; 1 is full size.")
@click.option("--out", type=click.Path(path_type=Path), default=DATA, help="Folder to write to.")
@click.option("--bare", is_flag=True, help="Leave out the picture with the model.")
@click.option("--models", is_flag=True, help="Only the models.")
def main(
    names: tuple[str, ...], seed: int | None, samples: int, scale: float, out: Path, bare: bool, models: bool
) -> None:
    """Make sample photographs with the whole truth beside them."""
    out.mkdir(parents=True, exist_ok=True)
    for name, make in MODELS.items():
        write_glb(make(), out / f"{name}.glb")
    write_graphics(out)
    if models:
        return
    mi = load_renderer_quietly()
    for name in names or tuple(PLACES):
        build = (PLACES | FURTHER | LAMPLIT | COURT)[name]
        place = build(seed) if seed is not None else build()
        started = time.monotonic()
        pictures = {f"{name}.jpg": False} if bare else {f"{name}.jpg": False, f"{name}.truth.jpg": True}
        for file, with_model in pictures.items():
            studio = Studio(mi, place, scale, with_model)
            told = lambda line: print(line, end="\r", file=sys.stderr)  # noqa: E731
            radiance = studio.radiance(samples, seed=1, told=told)
            (out / file).write_bytes(develop(radiance, studio.daylight(), place.camera.exposure, seed=5))
            if not with_model:
                (out / f"{name}.json").write_text(json.dumps(truth_of(studio, name), indent=1) + "\n")
                if not bare:
                    lens = np.add(place.model_at, [0, 0, PANORAMA_UP_M])
                    write_hdr(panorama_of(studio, lens), out / f"{name}.hdr")
        print(f"\n{place.name}: {time.monotonic() - started:.0f} s", file=sys.stderr)


def load_renderer_quietly() -> Any:
    """The renderer package in the best variant here (chosen by the same child-process test as the product)."""
    from lithopos.core.render.engine import load_renderer

    np.seterr(all="ignore")
    return load_renderer()


if __name__ == "__main__":
    main()
