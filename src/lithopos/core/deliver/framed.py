"""A finished picture in its frame: cut out of the photograph, straightened, reaching beyond it where that is asked for.

Without a turn, at whole pixels, every code stays as it is. With one the photograph and what is rendered are resampled
alike and put together anew, so that layers still compose to the picture.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import cv2
import numpy as np

from lithopos.core.arrays import Array, Mask
from lithopos.core.blend.blend import Tones
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.composite.passes import Passes, put_together
from lithopos.core.deliver.finished import Finished
from lithopos.core.deliver.invented import filled_beyond
from lithopos.core.exchange.picture import Codes, Picture
from lithopos.core.layers import Window
from lithopos.core.shot import Crop, Shot

NEUTRAL = {"shadow": 1.0}
MIRROR = cv2.BORDER_REFLECT_101

__all__ = ["framed", "framed_camera", "framed_codes", "framed_picture", "framed_size", "window_of"]


def framed_size(crop: Crop, scale: float) -> tuple[int, int]:
    """Width and height of the framed picture [px], of a photograph `scale` times its size."""
    return max(1, round(crop.width * scale)), max(1, round(crop.height * scale))


def window_of(crop: Crop, scale: float, width: int, height: int) -> Window | None:
    """The part of a picture `width` × `height` that a frame shows, with all that its turn may show."""
    middle = np.array([crop.x + crop.width / 2, crop.y + crop.height / 2]) * scale
    turn = np.radians(abs(crop.turn_deg))
    half = np.array([crop.width, crop.height]) * scale / 2
    reach = np.array([half[0] * np.cos(turn) + half[1] * np.sin(turn), half[0] * np.sin(turn) + half[1] * np.cos(turn)])
    low, high = np.floor(middle - reach).astype(int) - 2, np.ceil(middle + reach).astype(int) + 2
    return Window(int(low[0]), int(low[1]), int(high[0]), int(high[1])).common(Window(0, 0, width, height))


def framed_codes(codes: Codes, crop: Crop, scale: float) -> Codes:
    """Codes (H, W, 3) of a picture of the whole photograph, framed."""
    made = _taken(codes, crop, scale, cv2.INTER_CUBIC, _plain(codes) if crop.beyond == "plain" else None)
    whole = made.astype(np.uint16) if codes.dtype == np.uint16 else made.astype(np.uint8)
    return filled_beyond(whole, _outside(crop, scale, codes.shape[:2])) if crop.beyond == "filled" else whole


def _outside(crop: Crop, scale: float, shape: tuple[int, ...]) -> Mask:
    """Where (H, W) the framed picture shows nothing of a photograph of a shape."""
    inside = _taken(np.ones((*shape[:2], 1), np.float32), crop, scale, cv2.INTER_NEAREST, [0.0] * 4)
    return np.asarray(inside[..., 0] < 0.5)


def framed_picture(picture: Picture, shot: Shot) -> Picture:
    """A picture of a shot's whole photograph, of any size, in the shot's frame."""
    if shot.frame is None or shot.photograph is None:
        return picture
    scale = picture.codes.shape[1] / shot.photograph.width
    return replace(picture, codes=framed_codes(picture.codes, shot.frame, scale))


def framed_camera(camera: Pinhole, crop: Crop, scale: float) -> Pinhole:
    """The camera of the framed picture: its principal point moved, itself rolled."""
    turn, offset = _turned(crop, scale)
    rotation = camera.rotation.copy()
    rotation[:2] = turn @ camera.rotation[:2]
    width, height = framed_size(crop, scale)
    point = turn @ camera.principal_point + offset
    return replace(camera, principal_point=point, rotation=rotation, width=width, height=height)


def framed(done: Finished, crop: Crop | None, scale: float, tones: Tones) -> Finished:
    """A finished render in its frame."""
    if crop is None:
        return done
    photograph = replace(done.photograph, codes=framed_codes(done.photograph.codes, crop, scale))
    camera = framed_camera(done.camera, crop, scale)
    width, height = framed_size(crop, scale)
    shape = done.photograph.codes.shape[:2]

    def passes() -> list[Passes]:
        whole = done.passes()
        at = _whole_pixels(crop, scale)
        if at is None:
            return [_resampled(whole, crop, scale, shape)] if whole else []
        inside = Window(at[0], at[1], at[0] + width, at[1] + height)
        parts = [(part, part.window.common(inside)) for part in whole]
        return [_moved(part.within(window), at) for part, window in parts if window]

    if _whole_pixels(crop, scale) is not None:
        codes = framed_codes(done.picture.codes, crop, scale)
        if crop.beyond == "filled":  # of the photograph's tones, whatever a model at the border has
            outside = _outside(crop, scale, shape)
            codes[outside] = tones.photograph(photograph.codes)[outside]
    else:
        codes = tones.photograph(photograph.codes).copy()
        for part in passes():
            codes[part.window.slices] = put_together(photograph.codes[part.window.slices], part, tones)
    return replace(done, photograph=photograph, picture=Picture(codes, done.picture.icc), passes=passes, camera=camera)


def _turned(crop: Crop, scale: float) -> tuple[Array, Array]:
    """The matrix (2, 2) and the offset (2,) from the whole picture's pixels to the framed one's."""
    at = _whole_pixels(crop, scale)
    if at is not None:
        return np.eye(2), -np.array(at, float)
    angle = np.radians(crop.turn_deg)
    turn = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    middle = np.array([crop.x + crop.width / 2, crop.y + crop.height / 2]) * scale
    return turn, np.array(framed_size(crop, scale)) / 2 - turn @ middle


def _whole_pixels(crop: Crop, scale: float) -> tuple[int, int] | None:
    """Where an unturned frame begins, at a whole pixel; None of a turned one."""
    if crop.turn_deg:
        return None
    return round(crop.x * scale), round(crop.y * scale)


def _taken(values: Any, crop: Crop, scale: float, way: int, beyond: Any) -> Any:
    """An array (H, W, …) of the whole picture, framed; beyond it is `beyond`, by channel, or mirrored (None)."""
    width, height = framed_size(crop, scale)
    at = _whole_pixels(crop, scale)
    if at is None:
        turn, offset = _turned(crop, scale)
        # The package counts from pixels' middles.
        shift = turn @ [0.5, 0.5] + offset - 0.5
        border = (
            {"borderMode": MIRROR} if beyond is None else {"borderMode": cv2.BORDER_CONSTANT, "borderValue": beyond}
        )
        matrix = np.column_stack([turn, shift])
        made = cv2.warpAffine(np.ascontiguousarray(values), matrix, (width, height), flags=way, **border)
        return made.reshape(height, width, *values.shape[2:])
    rows, columns = (
        _indices(at[axis], length, size, beyond is None)
        for axis, length, size in ((1, height, values.shape[0]), (0, width, values.shape[1]))
    )
    made = values[np.clip(rows, 0, values.shape[0] - 1)][:, np.clip(columns, 0, values.shape[1] - 1)]
    if beyond is not None:
        outside = (
            (rows < 0)[:, None] | (rows >= values.shape[0])[:, None] | (columns < 0) | (columns >= values.shape[1])
        )
        made[outside] = np.asarray(beyond, values.dtype)[: values.shape[2]]
    return made


def _indices(begin: int, length: int, size: int, mirrored: bool) -> Any:
    """Which rows or columns are taken, beyond the border mirrored or as they are."""
    index = np.arange(begin, begin + length)
    if not mirrored:
        return index
    folded = np.abs(index) % max(2 * (size - 1), 1)
    return np.where(folded >= size, 2 * (size - 1) - folded, folded)


def _plain(codes: Codes) -> list[float]:
    """The mean of the border: what goes on plainly."""
    edges = [codes[0], codes[-1], codes[:, 0], codes[:, -1]]
    return [float(value) for value in np.concatenate(edges).mean(0)] + [0.0]


def _moved(part: Passes, at: tuple[int, int]) -> Passes:
    x0, y0, x1, y1 = part.window
    return replace(part, window=Window(x0 - at[0], y0 - at[1], x1 - at[0], y1 - at[1]))


def _resampled(parts: list[Passes], crop: Crop, scale: float, shape: tuple[int, ...]) -> Passes:
    """All passes of the framed picture as one window; numbers go to the nearest pixel."""
    width, height = framed_size(crop, scale)
    made: dict[str, Any] = {}
    for name in (one for one in vars(parts[0]) if one != "window"):
        first = getattr(parts[0], name)
        neutral = NEUTRAL.get(name, 0.0)
        whole = np.full((*shape, *first.shape[2:]), neutral, np.float32)
        for part in parts:
            whole[part.window.slices] = getattr(part, name)
        way = cv2.INTER_NEAREST if first.dtype == np.int32 else cv2.INTER_LINEAR
        made[name] = _taken(whole, crop, scale, way, [neutral] * 4).astype(first.dtype)
    return Passes(Window(0, 0, width, height), **made)
