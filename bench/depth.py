"""`python -m bench.depth`: depth of field against pictures really traced with an open lens.

The place is photographed through a thin lens, with and without its model, by the renderer's own sensor; the shot gets
the true lens, or none. Printed is the PSNR about the model.
"""

from __future__ import annotations

import io

import cv2
import numpy as np
from PIL import Image
from proving.truth import SAMPLES, marked_shot_of, psnr

from lithopos.core.exchange.picture import Picture
from lithopos.core.reading.ask import read_model
from lithopos.core.render.engine import load_renderer
from lithopos.core.render.render import render_shot
from lithopos.core.shot.blend import OpenLens
from lithopos.samples.photograph import Studio, develop, truth_of
from lithopos.samples.places import cloister_yard

WIDTH, SAMPLES_A_PIXEL, SEED = 480, 32, 3
# The radius of the opening and what is sharp, before and behind the model, which stands some 5 m away [m].
LENSES = ((0.05, 2.5), (0.05, 12.0), (0.08, 2.5))


def main() -> None:
    """Photograph, render, compare."""
    mi, place = load_renderer(), cloister_yard(1)
    scale = WIDTH / place.camera.width
    shot = marked_shot_of(truth_of(Studio(mi, place, scale), "yard"), noise_px=0.0)
    for opened in LENSES:
        taken: dict[bool, Picture] = {}
        for with_model in (False, True):
            studio = Studio(mi, place, scale, with_model, opened)
            light = studio.radiance(SAMPLES_A_PIXEL, SEED)
            data = develop(light, studio.daylight(), place.camera.exposure, SEED)
            taken[with_model] = Picture(np.asarray(Image.open(io.BytesIO(data)).convert("RGB")))
        changed = np.abs(taken[True].codes.astype(int) - taken[False].codes).max(-1) > 12
        about = cv2.dilate(changed.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        for name, lens in (("sharp", None), ("lens", OpenLens(focus_m=opened[1], aperture_mm=2000 * opened[0]))):
            wanted = shot.model_copy(update={"blend": shot.blend.model_copy(update={"lens": lens})})
            steps = render_shot(
                wanted, taken[False], lambda file: read_model(SAMPLES / file), quality="master", scale=1.0, samples=128
            )
            made = list(steps)[-1].picture
            assert made
            told = f"{psnr(made, taken[True], about):.2f} dB over {about.mean():.1%}"
            print(f"opening {2000 * opened[0]:.0f} mm, sharp at {opened[1]:.0f} m, rendered {name}: {told}", flush=True)


if __name__ == "__main__":
    main()
