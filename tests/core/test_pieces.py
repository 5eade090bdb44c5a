"""Small pictures: sample pieces and models, by the light that they are asked for in."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.blend.lut import Lut
from lithopos.core.colour import decode_srgb
from lithopos.core.errors import InputError
from lithopos.core.exchange.graphic import Graphic
from lithopos.core.exchange.panorama import Panorama
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Model
from lithopos.core.render.finished import Readers
from lithopos.core.render.pieces import PLAIN_LIGHT, PieceQuestion, piece_picture
from lithopos.core.render.session import Session
from lithopos.core.render.small import small_picture, small_question
from lithopos.core.render.tracer import MitsubaTracer
from lithopos.core.shot import Blend, Exposure, Grade, LaidTexture, Shot, Surface
from tests.core.rendering import bench, photograph, sample, tracer


def no_model(name: str) -> Model:
    raise InputError("model", f"{name} was not to be read")


def no_panorama(name: str) -> Panorama:
    raise InputError("panorama", f"{name} was not to be read")


def no_table(name: str) -> Lut:
    raise InputError("blend", f"{name} was not to be read")


def no_photograph(name: str) -> Picture:
    raise InputError("photograph", f"{name} was not to be read")


def no_graphic(name: str, _time_s: float) -> Graphic:
    raise InputError("texture", f"{name} can’t be read")


class Small(unittest.TestCase):
    def test_a_shot_is_shown_in_its_frame_and_asked_for_by_what_is_seen(self) -> None:
        frame = {"x": 320, "y": 100, "width": 1280, "height": 960}
        shot, readers = (
            sample(frame=frame),
            Readers(lambda _: bench(), no_graphic, no_panorama, no_table, no_photograph),
        )
        question = small_question(shot)
        self.assertEqual(question, small_question(shot.model_copy(update={"name": "else", "deliverables": []})))
        self.assertNotEqual(question, small_question(shot.model_copy(update={"exposure": Exposure(stops=1)})))
        session = Session(tracer=tracer())
        made = small_picture(question, photograph, session, readers)
        self.assertEqual(made.codes.shape, (240, 320, 3))
        bare = small_picture(small_question(shot.model_copy(update={"blend": graded()})), photograph, session, readers)
        self.assertGreater(int((np.abs(made.codes.astype(int) - bare.codes).max(-1) > 20).sum()), 40, "with its tones")
        with self.assertRaisesRegex(InputError, "is missing"):
            small_picture(small_question(Shot()), photograph, session, readers)


def graded() -> Blend:
    """Models two stops darker."""
    return Blend(model=Grade(exposure_stops=-2))


class Pieces(unittest.TestCase):
    tracer: MitsubaTracer

    @classmethod
    def setUpClass(cls) -> None:
        cls.tracer = MitsubaTracer()

    def picture(self, question: PieceQuestion) -> Array:
        codes = piece_picture(question, self.tracer, no_model, no_graphic).codes
        return np.asarray(decode_srgb(codes.astype(np.float32) / 255), float)

    def test_a_sample_piece_shows_its_colour_under_the_light_it_is_asked_for_in(self) -> None:
        def matte(*colour: float, **told: float) -> Array:
            surface = Surface(kind="matte", colour=(colour[0], colour[1], colour[2]))
            light = replace(PLAIN_LIGHT, direction=(0.0, -0.8, 0.6))
            return self.picture(PieceQuestion(surface=surface, light=light, **told))  # type: ignore[arg-type]

        at = (slice(50, 64), slice(48, 64))  # on its waist
        dark, light = matte(0.2, 0.2, 0.2), matte(0.4, 0.4, 0.4)
        self.assertAlmostEqual(float(light[at].mean() / dark[at].mean()), 2.0, delta=0.2)
        # The sun comes from -y: seen towards +x it is on the right, towards -x on the left.
        sides = (slice(50, 64), slice(44, 50)), (slice(50, 64), slice(62, 68))
        for heading_deg, lit in ((0.0, 1), (180.0, 0)):
            seen = matte(0.4, 0.4, 0.4, heading_deg=heading_deg)
            self.assertGreater(seen[sides[lit]].mean(), 1.5 * seen[sides[1 - lit]].mean())

    def test_a_surface_that_can_t_be_made_says_why(self) -> None:
        surface = Surface(kind="wood", texture=LaidTexture(file="sha256:" + "0" * 64))
        with self.assertRaisesRegex(InputError, "can’t be read"):
            self.picture(PieceQuestion(surface=surface))
