"""Small pictures: sample pieces and models, by the light that they are asked for in."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.colour import decode_srgb
from lithopos.core.errors import InputError
from lithopos.core.exchange.graphic import Graphic
from lithopos.core.geometry.model import Model
from lithopos.core.render.pieces import PLAIN_LIGHT, PieceQuestion, piece_picture
from lithopos.core.render.tracer import MitsubaTracer
from lithopos.core.shot import LaidTexture, Surface


def no_model(name: str) -> Model:
    raise InputError("model", f"{name} was not to be read")


def no_graphic(name: str, _time_s: float) -> Graphic:
    raise InputError("texture", f"{name} can’t be read")


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
