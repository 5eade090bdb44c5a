"""The denoiser, with a fixed scale: its own guess of the exposure differs from tile to tile, which makes seams."""

from __future__ import annotations

from functools import cache
from typing import Any, Literal

import numpy as np

from lithopos.core.arrays import Floats

# A draft is judged and denoised at half the size: for the first picture, which has few samples.
Quality = Literal["draft", "fast", "high"]

__all__ = ["Quality", "denoise"]


@cache
def _device() -> Any:
    import pyoidn

    device = pyoidn.Device()
    device.commit()
    return device


def denoise(
    picture: Floats, quality: Quality, scale: float, albedo: Floats | None = None, normal: Floats | None = None
) -> Floats:
    """A picture (H, W, 3) of nonnegative linear values without its noise.

    Parameters
    ----------
    scale : brings the values to about 0.2 on average.
    albedo, normal : (H, W, 3) guides in 0..1 and -1..1.
    """
    import pyoidn

    images = {"color": picture, "albedo": albedo, "normal": normal}
    used = {name: np.ascontiguousarray(image, np.float32) for name, image in images.items() if image is not None}
    made = np.empty_like(used["color"])
    with pyoidn.Filter(_device(), pyoidn.OIDN_FILTER_TYPE_RT) as work:
        for name, image in {**used, "output": made}.items():
            work.set_image(name, image, pyoidn.OIDN_FORMAT_FLOAT3)
        work.set_bool("hdr", True)
        work.set_float("inputScale", scale)
        work.set_quality(pyoidn.OIDN_QUALITY_HIGH if quality == "high" else pyoidn.OIDN_QUALITY_FAST)
        work.commit()
        work.execute()
    error = _device().get_error()
    if error:
        raise RuntimeError(f"the denoiser failed: {error}")
    return made
