"""What a camera wrote into the file, and what it wrote badly."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from PIL.TiffImagePlugin import IFDRational

from lithopos.core.exchange.exif import camera_notes
from lithopos.core.reading.ask import inspect_file
from lithopos.core.shot import CameraNotes, SolvedCamera, new_shot

FOCAL, FOCAL_35MM, TAKEN, WIDTH, HEIGHT = 0x920A, 0xA405, 0x9003, 0xA002, 0xA003


class Exif(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "photo.jpg"

    def write(
        self, camera: dict[int, Any], place: dict[int, Any] | None = None, size: tuple[int, int] = (600, 400)
    ) -> None:
        exif = Image.Exif()
        exif.get_ifd(0x8769).update(camera)
        exif.get_ifd(0x8825).update(place or {})
        Image.fromarray(np.zeros((size[1], size[0], 3), np.uint8)).save(self.path, exif=exif)

    def notes(
        self, camera: dict[int, Any], place: dict[int, Any] | None = None, size: tuple[int, int] = (600, 400)
    ) -> CameraNotes:
        self.write(camera, place, size)
        told = camera_notes(self.path, *size)
        assert told
        return told

    def test_what_is_written_is_read(self) -> None:
        third = lambda d, m, s: (IFDRational(d), IFDRational(m), IFDRational(s))  # noqa: E731
        place = {1: "S", 2: third(51, 30, 36), 3: "W", 4: third(4, 15, 0), 16: "M", 17: IFDRational(2125, 10)}
        told = self.notes({FOCAL_35MM: 28, FOCAL: IFDRational(18, 1), TAKEN: "2026:06:21 17:05:09"}, place)
        self.assertEqual((told.focal_35mm, told.focal_mm), (28, 18))
        self.assertEqual(str(told.taken_at), "2026-06-21 17:05:09")
        self.assertAlmostEqual(told.latitude_deg or 0, -51.51, places=9)
        self.assertAlmostEqual(told.longitude_deg or 0, -4.25, places=9)
        self.assertEqual((told.bearing_deg, told.bearing_is), (212.5, "magnetic"))
        self.assertIsNone(told.cropped)

    def test_the_equivalent_follows_from_the_sensor_by_its_diagonal(self) -> None:
        # 6000 pixels over 23.5 mm and 4000 over 15.6 mm; 16 mm on a diagonal of 28.21 mm is 24.5 mm on 43.27.
        density = {
            0xA20E: IFDRational(60000, 235),
            0xA20F: IFDRational(40000, 156),
            0xA210: 4,
            WIDTH: 6000,
            HEIGHT: 4000,
        }
        told = self.notes({FOCAL: IFDRational(16, 1), **density})
        self.assertAlmostEqual(told.focal_35mm or 0, 16 * 43.2666 / np.hypot(23.5, 15.6), places=3)

    def test_a_cropped_picture_is_told_and_its_focal_length_not_expected(self) -> None:
        whole = {FOCAL_35MM: 35, WIDTH: 6000, HEIGHT: 4000}
        self.assertRegex(self.notes(whole, size=(600, 300)).cropped or "", "took 6000 × 4000 pixels.*another shape")
        self.assertRegex(self.notes({FOCAL_35MM: 35}, size=(700, 401)).cropped or "", "no usual sensor")
        for size, expected in (((600, 300), None), ((400, 600), 35)):
            self.write(whole, size=size)
            camera = new_shot("x", "x.jpg", inspect_file(self.path)).camera
            assert isinstance(camera, SolvedCamera)
            self.assertEqual(camera.focal_prior and camera.focal_prior.focal_35mm, expected)

    def test_nonsense_is_left_out(self) -> None:
        told = self.notes(
            {FOCAL_35MM: 0, FOCAL: IFDRational(5, 1), 0xA20E: IFDRational(0, 0), TAKEN: "yesterday"},
            {1: "N", 2: (IFDRational(95), IFDRational(0), IFDRational(0)), 3: "E", 17: IFDRational(400, 1), 16: "T"},
        )
        self.assertEqual(told, CameraNotes(focal_mm=5))
        self.write({})
        self.assertIsNone(camera_notes(self.path, 600, 400))
        self.path.write_bytes(self.path.read_bytes()[:30])
        self.assertIsNone(camera_notes(self.path, 600, 400))


if __name__ == "__main__":
    unittest.main()
