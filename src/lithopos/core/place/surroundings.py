"""What lies around a place, as far as its photograph tells: what things mirror, and the light from about the horizon.

The photograph's radiance is laid where the camera saw it, at infinity. Beside it goes on as its mirror image, more and
more blurred, which has the right colours and the right kind of light and dark at each height; above what is seen, and
of what goes on, the sky's own model takes over.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.light.dome import directions

ROWS = 256
FAR_M = 1e4
SOFT_DEG = 3.0  # what goes on beside the picture is blurred by so much
FADE_DEG = 8.0  # how far above what is seen the sky's model takes over

__all__ = ["surroundings_of"]


def surroundings_of(linear: Floats, camera: Pinhole, gain: Array) -> Floats | None:
    """Radiance and its weight against the sky's model, (ROWS, 2 ROWS, 4), in the world's directions; see `light.dome`.

    None where the camera does not see the horizon: then there is nothing to go on with.

    Parameters
    ----------
    linear : (H, W, 3) the photograph's linear values, for `camera`'s size.
    gain : (3,) from radiance to them.
    """
    ways, _ = directions(ROWS)
    radiance, seen = _seen(np.asarray(linear / gain, np.float32), camera, ways)
    columns = np.flatnonzero(seen[ROWS // 2 - 2])  # those in which the picture reaches the horizon
    if len(columns) < 4:
        return None
    source, apart = _mirrored(columns, 2 * ROWS)
    radiance, known = radiance[:, source], seen[:, source].astype(float)
    soft = SOFT_DEG / 180 * ROWS
    filled = _blurred(radiance * known[..., None], soft) / np.maximum(_blurred(known, soft), 1e-3)[..., None]
    beside = np.clip(apart / (2 * soft), 0, 1)[None, :, None]
    inside = known[..., None] * (1 - beside)
    radiance = radiance * inside + filled * (1 - inside)
    weight = np.maximum(known, np.clip(_blurred(known, FADE_DEG / 180 * ROWS) * 2, 0, 1) ** 2)
    below = ways[..., 2] < 0
    ground = below & (weight < 1)
    mean = radiance[below & (known > 0)].mean(0) if (below & (known > 0)).any() else radiance[ROWS // 2].mean(0)
    radiance[ground] = weight[ground][:, None] * radiance[ground] + (1 - weight[ground])[:, None] * mean
    weight[below] = 1.0
    return np.concatenate([radiance, weight[..., None]], -1).astype(np.float32)


def _seen(radiance: Floats, camera: Pinhole, ways: Array) -> tuple[Array, Mask]:
    """The picture by directions (rows, 2 rows, 3), and which of them it shows."""
    # No finer than the directions are: else what is small would flicker in and out.
    scale = min(1.0, 1.3 * ROWS / np.pi / camera.focal_px)
    size = max(round(camera.width * scale), 2), max(round(camera.height * scale), 2)
    small = cv2.resize(radiance, size, interpolation=cv2.INTER_AREA)
    pixels = camera.project(camera.position + FAR_M * ways.reshape(-1, 3)).reshape(*ways.shape[:2], 2)
    x, y = pixels[..., 0] / camera.width * size[0], pixels[..., 1] / camera.height * size[1]
    inside = (x > 0.5) & (y > 0.5) & (x < size[0] - 0.5) & (y < size[1] - 0.5)  # no for NaN
    across, down = (np.where(inside, value - 0.5, 0).astype(np.float32) for value in (x, y))
    return np.asarray(cv2.remap(small, across, down, cv2.INTER_LINEAR), float), np.asarray(inside, bool)


def _mirrored(columns: NDArray[np.intp], count: int) -> tuple[NDArray[np.intp], Array]:
    """For each of `count` columns round a circle the seen one that stands for it, and how far it is from the seen."""
    gaps = np.diff(np.append(columns, columns[0] + count))
    start = int(columns[(int(np.argmax(gaps)) + 1) % len(columns)])  # the seen arc begins after the widest gap
    width = count - int(gaps.max()) + 1
    along = (np.arange(count) - start) % count
    after, before = along - (width - 1), count - along
    beyond = np.where(along < width, 0, np.minimum(after, before))
    from_end = after <= before
    folded = beyond % max(2 * (width - 1), 1)
    back = np.where(folded < width, folded, 2 * (width - 1) - folded)
    place = np.where(along < width, along, np.where(from_end, width - 1 - back, back))
    return (start + place) % count, beyond.astype(float)


def _blurred(values: Array, sigma: float) -> Array:
    """Blurred round the circle of azimuths."""
    margin = round(3 * sigma)
    wide = cv2.copyMakeBorder(np.asarray(values, np.float32), 0, 0, margin, margin, cv2.BORDER_WRAP)
    return np.asarray(cv2.GaussianBlur(wide, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)[:, margin:-margin], float)
