"""Colour against published figures."""

from __future__ import annotations

import unittest

import numpy as np

from lithopos.core.colour import decode_srgb, delta_e_2000, encode_srgb, linear_to_Lab, luminance


class Colour(unittest.TestCase):
    def test_srgb_known_values_and_round_trip(self) -> None:
        # IEC 61966-2-1: code 188 is about half the light; the two pieces meet at 0.0031308.
        np.testing.assert_allclose(decode_srgb([0, 0.04045, 188 / 255, 1]), [0, 0.0031308, 0.5028865, 1], atol=1e-6)
        codes = np.arange(256, dtype=np.float32) / 255
        np.testing.assert_array_equal(np.round(encode_srgb(decode_srgb(codes)) * 255), np.arange(256))
        self.assertAlmostEqual(float(luminance([1, 1, 1])), 1, places=6)

    def test_lab_of_white_grey_and_red(self) -> None:
        greys = np.array([[1, 1, 1], [0.18418651, 0.18418651, 0.18418651]])
        np.testing.assert_allclose(linear_to_Lab(greys), np.array([[100.0, 0, 0], [50, 0, 0]]), atol=2e-3)
        np.testing.assert_allclose(linear_to_Lab([1, 0, 0]), [53.24, 80.09, 67.20], atol=0.02)

    def test_delta_e_2000_table(self) -> None:
        # Sharma, Wu & Dalal 2005, table 1: pairs 1, 4, 7, 14, 17, 20, 25, 34.
        rows = np.array(
            [
                [50.0000, 2.6772, -79.7751, 50.0000, 0.0000, -82.7485, 2.0425],
                [50.0000, -1.3802, -84.2814, 50.0000, 0.0000, -82.7485, 1.0000],
                [50.0000, 0.0000, 0.0000, 50.0000, -1.0000, 2.0000, 2.3669],
                [50.0000, -0.0010, 2.4900, 50.0000, 0.0011, -2.4900, 4.7461],
                [50.0000, 2.5000, 0.0000, 73.0000, 25.0000, -18.0000, 27.1492],
                [50.0000, 2.5000, 0.0000, 58.0000, 24.0000, 15.0000, 19.4535],
                [60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644],
                [2.0776, 0.0795, -1.1350, 0.9033, -0.0636, -0.5514, 0.9082],
            ]
        )
        np.testing.assert_allclose(delta_e_2000(rows[:, :3], rows[:, 3:6]), rows[:, 6], atol=1e-4)


if __name__ == "__main__":
    unittest.main()
