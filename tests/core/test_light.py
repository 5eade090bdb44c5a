"""White paint in the sun in cd/m², and the layered surface's tables, against integrals of the tests' own."""

from __future__ import annotations

import unittest

import numpy as np

from lithopos.core.light.luminance import clear_white_cd
from lithopos.core.render.translate.layered import SIZE, split_albedo


class White(unittest.TestCase):
    def test_white_paint_in_the_sun_is_as_bright_as_tables_say(self) -> None:
        # Level illuminance of a clear day is given as about 100 klx at a sun 60° high and 20 klx at 15°.
        for elevation_deg, klx in ((60, 100), (30, 50), (15, 20)):
            sun = np.array([np.cos(np.radians(elevation_deg)), 0, np.sin(np.radians(elevation_deg))])
            self.assertAlmostEqual(clear_white_cd(sun, 1, 1) * np.pi / 1000, klx, delta=0.2 * klx)
        noon = np.array([0, 0, 1.0])
        self.assertAlmostEqual(clear_white_cd(noon, 2, 2) / clear_white_cd(noon, 1, 1), 2)
        self.assertLess(clear_white_cd(None, 1, 1), 0.1 * clear_white_cd(noon, 1, 1) * 2)


class Tables(unittest.TestCase):
    def test_the_split_albedo_is_that_of_the_ggx_lobe(self) -> None:
        """By a plain sum over the hemisphere of outgoing directions (Walter et al. 2007, equations 33 and 34)."""
        a, b, _ = split_albedo()
        n = 400
        theta, phi = np.meshgrid((np.arange(n) + 0.5) / n * np.pi / 2, (np.arange(n) + 0.5) / n * 2 * np.pi)
        wo = np.stack([np.sin(theta) * np.cos(phi), np.sin(theta) * np.sin(phi), np.cos(theta)], -1)
        solid = np.sin(theta) * (np.pi / 2 / n) * (2 * np.pi / n)
        for row, column in ((12, 6), (12, 28), (20, 15), (31, 4), (31, 30)):
            alpha, mu = (row + 0.5) / SIZE, (column + 0.5) / SIZE
            wi = np.array([np.sqrt(1 - mu**2), 0, mu])
            half = wi + wo
            half /= np.linalg.norm(half, axis=-1, keepdims=True)
            cos2 = half[..., 2] ** 2
            d = alpha**2 / (np.pi * (cos2 * (alpha**2 - 1) + 1) ** 2)
            g = np.ones_like(d)
            for cosine in (np.full_like(d, mu), wo[..., 2]):
                g *= 2 / (1 + np.sqrt(1 + alpha**2 * (1 - cosine**2) / cosine**2))
            lobe = d * g / (4 * mu) * solid
            schlick = (1 - np.clip(half @ wi, 0, 1)) ** 5
            with self.subTest(alpha=alpha, cosine=mu):
                self.assertAlmostEqual(float(a[row, column]), float((lobe * (1 - schlick)).sum()), delta=0.006)
                self.assertAlmostEqual(float(b[row, column]), float((lobe * schlick).sum()), delta=0.006)


if __name__ == "__main__":
    unittest.main()
