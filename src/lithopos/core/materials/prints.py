"""Prints: graphics laid on a model's surface.

A patch is cut out of the surface on which it lies, exactly along its borders, and gets a material of its own, in
which the graphic covers what was there before by its alpha. So there is one surface everywhere, and nothing floats.
An all-over print covers a whole material and repeats.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats
from lithopos.core.exchange.graphic import ReadGraphic
from lithopos.core.geometry.model import STRAIGHT, Material, Model, Part, Texture, Turn, Wrap
from lithopos.core.materials.laying import in_metres, in_repeats, metres_a_unit, turn_in_repeats
from lithopos.core.materials.textures import normals_of
from lithopos.core.materials.unfold import unfold
from lithopos.core.shot.surface import Print

FINEST_PX = 2048  # the longer side of what is mixed from a print and a pattern below it
_COLOURS = ("base_colour", "emission")
_NUMBERS = ("roughness", "metallic")

__all__ = ["printed"]

Sampled = dict[str, Floats]


def printed(
    model: Model,
    prints: Mapping[str, Print],
    upright: Array,
    scale: float,
    read_graphic: ReadGraphic,
    finest_px: int = FINEST_PX,
) -> Model:
    """A model with its prints, the lower ones first.

    Parameters
    ----------
    upright : (3, 3) what stands the model up; scale : what its lengths are multiplied by as it stands.
    finest_px : the longer side of what is mixed from a print and a pattern below it.
    """
    ordered = sorted(prints.values(), key=lambda one: one.above)
    graphics = [read_graphic(one.file, one.time_s).linear for one in ordered]
    patches = [(one, graphic) for one, graphic in zip(ordered, graphics, strict=True) if one.lay == "patch"]
    pieces = _sheeted(model, patches, upright, scale)
    materials = list(model.materials)
    number = 0
    for one, graphic in zip(ordered, graphics, strict=True):
        if one.lay == "all over":
            pieces = [_covered(piece, one, graphic, materials, upright, scale) for piece in pieces]
        else:
            pieces = [made for piece in pieces for made in _patched(piece, number, one, graphic, materials, finest_px)]
            number += 1
    return replace(model, parts=[piece.part for piece in pieces], materials=materials)


@dataclass(frozen=True)
class _Piece:
    """A part with its place on the sheet of each patch: sheets (N, P, 2) in the patch's uv, reached (M, P)."""

    part: Part
    sheets: Array
    reached: NDArray[np.bool_]


# All over


def _covered(
    piece: _Piece, one: Print, graphic: Floats, materials: list[Material], upright: Array, scale: float
) -> _Piece:
    """A piece under an all-over print, laid by a box where what is below is even, else on its pattern's uv."""
    part = piece.part
    below = materials[part.material]
    if one.material not in (None, below.name):
        return piece
    aspect = graphic.shape[0] / graphic.shape[1]
    number = len(materials)
    if _textures(below):
        metres = metres_a_unit(part) * scale
        turn = turn_in_repeats(metres, one.width_mm, aspect, one.turn_deg, one.shift_mm, one.mirrored)
        materials.append(_covering(one, graphic, below, turn, "repeat"))
        return replace(piece, part=replace(part, material=number))
    materials.append(_covering(one, graphic, below, STRAIGHT, "repeat"))
    laid, used = in_metres(part, "box", upright, scale)
    laid = in_repeats(laid, one.width_mm, aspect, one.turn_deg, one.shift_mm, one.mirrored)
    return replace(piece, part=replace(laid, material=number), sheets=piece.sheets[used])


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


def _sheeted(model: Model, patches: list[tuple[Print, Floats]], upright: Array, scale: float) -> list[_Piece]:
    """Each part with where it lies on the sheets of all patches: told before anything is cut, since a cut surface
    hangs together no more."""
    sheets = [np.zeros((len(part.vertices), len(patches), 2)) for part in model.parts]
    reached = [np.zeros((len(part.faces), len(patches)), bool) for part in model.parts]
    for number, (one, graphic) in enumerate(patches):
        mine = [n for n, part in enumerate(model.parts) if one.material in (None, model.materials[part.material].name)]
        if not mine or np.linalg.norm(one.facing) < 1e-9:
            continue
        for n, (flat, near) in zip(
            mine, _flattened([model.parts[n] for n in mine], one, graphic, upright, scale), strict=True
        ):
            sheets[n][:, number], reached[n][:, number] = flat, near
    return [_Piece(part, *more) for part, *more in zip(model.parts, sheets, reached, strict=True)]


def _flattened(
    parts: list[Part], one: Print, graphic: Floats, upright: Array, scale: float
) -> list[tuple[Array, NDArray[np.bool_]]]:
    """Of each part where its vertices lie in the patch's uv, and which faces lie on its sheet; unfolded together, since
    a surface goes on from one part to the next."""
    width = one.width_mm / 1000 / scale
    height = width * graphic.shape[0] / graphic.shape[1]
    starts = np.cumsum([0, *(len(part.vertices) for part in parts)])
    faces = np.concatenate([part.faces + start for part, start in zip(parts, starts[:-1], strict=True)])
    vertices = np.concatenate([part.vertices for part in parts])
    reach = 0.5 * float(np.hypot(width, height)) + float(np.hypot(*one.shift_mm)) / 1000 / scale
    up = upright.T @ [0, 0, 1]
    flat, reached = unfold(vertices, faces, np.array(one.at), np.array(one.facing), up, reach)
    angle = np.radians(one.turn_deg)
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    sheet = (flat - np.array(one.shift_mm) / 1000 / scale) @ turn
    uv = np.column_stack([0.5 + sheet[:, 0] / width * (-1 if one.mirrored else 1), 0.5 - sheet[:, 1] / height])
    ends = np.cumsum([0, *(len(part.faces) for part in parts)])
    return [(uv[starts[n] : starts[n + 1]], reached[ends[n] : ends[n + 1]]) for n in range(len(parts))]


def _patched(
    piece: _Piece, number: int, one: Print, graphic: Floats, materials: list[Material], finest_px: int
) -> list[_Piece]:
    """A piece in what lies under a patch, with a material of its own, and the rest."""
    corners = piece.sheets[piece.part.faces, number]
    near = piece.reached[:, number] & (corners.max(1) > 0).all(1) & (corners.min(1) < 1).all(1)
    if not near.any():
        return [piece]
    inner, outer = _cut(piece, number, near)
    pieces = [rest for rest in (_kept(piece, ~near), outer) if rest is not None]
    if inner is None:
        return pieces
    under = inner.part
    inner = replace(inner, part=replace(under, uv=inner.sheets[:, number]))
    materials.append(_mixed(one, graphic, inner.part, under, materials[under.material], finest_px))
    made = replace(inner.part, material=len(materials) - 1, colours=None)
    return [*pieces, replace(inner, part=made)]


def _cut(piece: _Piece, number: int, near: NDArray[np.bool_]) -> tuple[_Piece | None, _Piece | None]:
    """Faces in what lies inside the unit square of a patch's uv, and what outside."""
    part = piece.part
    rows = [part.vertices, part.normals, part.uv, piece.sheets.reshape(len(part.vertices), -1)]
    if part.colours is not None:
        rows.append(part.colours.astype(float))
    table = np.column_stack(rows)
    u = 8 + 2 * number
    inner, outer, inner_from, outer_from = list[Array](), list[Array](), list[int](), list[int]()
    for face in np.nonzero(near)[0].tolist():
        polygon = table[part.faces[face]]
        for column, sign, limit in ((u, 1, 0.0), (u, -1, -1.0), (u + 1, 1, 0.0), (u + 1, -1, -1.0)):
            polygon, away = _split(polygon, sign * polygon[:, column] - limit)
            cut = _triangles(away)
            outer += cut
            outer_from += [face] * len(cut)
            if len(polygon) < 3:
                break
        cut = _triangles(polygon)
        inner += cut
        inner_from += [face] * len(cut)
    return _joined(piece, inner, inner_from), _joined(piece, outer, outer_from)


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


def _joined(piece: _Piece, triangles: list[Array], come_from: list[int]) -> _Piece | None:
    """Triangles of interpolated rows as a piece."""
    if not triangles:
        return None
    rows, back = np.unique(np.concatenate(triangles), axis=0, return_inverse=True)
    normals = rows[:, 3:6] / np.maximum(np.linalg.norm(rows[:, 3:6], axis=1, keepdims=True), 1e-12)
    end = 8 + 2 * piece.sheets.shape[1]
    part = replace(
        piece.part,
        vertices=rows[:, :3],
        normals=normals,
        uv=rows[:, 6:8],
        faces=back.reshape(-1, 3).astype(np.int64),
        colours=rows[:, end:].astype(np.float32) if piece.part.colours is not None else None,
    )
    return _Piece(part, rows[:, 8:end].reshape(len(rows), -1, 2), piece.reached[come_from])


def _kept(piece: _Piece, which: NDArray[np.bool_]) -> _Piece | None:
    if not which.any():
        return None
    part = replace(piece.part, faces=piece.part.faces[which])
    return replace(piece, part=part, reached=piece.reached[which])


def _mixed(one: Print, graphic: Floats, laid: Part, came: Part, below: Material, finest_px: int) -> Material:
    """One material of a print and what is below it, mixed by the print's alpha, on the print's own uv."""
    if _is_clear(below):
        return _covering(one, graphic, below, STRAIGHT, "clamp")
    patterned = _textures(below) or came.colours is not None
    graphic = _sized(graphic, patterned, finest_px)
    alpha = graphic[..., 3]
    under = _below(laid, came, below, alpha.shape) if patterned else _even(below)

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
        opacity=_opacity(below, laid, came, alpha),
        under=None,
        emission=mix("emission", graphic[..., :3] * np.float32(one.glow)) if shines else None,
        specular=max(below.specular, 0.5),
        normal=Texture(relief, wrap="clamp") if relief is not None else None,
        missing=(),
    )


def _opacity(below: Material, laid: Part, came: Part, alpha: Floats) -> Texture | float:
    """What is cut out below a print stays cut out where the print lets it."""
    if below.under is not None:
        return 1.0
    if not isinstance(below.opacity, Texture):
        return below.opacity
    seen = _looked_up(below.opacity, _uv_below(laid, came, alpha.shape)[0], 1)
    return Texture(np.maximum(seen, alpha), wrap="clamp")


def _is_clear(material: Material) -> bool:
    """Whether it, or what is below it, lets light through: that can't be told by a colour."""
    clear = isinstance(material.transmission, Texture) or material.transmission > 0
    return clear or (material.under is not None and _is_clear(material.under))


def _sized(graphic: Floats, patterned: bool, finest_px: int) -> Floats:
    """Large enough for what is below, where that has a pattern: a small print must not coarsen it."""
    height, width = graphic.shape[:2]
    share = finest_px / max(height, width)
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


def _below(laid: Part, came: Part, below: Material, shape: tuple[int, ...]) -> Sampled:
    """What lies below a patch, looked up for each of its pixels: (H, W, 3) or (H, W) by name.

    Parameters
    ----------
    laid, came : the same triangles on the patch's uv, and on those of what is below.
    """
    uv, weights, faces = _uv_below(laid, came, shape)
    found = _sampled(below, uv)
    if came.colours is not None:
        found["base_colour"] = found["base_colour"] * np.einsum("hwc,hwck->hwk", weights, came.colours[faces])
    return {name: values.astype(np.float32) for name, values in found.items()}


def _uv_below(laid: Part, came: Part, shape: tuple[int, ...]) -> tuple[Array, Array, NDArray[np.int64]]:
    """For each pixel of a patch the uv below it (H, W, 2), and in its triangle the weights and corners (H, W, 3)."""
    height, width = shape[:2]
    which = np.zeros((height, width), np.int32)
    corners = laid.uv[laid.faces]
    for number, corner in enumerate(corners):
        points = np.round((corner * [width, height] - 0.5) * 16).astype(np.int32)
        cv2.fillConvexPoly(which, points, number, shift=4)
    x, y = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
    weights = _weights(corners, which, x, y)
    faces = laid.faces[which]
    return np.einsum("hwc,hwck->hwk", weights, came.uv[faces]), weights, faces


def _sampled(material: Material, uv: Array) -> Sampled:
    """What a material is made of at places (H, W, 2) of its uv, through what it lets show of another below it."""
    found = {
        name: _looked_up(getattr(material, name), uv, 3 if name in _COLOURS else 1) for name in (*_COLOURS, *_NUMBERS)
    }
    if material.under is None:
        return found
    alpha, below = _looked_up(material.opacity, uv, 1), _sampled(material.under, uv)
    for name, values in found.items():
        weight = alpha[..., None] if name in _COLOURS else alpha
        # What a print gives off is weighed by its alpha already.
        own = values if name == "emission" else weight * values
        found[name] = own + (1 - weight) * below[name]
    return found


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
