"""What lies around a place, as far as its photograph tells: what things mirror, and the light from about the horizon.

The photograph's radiance is laid where the camera saw it, at infinity. Beside it goes on as its mirror image, more and
more blurred, which has the right colours and the right kind of light and dark at each height; above what is seen, and
of what goes on, the sky's own model takes over. What other photographs of the place show
takes the mirror image's place.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.light.dome import directions
from lithopos.core.place.others import View

ROWS = 256
FAR_M = 1e4
SOFT_DEG = 3.0  # what goes on beside the picture is blurred by so much
FADE_DEG = 8.0  # how far above what is seen the sky's model takes over

__all__ = ["light_on", "room_around", "surroundings_of"]


def surroundings_of(
    linear: Floats,
    camera: Pinhole,
    gain: Array,
    apart: Mask | None = None,
    others: Sequence[tuple[View, Mask]] = (),
) -> Floats | None:
    """Radiance and its weight against the sky's model, (ROWS, 2 ROWS, 4), in the world's directions; see `light.dome`.

    None where the camera does not see the horizon: then there is nothing to go on with.

    Parameters
    ----------
    linear : (H, W, 3) the photograph's linear values, for `camera`'s size.
    gain : (3,) from radiance to them.
    apart : (H, W) pixels that are no part of it: windows and lamps, which are lights of their own.
    others : photographs of the place from elsewhere, as bright as this one, with what is no part of them; they tell
        what this one does not show, as if it all were far away.
    """
    ways, _ = directions(ROWS)
    radiance, seen, own = _clear(View(linear, camera), apart, gain, ways)
    for other, without in others:
        values, there, clear = _clear(other, without, gain, ways)
        radiance = np.where((there & ~seen)[..., None], values, radiance)
        own |= clear & ~seen
        seen |= there
    columns = np.flatnonzero(seen[ROWS // 2 - 2])  # those in which the picture reaches the horizon
    if len(columns) < 4:
        return None
    source, beyond = _mirrored(columns, 2 * ROWS)
    radiance, known = radiance[:, source], own[:, source].astype(float)
    soft = SOFT_DEG / 180 * ROWS
    filled = _blurred(radiance * known[..., None], soft) / np.maximum(_blurred(known, soft), 1e-3)[..., None]
    beside = np.clip(beyond / (2 * soft), 0, 1)[None, :, None]
    inside = known[..., None] * (1 - beside)
    radiance = radiance * inside + filled * (1 - inside)
    weight = np.maximum(known, np.clip(_blurred(known, FADE_DEG / 180 * ROWS) * 2, 0, 1) ** 2)
    below = ways[..., 2] < 0
    ground = below & (weight < 1)
    mean = radiance[below & (known > 0)].mean(0) if (below & (known > 0)).any() else radiance[ROWS // 2].mean(0)
    radiance[ground] = weight[ground][:, None] * radiance[ground] + (1 - weight[ground])[:, None] * mean
    weight[below] = 1.0
    return np.concatenate([radiance, weight[..., None]], -1).astype(np.float32)


def room_around(seen: Floats | None, strength: Array) -> Floats:
    """A room's own light from all about, (H, W, 3): what is seen of it, and as much evenly as is missing.

    Parameters
    ----------
    seen : as `surroundings_of` gives it; None: nothing is.
    strength : (3,) of the whole: level ground gets as much as from a room that is so bright all about.
    """
    if seen is None:
        return np.tile(np.asarray(strength, np.float32), (8, 16, 1))
    ways, solid = directions(len(seen))
    up = (np.maximum(ways[..., 2], 0) * solid)[..., None]
    radiance, weight = seen[..., :3].astype(float), seen[..., 3:].astype(float)
    shown, left = (radiance * weight * up).sum((0, 1)), ((1 - weight) * up).sum((0, 1))
    even = np.maximum(np.pi * strength - shown, 0.3 * np.pi * strength * left / np.pi) / np.maximum(left, 1e-9)
    whole = radiance * weight + even * (1 - weight)
    given = (whole * up).sum((0, 1))
    return np.asarray(whole * (np.pi * strength / np.maximum(given, 1e-9)), np.float32)


def light_on(normal: Array, seen: Floats, sky: Array) -> Array:
    """What white that faces a way shows of what lies around it, (3,): the mean radiance, by cosine.

    Parameters
    ----------
    seen : as `surroundings_of` gives it.
    sky : radiance (ROWS, 2 ROWS, 3) of the sky's model in its directions.
    """
    ways, solid = directions(len(seen))
    weight = seen[..., 3:]
    whole = seen[..., :3] * weight + sky * (1 - weight)
    return np.asarray((whole * (np.maximum(ways @ normal, 0) * solid)[..., None]).sum((0, 1)) / np.pi)


def _clear(view: View, apart: Mask | None, gain: Array, ways: Array) -> tuple[Array, Mask, Mask]:
    """A picture's radiance by directions, which of them it shows, and which of those are part of what lies around."""
    radiance, seen = _seen(np.asarray(view.linear / gain, np.float32), view.camera, ways)
    if apart is None or not apart.any():
        return radiance, seen, seen.copy()
    strange, _ = _seen(np.repeat(apart[..., None].astype(np.float32), 3, axis=2), view.camera, ways)
    return radiance, seen, seen & (strange[..., 0] < 0.05)


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
    """For each of `count` columns round a circle the seen one that stands for it, and how far it is from the seen.

    Every gap is filled from both of its sides up to its middle.
    """
    source, beyond = np.arange(count), np.zeros(count)
    breaks = np.flatnonzero(np.diff(np.append(columns, columns[0] + count)) > 1)
    ends, starts = columns[breaks], columns[(breaks + 1) % len(columns)]  # of the seen arcs; each gap's two sides
    widths = (ends - np.roll(starts, 1)) % count + 1
    for end, start, left, right in zip(ends, starts, widths, np.roll(widths, -1), strict=True):
        after = np.arange(1, (start - end) % count)
        before = (start - end) % count - after
        gap = (end + after) % count
        source[gap] = np.where(after <= before, end - _folded(after, left), start + _folded(before, right)) % count
        beyond[gap] = np.minimum(after, before)
    return source, beyond


def _folded(beyond: NDArray[np.intp], width: int) -> NDArray[np.intp]:
    """How far back in an arc lies what is mirrored at its end, again and again."""
    folded = beyond % max(2 * (width - 1), 1)
    return np.where(folded < width, folded, 2 * (width - 1) - folded)


def _blurred(values: Array, sigma: float) -> Array:
    """Blurred round the circle of azimuths."""
    margin = round(3 * sigma)
    wide = cv2.copyMakeBorder(np.asarray(values, np.float32), 0, 0, margin, margin, cv2.BORDER_WRAP)
    return np.asarray(cv2.GaussianBlur(wide, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)[:, margin:-margin], float)
