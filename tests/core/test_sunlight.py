"""A shot's sun: by whatever tells it, as the document says; and what is lit by it."""

from __future__ import annotations

import itertools
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np

from lithopos.core.derive import Derived, derive
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.check import GREY, MIRROR, RADIUS_M, CheckPiece, check_piece
from lithopos.core.geometry.gltf.read import read_gltf
from lithopos.core.geometry.gltf.write import glb_of
from lithopos.core.marks.penumbra import soft_edge
from lithopos.core.readiness import missing
from lithopos.core.readings import Sources, with_readings
from lithopos.core.shot import Shot, load_shot
from tests.support import TrueCamera

CAMERA = TrueCamera(heading=75)
SUN = np.array([0.5, 0.45, 0.74]) / np.linalg.norm([0.5, 0.45, 0.74])
NOON = {"date": "2026-04-18", "time": "15:30", "zone": "+00:00", "latitude_deg": 41.2, "longitude_deg": -8.3}


def fallen(point: Any, height: float = 0.0) -> np.ndarray:
    point = np.array(point, float)
    return np.asarray(point - (point[2] - height) / SUN[2] * SUN)


def shot(**fields: Any) -> Shot:
    """The tests' own camera, set by hand, with its world's zero below the lens; pixels are exact."""
    focal_35mm = CAMERA.focal / np.hypot(*CAMERA.size) * 43.266615305567875
    camera = {"kind": "hand", "focal_35mm": focal_35mm, "height_m": 1.6, "tilt_deg": -8, "heading_deg": 75}
    photograph = {"file": "p.jpg", "width": 1920, "height": 1280, **fields.pop("photograph", {})}
    return load_shot({"format": 4, "photograph": photograph, "camera": camera, **fields})


def pixels(*points: Any) -> list[Any]:
    return [[float(x), float(y)] for x, y in CAMERA.see(np.array(points, float))]


def off_deg(facts: Derived) -> float:
    assert facts.sun_shown, facts.sun_reason
    return float(np.degrees(np.arccos(np.clip(np.dot(facts.sun_shown, SUN), -1, 1))))


class Sunlight(unittest.TestCase):
    def test_an_edge_whose_shadow_lies_on_a_level(self) -> None:
        ends = [[-0.5, 5.0, 1.2], [0.9, 5.6, 1.2]], [[-0.8, 5.2, 1.1], [0.5, 6.6, 1.1]]
        edges = [
            {
                "id": f"s{n}",
                "runs": "level",
                "edge": pixels(*pair),
                "shadow": pixels(*(fallen(p, 0.4) for p in pair)),
                "height_m": pair[0][2],
                "level": "l",
            }
            for n, pair in enumerate(ends)
        ]
        levels = [{"id": "l", "name": "table", "height_m": 0.4}]
        self.assertLess(off_deg(derive(shot(shadow_edges=edges, levels=levels))), 0.01)
        # The same marks, taken to lie on the ground, tell another sun.
        self.assertGreater(off_deg(derive(shot(shadow_edges=[{**one, "level": None} for one in edges]))), 3)

    def test_the_shadow_of_a_box_that_was_drawn(self) -> None:
        low, high = np.array([0.2, 5.0, 0]), np.array([1.2, 5.8, 0.9])
        corners = [[x, y, 0] for x, y in ((low[0], low[1]), (high[0], low[1]), (high[0], high[1]))]
        box: dict[str, Any] = {"id": "b", "kind": "box", "points": pixels(*corners)}
        box["top"] = pixels([low[0], low[1], high[2]])[0]
        # Two sides of the shadow's end: of the top's corners away from the sun.
        far = [fallen([x, y, high[2]]) for x, y in ((low[0], high[1]), (low[0], low[1]), (high[0], low[1]))]
        along = [a + t * (b - a) for a, b in itertools.pairwise(far) for t in (0.2, 0.5, 0.8)]
        facts = derive(shot(proxies=[{**box, "shadow": pixels(*along)}]))
        self.assertLess(off_deg(facts), 0.02)
        assert facts.sun
        self.assertEqual((len(facts.sun.boxes), facts.thrown), (1, ["b"]))
        self.assertIsNone(derive(shot(proxies=[{**box, "shadow": pixels(along[0])}])).sun, "a single point is too few")
        wall = {"id": "w", "kind": "wall", "points": pixels([-1, 6, 0], [1.5, 6, 0]), "height_m": 1.5}
        ends = [fallen([-1, 6, 1.5]), fallen([1.5, 6, 1.5])]
        over = pixels(*(ends[0] + t * (ends[1] - ends[0]) for t in (0.2, 0.5, 0.8)))
        self.assertLess(
            abs(off_deg(derive(shot(proxies=[{**wall, "shadow": over}, {**box, "shadow": pixels(*along)}])))), 0.02
        )
        alone = derive(shot(proxies=[{**wall, "shadow": over}]))  # how far along it the sun stands is not to be seen
        self.assertIn("leaves the sun's direction open", alone.sun_reason or "")
        sky = {**box, "name": "Crate", "shadow": [*pixels(*along), [900, 20]]}
        self.assertRegex(derive(shot(proxies=[sky])).sun_reason or "", "^The shadow of Crate: lies above the horizon")
        with self.assertRaisesRegex(InputError, "the shadow of a steps"):
            shot(proxies=[{**box, "kind": "steps", "shadow": pixels(*along)}])

    def test_a_mark_that_can_t_be_is_called_by_its_name(self) -> None:
        bad = {"id": "g", "top": [900, 100], "tip": [900, 20]}
        facts = derive(shot(gnomons=[bad]))
        self.assertIsNone(facts.sun)
        self.assertEqual(facts.sun_reason, "Gnomon 1: the shadow's tip lies above the horizon, so not on the ground")

    def test_the_date_tells_it_through_the_bearing_that_the_camera_wrote(self) -> None:
        notes = {"bearing_deg": 20.0, "bearing_is": "true"}
        facts = derive(shot(photograph={"notes": notes}, almanac=NOON, sun={"kind": "almanac"}))
        assert facts.almanac and facts.sun_shown
        # The view looks to 20° from north and lies 75° from x, anticlockwise: so x points to 95°.
        self.assertAlmostEqual(facts.almanac.bearing_deg or 0, 95)
        azimuth = np.degrees(np.arctan2(facts.sun_shown[1], facts.sun_shown[0]))
        self.assertAlmostEqual((95 - azimuth) % 360, facts.almanac.compass_deg, places=6)
        given = derive(shot(almanac={**NOON, "bearing_deg": 10}, sun={"kind": "almanac"}))
        assert given.almanac
        self.assertEqual(given.almanac.bearing_deg, 10)

    def test_what_the_date_can_t_tell_is_said(self) -> None:
        night = derive(shot(almanac={**NOON, "time": "23:30"}, sun={"kind": "almanac"}))
        self.assertIn("below the horizon then; look at time and zone", night.sun_reason or "")
        bare = derive(shot(almanac=NOON, sun={"kind": "almanac"}))
        self.assertIn("how run A lies to north is not known", bare.sun_reason or "")
        wrong = derive(shot(almanac={**NOON, "zone": "Osier/Quay"}, sun={"kind": "almanac"}))
        self.assertIn("is no time zone", wrong.almanac_reason or "")
        assumed = derive(shot(almanac={**NOON, "zone": None}, sun={"kind": "almanac"}))
        assert assumed.almanac
        self.assertEqual((assumed.almanac.zone, assumed.almanac.zone_assumed), ("Europe/Lisbon", True))

    def test_shadows_tell_the_time_of_day(self) -> None:
        azimuth, elevation = np.degrees([np.arctan2(SUN[1], SUN[0]), np.arcsin(SUN[2])])
        foot = [0.3, 5.0, 0.0]
        tall = pixels(foot, [0.3, 5.0, 1.2], fallen([0.3, 5.0, 1.2]))
        gnomon = {"id": "g", **dict(zip(("foot", "top", "tip"), tall, strict=True))}
        facts = derive(shot(gnomons=[gnomon], almanac=NOON))
        assert facts.almanac
        morning, evening = facts.almanac.times
        self.assertLess(morning.time, evening.time)
        for told in (morning, evening):
            at = derive(
                shot(almanac={**NOON, "time": told.time, "bearing_deg": told.bearing_deg}, sun={"kind": "almanac"})
            )
            self.assertLess(off_deg(at), 0.3)  # to the minute
        self.assertAlmostEqual(facts.sun.elevation_deg if facts.sun else 0, elevation, places=3)
        self.assertAlmostEqual((facts.sun.azimuth_deg if facts.sun else 0) % 360, azimuth % 360, places=3)

    def test_under_a_whole_cover_no_sun_is_needed(self) -> None:
        for cover, lacks in ((0.9, True), (1.0, False)):
            covered = shot(sky={"cover": cover})
            self.assertEqual("no sun" in [lack.code for lack in missing(covered, derive(covered))], lacks)


class SoftMarks(unittest.TestCase):
    def picture(self) -> Picture:
        """Light above, shade below, with a soft edge of 12 px at row 60."""
        rows = np.clip((66 - np.arange(120)) / 12, 0, 1)[:, None, None]
        codes = np.broadcast_to(60 + 150 * rows, (120, 160, 3))
        return Picture(np.ascontiguousarray(codes, np.uint8))

    def test_a_soft_edge_is_read_when_it_is_drawn_and_not_when_it_leads_out_of_the_picture(self) -> None:
        codes = self.picture().codes
        found = soft_edge(codes, (80.0, 40.0), (82.0, 80.0))
        assert found
        self.assertAlmostEqual(found.middle[1], 60, delta=2)
        self.assertLess(found.normal[1], -0.95)
        for ends in (((80.0, -60.0), (80.0, -20.0)), ((80.0, -30.0), (80.0, 8.0)), ((80.0, 60.0), (81.0, 60.0))):
            self.assertIsNone(soft_edge(codes, *ends))
        document = {"format": 4, "photograph": {"file": "p.png", "width": 160, "height": 120}}
        mark = {"id": "k", "across": [[80.0, 40.0], [82.0, 80.0]], "height_m": 2.0}
        told = with_readings(document, {"penumbras": {"k": mark}}, Sources(lambda _: self.picture()))
        self.assertEqual(told["penumbras"]["k"]["soft"], found.model_dump())

    def test_a_softness_by_hand_goes_before_what_is_measured(self) -> None:
        soft = {"middle": [900, 900], "normal": [0.1, -0.99], "width_px": 20, "sigma_px": 1}
        mark = {"id": "k", "across": [[900, 880], [900, 920]], "height_m": 3.0, "soft": soft}
        hand = {"kind": "hand", "azimuth_deg": 40, "elevation_deg": 45}
        measured = derive(shot(penumbras=[mark], sun=hand))
        assert measured.softness and measured.softness.diameter_deg
        self.assertEqual(measured.softness_deg, measured.softness.diameter_deg)
        self.assertEqual(derive(shot(penumbras=[mark], sun={**hand, "softness_deg": 4.0})).softness_deg, 4.0)
        self.assertEqual(derive(shot(sun=hand)).softness_deg, 0.53)


class CheckPieces(unittest.TestCase):
    def test_they_come_through_a_file_in_their_true_measure(self) -> None:
        pieces: tuple[tuple[CheckPiece, tuple[float, ...], float], ...] = (
            ("grey ball", (2 * RADIUS_M,) * 3, GREY),
            ("mirror ball", (2 * RADIUS_M,) * 3, MIRROR),
            ("white cube", (0.3,) * 3, 0.8),
            ("colour chart", (0.416, 0.014, 0.212), 0.05),
        )
        for name, size, colour in pieces:
            with self.subTest(name), tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "piece.glb"
                path.write_bytes(glb_of(check_piece(name)))
                model = read_gltf(path)
                low, high = model.bounds()
                np.testing.assert_allclose(high - low, size, atol=1e-3)
                self.assertAlmostEqual(float(low[2]), 0, places=5)
                told = model.materials[0].base_colour
                assert isinstance(told, np.ndarray)
                np.testing.assert_allclose(told, colour, atol=1e-6)


if __name__ == "__main__":
    unittest.main()
