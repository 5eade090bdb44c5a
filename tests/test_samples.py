"""The sample program: it makes the committed truth again, and its photographs agree with it."""

from __future__ import annotations

import json
import unittest

import cv2
import numpy as np
from proving.real import product

from lithopos.core.exchange.panorama import read_panorama
from lithopos.core.geometry.model import Texture
from lithopos.core.light.dome import dome_of
from lithopos.samples.court import COURT, court
from lithopos.samples.make import load_renderer_quietly
from lithopos.samples.models import MODELS
from lithopos.samples.photograph import Studio, truth_of
from lithopos.samples.places import PLACES
from tests.support import SAMPLES


class Samples(unittest.TestCase):
    def test_the_program_makes_the_committed_truth_again(self) -> None:
        made = [*((name, make, 1.0) for name, make in PLACES.items()), ("mason-court", COURT["mason-court"], 0.75)]
        for name, make, scale in made:
            with self.subTest(name):
                told = truth_of(Studio(load_renderer_quietly(), make(), scale), name)
                kept = json.loads((SAMPLES / f"{name}.json").read_text())
                self.assertEqual([edge["family"] for edge in told["edges"]], [edge["family"] for edge in kept["edges"]])
                for field in ("camera", "sun", "model", "image"):
                    self.assertEqual(json.loads(json.dumps(told[field])), kept[field])

    def test_their_panoramas_show_the_sun_where_it_is(self) -> None:
        for name in PLACES:
            dome = dome_of(read_panorama(SAMPLES / f"{name}.hdr").radiance)
            sun = json.loads((SAMPLES / f"{name}.json").read_text())["sun"]
            self.assertTrue(dome.sunny)
            self.assertLess(abs((dome.azimuth_deg - sun["azimuth_deg"] + 180) % 360 - 180), 1, name)
            self.assertLess(abs(dome.elevation_deg - sun["elevation_deg"]), 1, name)

    def test_a_product_is_photographed_with_the_stuff_that_its_file_has_there(self) -> None:
        """Rays of the test's own at the photographed product, beside the file's picture where they meet it."""
        mi, place = load_renderer_quietly(), court("onto the wall")
        studio = Studio(mi, place, 0.1, with_model=True)
        model = product(f"{place.model}.glb")
        part = max(model.parts, key=lambda one: np.ptp(one.vertices, axis=0).max())
        picture = model.materials[part.material].base_colour
        assert isinstance(picture, Texture)
        rng = np.random.default_rng(3)
        corners = part.faces[rng.integers(0, len(part.faces), 400)]
        shares = rng.dirichlet((1, 1, 1), 400)[..., None]
        at, ways, uv = ((shares * values[corners]).sum(1) for values in (part.vertices, part.normals, part.uv))
        turn = np.radians(place.model_turn_deg)
        rotation = np.array([[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
        at, ways = at @ rotation.T + place.model_at, ways @ rotation.T
        ray = mi.Ray3f(mi.Point3f((at + 0.001 * ways).T.astype(np.float32)), mi.Vector3f(-ways.T.astype(np.float32)))
        met = studio.scene.ray_intersect(ray)
        facing = mi.Vector3f(0, 0, 1)
        met.wi = facing
        shown = np.array(met.bsdf().eval(mi.BSDFContext(), met, facing))[1]
        rows, columns = picture.values.shape[:2]
        there = picture.values[(uv[:, 1] * rows).astype(int) % rows, (uv[:, 0] * columns).astype(int) % columns, 1]
        close = np.array(met.t) < 0.002
        self.assertGreater(int(close.sum()), 200)
        self.assertGreater(float(np.corrcoef(shown[close], there[close])[0, 1]), 0.95)

    def test_other_seeds_make_other_places(self) -> None:
        cameras = {PLACES["cloister-yard"](seed).camera for seed in (3, 4)}
        self.assertEqual(len(cameras), 2)

    def test_marked_joints_lie_on_edges_of_the_photograph(self) -> None:
        truth = json.loads((SAMPLES / "sea-terrace.json").read_text())
        grey = cv2.imread(str(SAMPLES / "sea-terrace.jpg"), cv2.IMREAD_GRAYSCALE)
        steep = cv2.morphologyEx(grey, cv2.MORPH_GRADIENT, np.ones((5, 5), np.uint8))
        on: list[float] = []
        beside: list[float] = []
        for edge in truth["edges"][:10]:
            ends = np.array(edge["points"])
            side = np.array([ends[0, 1] - ends[1, 1], ends[1, 0] - ends[0, 0]]) / np.linalg.norm(ends[1] - ends[0])
            for t in np.linspace(0.1, 0.9, 60):
                point = ends[0] + t * (ends[1] - ends[0])
                for found, shift in ((on, 0), (beside, 15)):
                    x, y = (point + side * shift).astype(int)
                    found.append(float(steep[np.clip(y, 0, 1349), np.clip(x, 0, 2399)]))
        self.assertGreater(np.median(on), 2 * np.median(beside))

    def test_products_are_closed_solids_facing_outwards(self) -> None:
        for name, make in MODELS.items():
            for part, mesh, _ in make().parts:
                a, b, c = (mesh.vertices[mesh.faces[:, i]] for i in range(3))
                self.assertGreater(np.einsum("ij,ij->i", a, np.cross(b, c)).sum(), 0, f"{name} {part}")


if __name__ == "__main__":
    unittest.main()
