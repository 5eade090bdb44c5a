"""A frame of the finished film: the take's own frame, relit and with the models in it, before or behind who passes.

Somebody's pixels show α F + (1 − α) B, with B, the place behind them, known: so α F is the frame less (1 − α) B, and
no colour of the old background is left at their edges. Where nothing is changed the take's own codes stay.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats, Mask, largest_channel
from lithopos.core.blend.blend import Tones, grain_lacking
from lithopos.core.blend.grain import Grain
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import encode_srgb, linear_of
from lithopos.core.composite.mattes import WHOLE
from lithopos.core.composite.parts import extent
from lithopos.core.composite.passes import Passes
from lithopos.core.exchange.picture import Codes, codes_of
from lithopos.core.footage.front import Front, Part
from lithopos.core.footage.shake import inverse
from lithopos.core.layers import Window

NEAR_M = 0.6  # with no sun: up to about this height a thing's foot is darkened as the ground beside it
FACING = 0.25  # cosine from which a side is fully in the sun
WHOLLY = 0.998  # of a pixel: somebody who fills so much of it is all it shows

__all__ = ["Composed", "Layer", "Taken", "composed", "layers_of", "shaded_where"]

Lookup = tuple[Floats, Floats, Floats]


@dataclass(frozen=True)
class Layer:
    """A still shot's passes over the whole picture, and how the models' points are reached by shadows.

    Attributes
    ----------
    shadow, added, model, front_light : (H, W, 3); `cover`, `front`, `depth` (H, W); as `Passes` has them.
    looked_up : where on the ground (x, y), in pixels, lies what would shade each pixel's model point, and how far that
        counts (H, W); None where no camera or no model is.
    """

    shadow: Floats
    added: Floats
    model: Floats
    cover: Floats
    front: Floats
    front_light: Floats
    depth: Floats
    looked_up: Lookup | None = None

    def at(self, index: NDArray[np.intp]) -> Layer:
        """It at N pixels alone, (N, ...), without what would shade them."""
        names = ("shadow", "added", "model", "cover", "front", "front_light", "depth")
        return replace(self, looked_up=None, **{name: _some(getattr(self, name), index) for name in names})

    @cached_property
    def touched(self) -> Mask:
        """Where (H, W) it changes anything."""
        shaded = largest_channel(np.abs(self.shadow - 1)) > 2e-4
        return np.asarray((self.cover > 1e-3) | shaded | (largest_channel(np.abs(self.added)) > 0))


@dataclass(frozen=True)
class Composed:
    """A finished frame's codes (H, W, 3), and of what it is put together.

    Attributes
    ----------
    model : (H, W, 3) the models' light as it is seen past people, times its coverage `cover` (H, W).
    shadow : (H, W, 3) the share of its light that the place keeps with the models there.
    people : (H, W) how much of each pixel those fill who pass.
    """

    codes: Codes
    model: Floats
    cover: Floats
    shadow: Floats
    people: Floats


@dataclass(frozen=True)
class Taken:
    """A take's frame with all that is known of it.

    Attributes
    ----------
    codes : (H, W, 3); `plate`, `gain`: (H, W, 3) linear, as this frame would show them; the former without its shade.
    lies : (2, 3) from the plate's pixels to this frame's.
    before : who is before the models in a part, by how far away these are there.
    """

    number: int
    codes: Codes
    plate: Floats
    gain: Floats
    lies: Array
    front: Front
    before: Callable[[Floats, Part], Floats]


def layers_of(passes: Sequence[Passes], shape: tuple[int, int], camera: Pinhole | None, to_sun: Array | None) -> Layer:
    """A still shot's passes as one layer; without any it changes nothing.

    Parameters
    ----------
    to_sun : unit vector; None where no sun shines.
    """
    whole = {name: np.zeros((*shape, 3), np.float32) for name in ("added", "model", "front_light", "normal")}
    whole |= {name: np.zeros(shape, np.float32) for name in ("cover", "front", "depth")}
    whole["shadow"] = np.ones((*shape, 3), np.float32)
    for part in passes:
        for name, value in whole.items():
            value[part.window.slices] = getattr(part, name)
    normal = whole.pop("normal")
    looked_up = shaded_where(whole["depth"], normal, camera, to_sun) if camera is not None else None
    return Layer(**whole, looked_up=looked_up)


def shaded_where(depth: Floats, normal: Floats, camera: Pinhole, to_sun: Array | None) -> Lookup | None:
    """Where the ground shows whether each model point is in somebody's shadow: where its own ray from the sun ends.

    Without a sun it is the ground plumb below, and counts the less the higher the point is.
    """
    seen = depth > 0
    if not seen.any():
        return None
    y, x = np.nonzero(seen)
    rays = camera.rays(np.column_stack([x, y]) + 0.5)
    points = camera.position + rays / np.linalg.norm(rays, axis=1, keepdims=True) * depth[seen][:, None]
    high = np.maximum(points[:, 2], 0)
    if to_sun is not None and to_sun[2] > 0.02:
        ground = points - to_sun * (high / to_sun[2])[:, None]
        counts = np.clip(normal[seen] @ to_sun.astype(np.float32) / FACING, 0, 1)
    else:
        ground = points * [1, 1, 0]
        counts = np.exp(-high / NEAR_M)
    at = camera.project(ground)
    inside = np.asarray(np.isfinite(at).all(1))
    at = np.where(inside[:, None], at, 0)
    maps = [np.full(depth.shape, -1.0, np.float32) for _ in range(2)]
    share = np.zeros(depth.shape, np.float32)
    maps[0][seen], maps[1][seen] = at[:, 0] - 0.5, at[:, 1] - 0.5
    share[seen] = np.where(inside, counts, 0)
    return maps[0], maps[1], share


def composed(
    taken: Taken,
    layers: Sequence[tuple[float, Layer]],
    tones: Tones,
    grain: tuple[Grain, float] | None,
    deepest: Floats,
) -> Composed:
    """The finished frame.

    Parameters
    ----------
    layers : still shots with their shares.
    grain : the take's noise, and how many times it is given.
    deepest : which share (3,) of its light the place has left in the deepest shadows.
    """
    whole = taken.codes.shape
    model, cover = np.zeros(whole, np.float32), np.zeros(whole[:2], np.float32)
    shadow = np.ones(whole, np.float32)
    where = _reached([layer for _, layer in layers], taken)
    codes = tones.photograph(taken.codes).copy()
    if not where.any():
        return Composed(codes, model, cover, shadow, taken.front.alpha)
    part = extent(where, 0)
    reached = where[part]
    index = np.flatnonzero(reached)

    def laid(values: NDArray[Any]) -> NDArray[Any]:
        made = np.zeros((reached.size, *values.shape[1:]), values.dtype)
        made[index] = values
        return made.reshape(*reached.shape, *values.shape[1:])

    frame = _Pixels(taken, part, index)
    light, seen_model, cast = (np.zeros_like(frame.base) for _ in range(3))
    kept, seen_cover, changed = np.zeros_like(frame.alpha), np.zeros_like(frame.alpha), np.zeros(len(index), bool)
    for weight, layer in layers:  # one after the other: there may be many
        share, moved = np.float32(weight), _moved(layer, taken, part)
        some, before = moved.at(index), taken.before(moved.depth, part).ravel()[index]
        made, left, touched, seen = _with_models(frame, before, some, tones, deepest)
        light += share * made
        seen_model += share * seen[:, None] * some.model
        seen_cover += share * seen * some.cover
        cast += share * some.shadow
        kept += share * left
        changed |= touched
    model[part], cover[part] = laid(seen_model), laid(seen_cover)
    shadow[part] += laid(cast - 1)
    encoded, changes = laid(encode_srgb(light)), laid(changed)
    if grain is not None and changed.any():
        window = Window(part[1].start, part[0].start, part[1].stop, part[0].stop)
        base, kept3 = laid(encode_srgb(frame.base)), np.repeat(laid(kept)[..., None], 3, -1)
        seed = 7919 * (taken.number + 1)
        encoded = encoded + grain_lacking(grain[0], grain[1], base, encoded, kept3, changes, window, seed)
    values = codes_of(tones.finished(encoded), codes.dtype)
    codes[part] = np.where(changes[..., None], values, codes[part])
    return Composed(codes, model, cover, shadow, taken.front.alpha)


class _Pixels:
    """What a frame has at N pixels of a part: its light, the plate's, their shade (N, 3), and who is there (N,)."""

    def __init__(self, taken: Taken, part: Part, index: NDArray[np.intp]) -> None:
        front = taken.front.within(part)
        self.base = linear_of(_some(taken.codes[part], index))
        self.plate, self.shade = _some(taken.plate[part], index), _some(front.shade, index)
        self.alpha = _some(front.alpha, index)


def _some(values: NDArray[Any], index: NDArray[np.intp]) -> NDArray[Any]:
    """Values of a picture (H, W, ...) at N pixels."""
    return np.take(values.reshape(-1, *values.shape[2:]), index, axis=0)


def _reached(layers: Sequence[Layer], taken: Taken) -> Mask:
    """Where (H, W) in a frame the models reach, as it lies, and a little beside."""
    height, width = taken.codes.shape[:2]
    touched = np.zeros((height, width), bool)
    for layer in layers:
        touched |= layer.touched
    # A cubic reaches two pixels.
    wide = cv2.dilate(touched.astype(np.uint8) * 255, np.ones((7, 7), np.uint8))
    return np.asarray(cv2.warpAffine(wide, taken.lies, (width, height)) > 0)


def _moved(layer: Layer, taken: Taken, part: Part) -> Layer:
    """A part of a layer as the frame lies, in its light, the models' points shaded by who passes."""
    model, gain = layer.model[part], taken.gain[part]
    if layer.looked_up is not None:
        x, y, counts = (one[part] for one in layer.looked_up)
        shade, back = taken.front.shade, inverse(taken.lies)
        size = (shade.shape[1], shade.shape[0])
        shade = cv2.warpAffine(shade, back, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        there = cv2.remap(shade, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=[1.0] * 4)
        model = model * (1 - counts[..., None] * (1 - np.minimum(there, 1)))
    still = np.allclose(taken.lies, [[1, 0, 0], [0, 1, 0]], atol=1e-4)
    # From the part's own pixels to the part's own pixels.
    corner = np.array([part[1].start, part[0].start], float)
    matrix = taken.lies.copy()
    matrix[:, 2] += matrix[:, :2] @ corner - corner

    def lain(values: Floats, how: int = cv2.INTER_CUBIC) -> Floats:
        if still or not values.any():
            return values
        size = (values.shape[1], values.shape[0])
        made = cv2.warpAffine(values, matrix, size, flags=how, borderMode=cv2.BORDER_CONSTANT)
        return np.asarray(made, np.float32)

    return Layer(
        lain(layer.shadow[part] - 1) + 1,
        lain(layer.added[part]) * gain,
        np.maximum(lain(np.asarray(model, np.float32)), 0) * gain,
        np.clip(lain(layer.cover[part]), 0, 1),
        np.clip(lain(layer.front[part]), 0, 1),
        np.maximum(lain(layer.front_light[part]), 0) * gain,
        lain(layer.depth[part], cv2.INTER_NEAREST),
    )


def _with_models(
    frame: _Pixels, before: Floats, layer: Layer, tones: Tones, deepest: Floats
) -> tuple[Floats, Floats, Mask, Floats]:
    """Linear light (N, 3) of pixels with one still shot's models; which share (N,) of the frame's own light is left in
    it; where anything is changed; which share of the models is seen past people.

    Parameters
    ----------
    before : (N,) whether whoever is there is before the models.
    """
    base, alpha = frame.base, frame.alpha[:, None]
    behind = frame.plate * frame.shade
    # Where nobody is the place is the frame itself, with its noise.
    own = np.clip(1 - alpha / np.float32(0.1), 0, 1)
    place = own * base + (1 - own) * behind
    shadow = _shadow_in_shade(layer.shadow, frame.shade, deepest)
    cover, near = layer.cover[:, None], before[:, None]
    through = (1 - alpha) * near  # which share of the models is seen past whoever is before them
    seen = np.where(near > 0, through, 1)
    relit = base + (1 - alpha) * (place * (shadow - 1) + layer.added)
    behind_models = (1 - cover) * relit
    past = base + (1 - alpha) * ((1 - cover) * (place * shadow + layer.added) - place)
    photographed = np.where(near > 0, past, behind_models)
    light = tones.of_place(np.maximum(photographed, 0)) + seen * layer.model
    share = layer.front[:, None]
    if share.any():
        light = np.where(share > 0, share * tones.of_place(layer.front_light) + (1 - share) * light, light)
    covered = (frame.alpha >= WHOLLY) & ((before > 0) | (layer.cover <= 0))
    hidden = (layer.front >= WHOLE) | covered
    kept = np.where(near > 0, alpha + through * (1 - cover), 1 - cover)[:, 0] * (
        (shadow[:, 0] + shadow[:, 1] + shadow[:, 2]) / 3
    )
    changed = np.asarray(layer.touched & ~hidden)
    return np.asarray(light, np.float32), np.asarray(np.clip(kept, 0, 1), np.float32), changed, seen[:, 0]


def _shadow_in_shade(shadow: Floats, shade: Floats, deepest: Floats) -> Floats:
    """What the models' shadow takes where somebody's shadow already lies.

    Light is what comes from all about, a share `deepest` of it all, and the sun's; both shadows can only take the sun's
    once.
    """
    doubled = largest_channel((shade < 0.98) & (shadow < 1))
    if not doubled.any():
        return shadow
    here, there = shadow[doubled], shade[doubled]
    sun = 1 - deepest
    theirs = np.clip((there - deepest) / sun, 0, 1)
    ours = np.clip((here - deepest) / sun, 0, 1)
    about = np.minimum(here / np.maximum(deepest + sun * ours, 1e-4), 1)
    made = shadow.copy()
    made[doubled] = (deepest * about + sun * ours * theirs) / np.maximum(deepest + sun * theirs, 1e-4)
    return made
