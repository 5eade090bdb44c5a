"""A frame of the finished film: the take's own frame, relit and with the models in it, before or behind who passes.

Somebody's pixels show α F + (1 − α) B, with B, the place behind them, known: so α F is the frame less (1 − α) B, and
no colour of the old background is left at their edges. Where nothing is changed the take's own codes stay.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats, Mask, largest_channel, on_channels, summed_channels
from lithopos.core.blend.blend import FrameGrain, Tones
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import encode_srgb, linear_of
from lithopos.core.composite.mattes import WHOLE
from lithopos.core.composite.parts import extent
from lithopos.core.composite.passes import Passes
from lithopos.core.exchange.picture import Codes, codes_of
from lithopos.core.footage.front import Front, Part

NEAR_M = 0.6  # with no sun: up to about this height a thing's foot is darkened as the ground beside it
FACING = 0.25  # cosine from which a side is fully in the sun
WHOLLY = 0.998  # of a pixel: somebody who fills so much of it is all it shows
LEAST_SHADE, LEAST_LIGHT = 2e-3, 6e-5  # share of light, and linear light: less moves a code of 255 by a fifth at most

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

    @cached_property
    def touched(self) -> Mask:
        """Where (H, W) it changes anything."""
        shaded = largest_channel(np.abs(self.shadow - 1)) > LEAST_SHADE
        return np.asarray((self.cover > 1e-3) | shaded | (largest_channel(np.abs(self.added)) > LEAST_LIGHT))

    @property
    def asked(self) -> Mask:
        """Where (H, W) it has to be known who is there: where it changes anything, and where the ground shades it."""
        made = self.touched.copy()
        if self.looked_up is not None:
            x, y = (one[self.looked_up[2] > 0] for one in self.looked_up[:2])
            height, width = made.shape
            inside = (x >= 0) & (y >= 0) & (x <= width - 1) & (y <= height - 1)
            made[np.rint(y[inside]).astype(int), np.rint(x[inside]).astype(int)] = True
        return made

    @cached_property
    def boxes(self) -> dict[str, Part]:
        """Where each of its pictures holds anything."""
        wide = ("added", "model", "front_light")
        told = {name: largest_channel(getattr(self, name) != 0) for name in wide}
        told |= {name: getattr(self, name) != 0 for name in ("cover", "front", "depth")}
        told["shadow"] = largest_channel(self.shadow != 1)
        return {name: extent(where, 0) for name, where in told.items()}


@dataclass(frozen=True)
class Composed:
    """A finished frame's codes (H, W, 3), and of what it is put together.

    Attributes
    ----------
    people : (H, W) how much of each pixel those fill who pass.
    pixels : (N,) where in the picture models reach; elsewhere they change nothing.
    at_pixels : of these the models' light (N, 3) as it is seen past people, times its coverage; that (N,); the share
        (N, 3) of its light that the place keeps with the models there.
    """

    codes: Codes
    people: Floats
    pixels: NDArray[np.intp]
    at_pixels: tuple[Floats, Floats, Floats]

    @property
    def model(self) -> Floats:
        """The models' light (H, W, 3), times `cover`."""
        return self._laid(np.zeros(self.codes.shape, np.float32), self.at_pixels[0])

    @property
    def cover(self) -> Floats:
        """How much of each pixel (H, W) the models fill."""
        return self._laid(np.zeros(self.codes.shape[:2], np.float32), self.at_pixels[1])

    @property
    def shadow(self) -> Floats:
        """The share (H, W, 3) of its light that the place keeps."""
        return self._laid(np.ones(self.codes.shape, np.float32), self.at_pixels[2])

    def _laid(self, picture: Floats, values: Floats) -> Floats:
        picture.reshape(-1, *values.shape[1:])[self.pixels] = values
        return picture


@dataclass(frozen=True)
class Taken:
    """A take's frame with all that is known of it.

    Attributes
    ----------
    codes : (H, W, 3).
    plate, gain : linear light (H, W, 3) of a part as this frame would show it, without its shade; and how bright.
    lies : (2, 3) from the plate's pixels to this frame's.
    before : who is before the models in a part, by how far away these are there.
    """

    number: int
    codes: Codes
    plate: Callable[[Part], Floats]
    gain: Callable[[Part], Floats]
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
    taken: Taken, layers: Sequence[tuple[float, Layer]], tones: Tones, grain: FrameGrain | None, deepest: Floats
) -> Composed:
    """The finished frame.

    Parameters
    ----------
    layers : still shots with their shares.
    deepest : which share (3,) of its light the place has left in the deepest shadows.
    """
    codes = tones.photograph(taken.codes).copy()
    where = _reached([layer for _, layer in layers], taken)
    if not where.any():
        none = np.zeros((0, 3), np.float32)
        return Composed(codes, taken.front.alpha, np.zeros(0, np.intp), (none, none[:, 0], none))
    part = extent(where, 0)
    pixels, index = np.flatnonzero(where), np.flatnonzero(where[part])
    frame = _Pixels(taken, part, index)
    mixed: tuple[Floats, ...] = ()
    changed = np.zeros(len(index), bool)
    for weight, layer in layers:  # one after the other: there may be many
        *told, touched = _with_models(frame, *_moved(layer, taken, part, index), tones, deepest)
        mixed = _added(mixed, weight, told)
        changed |= touched
    light, kept, *seen = mixed
    there = np.flatnonzero(changed)
    if len(there):
        encoded, placed = encode_srgb(np.take(light, there, axis=0)), pixels[there]
        if grain is not None:
            base = encode_srgb(np.take(frame.base, there, axis=0))
            encoded += grain.lacking(taken.number, base, encoded, kept[there, None], placed)
        codes.reshape(-1, 3)[placed] = codes_of(tones.finished(encoded), codes.dtype)
    return Composed(codes, taken.front.alpha, pixels, (seen[0], seen[1], seen[2]))


def _added(mixed: tuple[Floats, ...], weight: float, told: Sequence[Floats]) -> tuple[Floats, ...]:
    """A mixture with one more of its parts."""
    own = told if weight == 1 else [np.float32(weight) * one for one in told]
    return tuple(own) if not mixed else tuple(a + b for a, b in zip(mixed, own, strict=True))


class _Pixels:
    """What a frame has at N pixels of a part: its light and their shade (N, 3), and who is there (N,).

    Attributes
    ----------
    there : (M,) of them those where somebody is; `behind` (M, 3): the place's light there.
    """

    def __init__(self, taken: Taken, part: Part, index: NDArray[np.intp]) -> None:
        front = taken.front.within(part)
        self.base = linear_of(_some(taken.codes[part], index))
        self.shade, self.alpha = _some(front.shade, index), _some(front.alpha, index)
        self.there = np.flatnonzero(self.alpha)
        self.behind = np.zeros((0, 3), np.float32)
        if len(self.there):
            rows, columns = np.divmod(index[self.there], part[1].stop - part[1].start)
            top, left = int(rows.min()), int(columns.min())
            box = slice(top, int(rows.max()) + 1), slice(left, int(columns.max()) + 1)
            plate = taken.plate((_from(part[0].start, box[0]), _from(part[1].start, box[1])))
            self.behind = plate[rows - top, columns - left] * self.shade[self.there]


def _from(start: int, some: slice) -> slice:
    """A slice counted from elsewhere."""
    return slice(start + some.start, start + some.stop)


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


def _moved(layer: Layer, taken: Taken, part: Part, index: NDArray[np.intp]) -> tuple[Layer, Floats]:
    """A layer at N pixels of a part, as the frame lies, in its light, the models' points shaded by who passes.

    Returns
    -------
    (N, ...) each; and whether (N,) whoever is there is before the models.
    """
    gain = _some(taken.gain(part), index)
    box = layer.boxes["model"]
    model = layer.model[box]
    if layer.looked_up is not None:
        x, y, counts = (one[box] for one in layer.looked_up)
        at = np.dstack([x, y]) @ taken.lies[:, :2].T + taken.lies[:, 2]
        shade = taken.front.shade
        there = cv2.remap(
            shade, at.astype(np.float32), None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=[1.0] * 4
        )
        model = model * (1 - on_channels(counts) * (1 - np.minimum(there, 1)))

    def lain(name: str, values: Floats | None = None, how: int = cv2.INTER_CUBIC) -> Floats:
        box = layer.boxes[name]
        return _lain(getattr(layer, name)[box] if values is None else values, box, taken.lies, part, how)

    def some(name: str, values: Floats | None = None) -> Floats:
        if layer.boxes[name][0].stop == 0:
            return np.zeros((len(index), *getattr(layer, name).shape[2:]), np.float32)
        return _some(lain(name, values), index)

    depth = lain("depth", how=cv2.INTER_NEAREST)
    # A cubic draws the models two pixels beyond what has a depth.
    beyond = np.where(depth > 0, depth, cv2.dilate(depth, np.ones((5, 5), np.uint8)))
    before = _some(taken.before(beyond, part), index)
    return Layer(
        some("shadow", layer.shadow[layer.boxes["shadow"]] - 1) + 1,
        some("added") * gain,
        np.maximum(some("model", np.asarray(model, np.float32)), 0) * gain,
        np.clip(some("cover"), 0, 1),
        np.clip(some("front"), 0, 1),
        np.maximum(some("front_light"), 0) * gain,
        _some(depth, index),
    ), before


def _lain(values: Floats, box: Part, lies: Array, part: Part, how: int) -> Floats:
    """What a picture has within a box, 0 about it, as a frame lies: in a part of that."""
    made = np.zeros((part[0].stop - part[0].start, part[1].stop - part[1].start, *values.shape[2:]), np.float32)
    rows, columns = box
    corners = np.array([[x, y, 1] for x in (columns.start, columns.stop) for y in (rows.start, rows.stop)], float)
    moved = corners @ lies.T
    # A cubic reaches two pixels.
    (left, upper), (right, lower) = np.floor(moved.min(0)).astype(int) - 2, np.ceil(moved.max(0)).astype(int) + 2
    x0, x1 = max(left, part[1].start), min(right, part[1].stop)
    y0, y1 = max(upper, part[0].start), min(lower, part[0].stop)
    if not values.size or x0 >= x1 or y0 >= y1:
        return made
    matrix = lies.copy()
    matrix[:, 2] += lies[:, :2] @ [columns.start, rows.start] - [x0, y0]
    laid = cv2.warpAffine(values, matrix, (x1 - x0, y1 - y0), flags=how, borderMode=cv2.BORDER_CONSTANT)
    made[y0 - part[0].start : y1 - part[0].start, x0 - part[1].start : x1 - part[1].start] = laid
    return made


def _with_models(
    frame: _Pixels, layer: Layer, before: Floats, tones: Tones, deepest: Floats
) -> tuple[Floats, Floats, Floats, Floats, Floats, Mask]:
    """What pixels show with one still shot's models.

    Parameters
    ----------
    before : (N,) whether whoever is there is before the models.

    Returns
    -------
    Linear light (N, 3); which share (N,) of the frame's own light is left in it; of the models their light, their cover
    and their shadow as they are seen past people, (N, 3), (N,), (N, 3); and where anything is changed.
    """
    shadow = _shadow_in_shade(layer.shadow, frame.shade, deepest)
    photographed = on_channels(1 - layer.cover) * (frame.base * shadow + layer.added)
    seen, left = np.ones_like(frame.alpha), 1 - layer.cover
    there = frame.there
    photographed[there], seen[there], left[there] = _past_people(
        frame.behind, *(one[there] for one in (frame.base, frame.alpha, before, shadow, layer.added, layer.cover))
    )
    own = on_channels(seen) * layer.model, seen * layer.cover
    light = tones.of_place(np.maximum(photographed, 0)) + own[0]
    if layer.front.any():
        share = on_channels(layer.front)
        light = np.where(share > 0, share * tones.of_place(layer.front_light) + (1 - share) * light, light)
    covered = (frame.alpha >= WHOLLY) & ((before > 0) | (layer.cover <= 0))
    hidden = (layer.front >= WHOLE) | covered
    left *= summed_channels(shadow) / 3
    changed = np.asarray(layer.touched & ~hidden)
    return np.asarray(light, np.float32), np.clip(left, 0, 1), *own, layer.shadow, changed


def _past_people(
    behind: Floats, base: Floats, alpha: Floats, before: Floats, shadow: Floats, added: Floats, cover: Floats
) -> tuple[Floats, Floats, Floats]:
    """Photographed light (N, 3) of pixels in which somebody is; which share (N,) of the models is seen, and of the
    frame's own light is left.

    Parameters
    ----------
    behind, base : (N, 3) the place behind whoever is there, and the frame.
    """
    share, rest, near = on_channels(alpha), on_channels(1 - cover), on_channels(before > 0)
    # Where hardly anybody is the place is the frame itself, with its noise.
    own = np.clip(1 - share / np.float32(0.1), 0, 1)
    place = own * base + (1 - own) * behind
    relit = rest * (base + (1 - share) * (place * (shadow - 1) + added))
    past = base + (1 - share) * (rest * (place * shadow + added) - place)
    through = (1 - alpha) * before
    return (
        np.where(near, past, relit),
        np.where(before > 0, through, 1),
        np.where(before > 0, alpha + through * (1 - cover), 1 - cover),
    )


def _shadow_in_shade(shadow: Floats, shade: Floats, deepest: Floats) -> Floats:
    """What the models' shadow takes where somebody's shadow already lies.

    Light is what comes from all about, a share `deepest` of it all, and the sun's; both shadows can only take the sun's
    once.
    """
    doubled = np.flatnonzero(largest_channel((shade < 0.98) & (shadow < 1)))
    made = shadow.copy()
    for channel, least in enumerate(deepest):
        here, there = shadow[doubled, channel], shade[doubled, channel]
        sun = 1 - least
        theirs = np.clip((there - least) / sun, 0, 1)
        ours = np.clip((here - least) / sun, 0, 1)
        about = np.minimum(here / np.maximum(least + sun * ours, np.float32(1e-4)), 1)
        both = (least * about + sun * ours * theirs) / np.maximum(least + sun * theirs, np.float32(1e-4))
        made[doubled, channel] = both
    return made
