"""Small pictures by the renderer: a sample piece of a surface in a shot's own light, or a model.

The sample piece is made up: a mooring post of 30 cm, turned, with a level top, a convex head, a concave waist and
a flared foot, so that every kind shows its highlight, its edge and what it mirrors; it stands on striped paving, which
glass shows through.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import encode_srgb
from lithopos.core.composite.denoise import denoise
from lithopos.core.derive import Derived
from lithopos.core.exchange.graphic import ReadGraphic
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Material, Model, Part
from lithopos.core.grounds import GROUND_MATERIALS
from lithopos.core.layers import HALVES
from lithopos.core.materials.dress import dressed
from lithopos.core.place.receiver import Patch, Receiver, Sheen
from lithopos.core.render.scene import Scene, StoodModel, SunSky
from lithopos.core.render.tracer import Tracer
from lithopos.core.shot import Placed, Shot, Surface
from lithopos.core.shot.parts import FileName

SIZE_PX, SAMPLES = 112, 128
LOOKS_DOWN_DEG, VIEW_DEG = 24.0, 21.0
WHITE_LEVEL = 0.8  # of lit level white: a piece is judged, not matched
# A plain day for models, which are pictured once and for all, and for shots whose sun is not known yet.
PLAIN_LIGHT = SunSky((-0.48, -0.56, 0.675), 1.0, 1.0, 1.0, 3.5)
PLAIN_GROUND = 0.35
STRIPE_M, STRIPES = 0.08, 48
# Outline of the piece from the top inwards to the foot: radius and height [m].
TURNED = ((0.0, 0.3), (0.055, 0.3), (0.1, 0.285), (0.118, 0.25), (0.11, 0.215), (0.075, 0.185), (0.062, 0.14))
FOOT = ((0.062, 0.09), (0.085, 0.05), (0.14, 0.035), (0.14, 0.0), (0.0, 0.0))
NAME = "piece"

__all__ = ["PieceQuestion", "piece_picture", "shot_question", "thumbnail_question"]


class PieceQuestion(BaseModel):
    """What is to be pictured, and in which light.

    Attributes
    ----------
    surface : what the sample piece is made of; or `model`, a model's file.
    light : sun and sky; `heading_deg` is the way the camera looks, from x anticlockwise.
    ground : reflectance of what it stands on.
    """

    model_config = ConfigDict(extra="forbid")

    surface: Surface | None = None
    model: FileName | None = None
    light: SunSky = PLAIN_LIGHT
    heading_deg: float = 60.0
    ground: float = Field(default=PLAIN_GROUND, gt=0, lt=1)


def thumbnail_question(file: str) -> PieceQuestion:
    """A model in plain light."""
    return PieceQuestion(model=file)


def shot_question(shot: Shot, facts: Derived, surface: Surface) -> PieceQuestion:
    """A surface in the light that a shot has, seen the way its camera looks; in plain light as long as it has none."""
    if facts.sun_shown is None or facts.camera is None or shot.lit_by == "room":
        return PieceQuestion(surface=surface)
    sky, sun = shot.sky, shot.sun.strength * (1 - shot.sky.cover)
    light = SunSky(facts.sun_shown, sun, sky.strength, facts.softness_deg, facts.haze, cover=sky.cover)
    forward = np.array(facts.camera.rotation)[2]
    ground = shot.ground.reflectance or GROUND_MATERIALS[shot.ground.material].reflectance
    # Whole degrees and hundredths, so that a picture is not made again for what nobody sees.
    return PieceQuestion(
        surface=surface,
        light=replace(light, direction=tuple(np.round(light.direction, 2).tolist())),
        heading_deg=float(round(np.degrees(np.arctan2(forward[1], forward[0])))),
        ground=round(ground, 2),
    )


def piece_picture(
    question: PieceQuestion,
    tracer: Tracer,
    read_model: Callable[[str], Model],
    read_graphic: ReadGraphic,
) -> Picture:
    """The picture, `SIZE_PX` square, in 8-bit sRGB.

    Raises
    ------
    InputError
        If the surface can't be made or the file can't be read.
    """
    if question.model:
        model = read_model(question.model)
    else:
        placed = Placed(id=NAME, file="piece.glb", surfaces={NAME: question.surface} if question.surface else {})
        model = dressed(_turned(), placed, np.eye(3), 1.0, read_graphic)
    tracer.show(_scene(question, model))
    gain = np.asarray(WHITE_LEVEL * np.pi / np.maximum(tracer.irradiance(), 1e-9), np.float32)
    # Without guides for the denoiser: they would cost a second kernel for every kind of surface.
    shown = denoise(_traced(tracer) * gain, "high", 1.0)
    return Picture((np.clip(encode_srgb(np.maximum(shown, 0)), 0, 1) * 255 + 0.5).astype(np.uint8))


def _traced(tracer: Tracer) -> Floats:
    """Radiance (H, W, 3)."""
    rows, columns = np.mgrid[:SIZE_PX, :SIZE_PX]
    pixels = np.column_stack([columns.ravel(), rows.ravel()]).astype(np.int32)
    half = SAMPLES // HALVES
    batches = tracer.batches(pixels, half)
    light = np.concatenate([tracer.radiance("with", batch, 0, half, 1).sum(1) for batch in batches])
    picture = np.empty((SIZE_PX * SIZE_PX, 3), np.float32)
    picture[np.concatenate(batches) @ [1, SIZE_PX]] = light / np.float32(HALVES * half)
    return picture.reshape(SIZE_PX, SIZE_PX, 3)


def _scene(question: PieceQuestion, model: Model) -> Scene:
    low, high = model.bounds()
    middle = (low + high) / 2
    stood = np.eye(4)
    stood[:3, 3] = [-middle[0], -middle[1], -low[2]]
    size = high - low
    ground = _paving(question, float(np.hypot(*size[:2])))
    camera = _camera(question.heading_deg, size)
    things = (StoodModel(NAME, model, stood),)
    key = repr((question.light, question.ground, ground.patches[0].vertices.tolist()))
    # Each piece is a model of its own: without a key nothing of the last one is taken for it.
    return Scene(camera, (ground,), things, (question.light,), np.ones(3, np.float32), key, question.model_dump_json())


def _camera(heading_deg: float, size: Array) -> Pinhole:
    """A camera that sees a thing of a size (3,) [m] whole, standing about the origin."""
    reach = 0.85 * float(np.linalg.norm(size)) / 2  # corners of the box are seldom filled
    heading, down = np.radians([heading_deg, LOOKS_DOWN_DEG])
    forward = np.array([np.cos(heading) * np.cos(down), np.sin(heading) * np.cos(down), -np.sin(down)])
    right = np.array([np.sin(heading), -np.cos(heading), 0.0])
    away = reach / np.sin(np.radians(VIEW_DEG / 2))
    position = np.array([0, 0, size[2] / 2]) - away * forward
    focal = SIZE_PX / 2 / np.tan(np.radians(VIEW_DEG / 2))
    rotation = np.stack([right, np.cross(forward, right), forward])
    return Pinhole(float(focal), np.full(2, SIZE_PX / 2), rotation, position, SIZE_PX, SIZE_PX)


def _paving(question: PieceQuestion, wide_m: float) -> Receiver:
    """What it stands on: stripes under a sample piece, plain ground under a model."""
    half = max(STRIPES * STRIPE_M / 2, 20 * wide_m)
    reflectance: Floats = np.full(3, question.ground, np.float32)
    if question.model is None:
        half = STRIPES * STRIPE_M / 2
        tones = np.where(np.arange(STRIPES) % 2, 1.15, 0.85).astype(np.float32) * np.float32(question.ground)
        reflectance = np.repeat(np.tile(tones, (STRIPES, 1))[..., None], 3, axis=2).repeat(8, 0).repeat(8, 1)
    turn = np.radians(question.heading_deg - 60)
    corners = (
        half
        * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
        @ [
            [np.cos(turn), np.sin(turn)],
            [-np.sin(turn), np.cos(turn)],
        ]
    )
    uv = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])
    faces = np.array([[0, 1, 2], [0, 2, 3]])
    patch = Patch(np.column_stack([corners, np.zeros(4)]), uv, faces, reflectance)
    return Receiver("ground", (patch,), Sheen(0.0, 1.0))


def _turned(sides: int = 96) -> Model:
    """The sample piece: its outline, rounded, turned about the z axis, with uv in metres."""
    outline = np.array([*_rounded(np.array(TURNED[1:] + FOOT[:-1])), FOOT[-1]])
    outline = np.concatenate([[TURNED[0]], outline])
    along = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(outline, axis=0), axis=1))])
    angles = np.linspace(0, 2 * np.pi, sides + 1)
    r, z = outline.T
    vertices = np.stack(
        [np.outer(r, np.cos(angles)), np.outer(r, np.sin(angles)), np.repeat(z[:, None], sides + 1, 1)], -1
    )
    # About z the derivative of (r, z) turned by a right angle is the normal.
    slope = np.gradient(outline, axis=0)
    nr, nz = slope[:, 1], -slope[:, 0]
    length = np.maximum(np.hypot(nr, nz), 1e-12)
    nr, nz = -nr / length, -nz / length
    normals = np.stack(
        [np.outer(nr, np.cos(angles)), np.outer(nr, np.sin(angles)), np.repeat(nz[:, None], sides + 1, 1)], -1
    )
    uv = np.stack(np.meshgrid(angles * 0.11, along), -1)
    at = np.arange(len(outline) * (sides + 1)).reshape(len(outline), sides + 1)
    a, b, c, d = (part.ravel() for part in (at[:-1, :-1], at[:-1, 1:], at[1:, :-1], at[1:, 1:]))
    faces = np.concatenate([np.column_stack([a, c, b]), np.column_stack([b, c, d])])
    part = Part(NAME, vertices.reshape(-1, 3), normals.reshape(-1, 3), uv.reshape(-1, 2), faces, 0, closed=True)
    return Model([part], [Material(NAME, np.full(3, 0.6, np.float32))])


def _rounded(outline: Array, times: int = 3) -> Array:
    """A polyline with its corners cut, again and again (Chaikin 1974, An algorithm for high-speed curve generation)."""
    for _ in range(times):
        a, b = outline[:-1], outline[1:]
        cut = np.stack([0.75 * a + 0.25 * b, 0.25 * a + 0.75 * b], 1).reshape(-1, 2)
        outline = np.concatenate([outline[:1], cut, outline[-1:]])
    return outline
