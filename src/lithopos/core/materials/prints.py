"""Prints: graphics laid on a model's surface.

A patch is cut out of the surface on which it lies, exactly along its borders, and gets a material of its own, in
which the graphic covers what was there before by its alpha. So there is one surface everywhere, and nothing floats.
An all-over print covers a whole material and repeats.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats
from lithopos.core.exchange.graphic import Graphic
from lithopos.core.geometry.model import STRAIGHT, Material, Model, Part, Texture, Turn, Wrap
from lithopos.core.materials.laying import in_metres, in_repeats, metres_a_unit, turn_in_repeats
from lithopos.core.materials.textures import normals_of
from lithopos.core.materials.unfold import unfold
from lithopos.core.shot.surface import Print

BAKED = 2048  # the longer side of what is mixed from a print and a pattern below it
_COLOURS = ("base_colour", "emission")
_NUMBERS = ("roughness", "metallic")

__all__ = ["printed"]

Sampled = dict[str, Floats]


def printed(
    model: Model,
    prints: Mapping[str, Print],
    upright: Array,
    scale: float,
    read_graphic: Callable[[str, float], Graphic],
) -> Model:
    """A model with its prints, the lower ones first.

    Parameters
    ----------
    upright : (3, 3) what stands the model up; scale : what its lengths are multiplied by as it stands.
    """
    for one in sorted(prints.values(), key=lambda one: one.above):
        graphic = read_graphic(one.file, one.time_s).linear
        lay = _all_over if one.lay == "all over" else _patch
        model = lay(model, one, graphic, upright, scale)
    return model


# All over


def _all_over(model: Model, one: Print, graphic: Floats, upright: Array, scale: float) -> Model:
    """Where nothing is below but an even surface the print is laid by a box; else on the uv of the pattern below."""
    parts, materials = list(model.parts), list(model.materials)
    aspect = graphic.shape[0] / graphic.shape[1]
    for number, part in enumerate(model.parts):
        below = model.materials[part.material]
        if one.material not in (None, below.name):
            continue
        if _textures(below):
            turn = turn_in_repeats(
                metres_a_unit(part) * scale, one.width_mm, aspect, one.turn_deg, one.shift_mm, one.mirrored
            )
        else:
            laid = in_metres(part, "box", upright, scale)
            part = in_repeats(laid, one.width_mm, aspect, one.turn_deg, one.shift_mm, one.mirrored)
            turn = STRAIGHT
        parts[number] = replace(part, material=len(materials))
        materials.append(_covering(one, graphic, below, turn, "repeat"))
    return replace(model, parts=parts, materials=materials)


def _covering(one: Print, graphic: Floats, below: Material, turn: Turn, wrap: Wrap) -> Material:
    """The print's own surface, over another where its alpha is low."""
    colour, alpha = np.ascontiguousarray(graphic[..., :3]), np.ascontiguousarray(graphic[..., 3])
    relief = _relief(one, alpha)

    def laid(values: Floats) -> Texture:
        return Texture(np.ascontiguousarray(values, np.float32), turn, wrap)

    return Material(
        below.name,
        laid(colour),
        1 - one.gloss,
        one.metal,
        opacity=laid(alpha),
        normal=laid(relief) if relief is not None and turn == STRAIGHT else None,
        emission=laid(colour * alpha[..., None] * one.glow) if one.glow else None,
        under=below,
    )


def _relief(one: Print, alpha: Floats) -> Floats | None:
    """The normal map of a print that stands out of its surface, its edges rounded over half of what it stands out."""
    if not one.relief_mm:
        return None
    texel = one.width_mm / alpha.shape[1]
    soft = cv2.GaussianBlur(alpha, (0, 0), max(0.5 * abs(one.relief_mm) / texel, 0.7))
    return normals_of(soft * np.float32(one.relief_mm), one.width_mm, wraps=one.lay == "all over")


def _textures(material: Material) -> bool:
    return any(isinstance(value, Texture) for value in vars(material).values())


# Patches


def _patch(model: Model, one: Print, graphic: Floats, upright: Array, scale: float) -> Model:
    width = one.width_mm / 1000 / scale
    height = width * graphic.shape[0] / graphic.shape[1]
    at, facing = np.array(one.at), np.array(one.facing)
    if np.linalg.norm(facing) < 1e-9:
        return model
    flats = _flattened(model, one, at, facing, upright.T @ [0, 0, 1], 0.5 * float(np.hypot(width, height)))
    parts: list[Part] = []
    materials = list(model.materials)
    angle = np.radians(one.turn_deg)
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    shift = np.array(one.shift_mm) / 1000 / scale
    for part, (flat, reached) in zip(model.parts, flats, strict=True):
        sheet = (flat - shift) @ turn
        uv = np.column_stack([0.5 + sheet[:, 0] / width * (-1 if one.mirrored else 1), 0.5 - sheet[:, 1] / height])
        inside, outside = _cut(part, uv, reached)
        if inside is None:
            parts.append(part)
            continue
        if outside is not None:
            parts.append(outside)
        materials.append(_mixed(one, graphic, inside, materials[part.material]))
        parts.append(replace(inside.part, material=len(materials) - 1, colours=None))
    return replace(model, parts=parts, materials=materials)


def _flattened(
    model: Model, one: Print, at: Array, facing: Array, up: Array, reach: float
) -> Iterator[tuple[Array, NDArray[np.bool_]]]:
    """For each part where its vertices lie on the sheet, and which of its faces do; parts that it may lie on are
    unfolded together, since a surface goes on from one to the next."""
    takes = [one.material in (None, model.materials[part.material].name) for part in model.parts]
    starts = np.cumsum([0, *(len(part.vertices) if take else 0 for part, take in zip(model.parts, takes, strict=True))])
    mine = [(part, start) for part, take, start in zip(model.parts, takes, starts[:-1], strict=True) if take]
    if not mine:
        return iter([(np.zeros((len(part.vertices), 2)), np.zeros(len(part.faces), bool)) for part in model.parts])
    vertices = np.concatenate([part.vertices for part, _ in mine])
    faces = np.concatenate([part.faces + start for part, start in mine])
    flat, reached = unfold(vertices, faces, at, facing, up, reach)
    result, face = [], 0
    for part, take, start in zip(model.parts, takes, starts[:-1], strict=True):
        if not take:
            result.append((np.zeros((len(part.vertices), 2)), np.zeros(len(part.faces), bool)))
            continue
        result.append((flat[start : start + len(part.vertices)], reached[face : face + len(part.faces)]))
        face += len(part.faces)
    return iter(result)


@dataclass(frozen=True)
class _CutOut:
    """What lies under a patch: a part whose uv are the patch's, and the uv (N, 2) and colours of what it came from."""

    part: Part
    uv_below: Array
    colours: Floats | None


def _cut(part: Part, uv: Array, reached: NDArray[np.bool_]) -> tuple[_CutOut | None, Part | None]:
    """A part in what lies inside the unit square of its uv on the sheet, and the rest."""
    corners = uv[part.faces]
    near = reached & (corners.max(1) > 0).all(1) & (corners.min(1) < 1).all(1)
    if not near.any():
        return None, part
    rows = np.column_stack([part.vertices, part.normals, part.uv, uv])
    if part.colours is not None:
        rows = np.column_stack([rows, part.colours])
    inner: list[Array] = []
    outer: list[Array] = []
    for face in part.faces[near]:
        polygon = rows[face]
        for column, sign, limit in ((8, 1, 0.0), (8, -1, -1.0), (9, 1, 0.0), (9, -1, -1.0)):
            polygon, away = _split(polygon, sign * polygon[:, column] - limit)
            outer += _triangles(away)
            if len(polygon) < 3:
                break
        inner += _triangles(polygon)
    if not inner:
        return None, part
    inside = _joined(part, inner)
    sheet = inside[1]
    cut = _CutOut(replace(inside[0], uv=sheet), inside[0].uv, inside[0].colours)
    kept = _kept(part, ~near)
    if not outer and kept is None:
        return cut, None
    rest = _joined(part, outer)[0] if outer else None
    if rest is None or kept is None:
        return cut, rest or kept
    return cut, _together(kept, rest)


def _split(polygon: Array, side: Array) -> tuple[Array, Array]:
    """A convex polygon (N, K) along a line: what lies at `side` >= 0 and what below (Sutherland and Hodgman 1974)."""
    if (side >= 0).all():
        return polygon, polygon[:0]
    if (side < 0).all():
        return polygon[:0], polygon
    kept: list[Array] = []
    away: list[Array] = []
    for number in range(len(polygon)):
        here, there = polygon[number], polygon[(number + 1) % len(polygon)]
        a, b = side[number], side[(number + 1) % len(polygon)]
        (kept if a >= 0 else away).append(here)
        if (a >= 0) != (b >= 0):
            point = here + (there - here) * (a / (a - b))
            kept.append(point)
            away.append(point)
    return np.array(kept), np.array(away)


def _triangles(polygon: Array) -> list[Array]:
    return [polygon[[0, n, n + 1]] for n in range(1, len(polygon) - 1)]


def _joined(part: Part, triangles: list[Array]) -> tuple[Part, Array]:
    """Triangles of interpolated rows as a part, and their place on the sheet."""
    rows, back = np.unique(np.concatenate(triangles), axis=0, return_inverse=True)
    normals = rows[:, 3:6] / np.maximum(np.linalg.norm(rows[:, 3:6], axis=1, keepdims=True), 1e-12)
    colours = rows[:, 10:13].astype(np.float32) if part.colours is not None else None
    faces = back.reshape(-1, 3).astype(np.int64)
    made = replace(
        part, vertices=rows[:, :3], normals=normals, uv=rows[:, 6:8], faces=faces, colours=colours, closed=part.closed
    )
    return made, rows[:, 8:10]


def _kept(part: Part, which: NDArray[np.bool_]) -> Part | None:
    return replace(part, faces=part.faces[which]) if which.any() else None


def _together(one: Part, other: Part) -> Part:
    colours = None
    if one.colours is not None and other.colours is not None:
        colours = np.concatenate([one.colours, other.colours])
    return replace(
        one,
        vertices=np.concatenate([one.vertices, other.vertices]),
        normals=np.concatenate([one.normals, other.normals]),
        uv=np.concatenate([one.uv, other.uv]),
        faces=np.concatenate([one.faces, other.faces + len(one.vertices)]),
        colours=colours,
    )


def _mixed(one: Print, graphic: Floats, cut: _CutOut, below: Material) -> Material:
    """One material of a print and what is below it, mixed by the print's alpha, on the print's own uv."""
    if _is_clear(below) or below.under is not None:
        return _covering(one, graphic, below, STRAIGHT, "clamp")
    patterned = _textures(below) or cut.colours is not None
    graphic = _sized(graphic, patterned)
    alpha = graphic[..., 3]
    under = _below(cut, below, alpha.shape) if patterned else _even(below)

    def mix(name: str, own: Floats | float) -> Texture:
        weight = alpha[..., None] if name in _COLOURS else alpha
        values = weight * np.asarray(own, np.float32) + (1 - weight) * under[name]
        return Texture(np.ascontiguousarray(values, np.float32), wrap="clamp")

    shines = one.glow > 0 or below.emission is not None
    relief = _relief(one, alpha)
    return replace(
        below,
        base_colour=mix("base_colour", graphic[..., :3]),
        roughness=mix("roughness", 1 - one.gloss),
        metallic=mix("metallic", one.metal),
        emission=mix("emission", graphic[..., :3] * np.float32(one.glow)) if shines else None,
        specular=max(below.specular, 0.5),
        normal=Texture(relief, wrap="clamp") if relief is not None else None,
        missing=(),
    )


def _is_clear(material: Material) -> bool:
    return isinstance(material.transmission, Texture) or material.transmission > 0


def _sized(graphic: Floats, patterned: bool) -> Floats:
    """Large enough for what is below, where that has a pattern: a small print must not coarsen it."""
    height, width = graphic.shape[:2]
    share = BAKED / max(height, width)
    if not patterned or share <= 1:
        return graphic
    size = (max(1, round(width * share)), max(1, round(height * share)))
    return np.asarray(cv2.resize(graphic, size, interpolation=cv2.INTER_LINEAR), np.float32)


def _even(below: Material) -> Sampled:
    dark = np.zeros(3, np.float32)
    values = {
        "base_colour": below.base_colour,
        "roughness": below.roughness,
        "metallic": below.metallic,
        "emission": dark if below.emission is None else below.emission,
    }
    return {name: np.asarray(value, np.float32) for name, value in values.items()}


def _below(cut: _CutOut, below: Material, shape: tuple[int, ...]) -> Sampled:
    """What lies below a patch, looked up for each of its pixels: (H, W, 3) or (H, W) by name."""
    height, width = shape[:2]
    which = np.full((height, width), -1, np.int32)
    corners = cut.part.uv[cut.part.faces]
    for number, corner in enumerate(corners):
        points = np.round((corner * [width, height] - 0.5) * 16).astype(np.int32)
        cv2.fillConvexPoly(which, points, number, shift=4)
    x, y = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
    weights = _weights(corners, np.maximum(which, 0), x, y)
    faces = cut.part.faces[np.maximum(which, 0)]
    uv = np.einsum("hwc,hwck->hwk", weights, cut.uv_below[faces])
    found = {
        name: _looked_up(getattr(below, name), uv, 3 if name in _COLOURS else 1) for name in (*_COLOURS, *_NUMBERS)
    }
    if cut.colours is not None:
        found["base_colour"] = found["base_colour"] * np.einsum("hwc,hwck->hwk", weights, cut.colours[faces])
    return {name: values.astype(np.float32) for name, values in found.items()}


def _weights(corners: Array, which: NDArray[np.int32], x: Array, y: Array) -> Array:
    """The barycentric weights of points in their triangles, (H, W, 3)."""
    a, b, c = (corners[:, n] for n in range(3))
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (c[:, 0] - a[:, 0]) * (b[:, 1] - a[:, 1])
    area = np.where(np.abs(area) < 1e-15, 1e-15, area)
    shares = []
    for p, q in ((b, c), (c, a)):
        over = (q[which, 0] - p[which, 0]) * (y - p[which, 1]) - (x - p[which, 0]) * (q[which, 1] - p[which, 1])
        shares.append(over / area[which])
    return np.stack([*shares, 1 - shares[0] - shares[1]], axis=-1)


def _looked_up(value: Texture | Floats | float | None, uv: Array, channels: int) -> Floats:
    shape = uv.shape[:2] + ((3,) if channels == 3 else ())
    if value is None:
        return np.zeros(shape, np.float32)
    if not isinstance(value, Texture):
        return np.broadcast_to(np.asarray(value, np.float32), shape)
    turned = uv @ np.array(value.turn)[:, :2].T + np.array(value.turn)[:, 2]
    height, width = value.values.shape[:2]
    if value.wrap == "repeat":
        turned = np.mod(turned, 1)
    column, row = (turned[..., 0] * width - 0.5).astype(np.float32), (turned[..., 1] * height - 0.5).astype(np.float32)
    border = {"repeat": cv2.BORDER_WRAP, "clamp": cv2.BORDER_REPLICATE, "mirror": cv2.BORDER_REFLECT}[value.wrap]
    way = cv2.INTER_LINEAR if value.smooth else cv2.INTER_NEAREST
    seen = cv2.remap(value.values, column, row, way, borderMode=border)
    return np.asarray(seen if seen.ndim == len(shape) else np.broadcast_to(seen[..., None], shape), np.float32)
