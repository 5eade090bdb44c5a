"""Materials as the renderer takes them, against closed forms of the tests' own."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from lithopos.core.exchange.graphic import Graphic
from lithopos.core.geometry.model import Material, Model, Part, Texture
from lithopos.core.light.dome import directions
from lithopos.core.light.near import Ball
from lithopos.core.materials.dress import dressed
from lithopos.core.materials.kinds import KINDS
from lithopos.core.reading.ask import ask_reader
from lithopos.core.reading.questions import DRESSED, ask_swatches
from lithopos.core.render.scene import Environment, Scene, StoodModel
from lithopos.core.shot import Placed
from tests.core.rendering import box, tracer
from tests.core.test_render import STANDING, scene_of

HEIGHT_M = 0.5
WHITE = np.ones((16, 32, 3), np.float32)


def tile(material: Material, colours: Any = None) -> Model:
    """A level square of a metre about the origin, its u along x and its v, which runs down a picture, along −y."""
    corners = np.array([[-0.5, 0.5, 0], [0.5, 0.5, 0], [0.5, -0.5, 0], [-0.5, -0.5, 0]])
    uv = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])
    part = Part("tile", corners, np.tile([0.0, 0, 1], (4, 1)), uv, np.array([[0, 2, 1], [0, 3, 2]]), 0, colours)
    return Model([part], [material])


def dress(model: Model, graphics: Any = None, scale: float = 1.0, **told: Any) -> Model:
    """A model dressed as a shot tells."""
    placed = Placed.model_validate({"id": "m", "file": "m.glb", **told})
    return dressed(model, placed, np.eye(3), scale, lambda name, _: graphics[name])


def scene(model: Model, lights: Any = None) -> Scene:
    """The model alone over nothing, as the sample's camera sees it."""
    made = scene_of(model)
    matrix = np.eye(4)
    matrix[:3, 3] = [0.5, -1.0, HEIGHT_M]
    stood = StoodModel("tile", model, matrix)
    return replace(made, models=(stood,), receivers=made.receivers, lights=lights or made.lights, place_key="")


def pixels_of(made: Scene, points: Any) -> Any:
    matrix = made.models[0].matrix
    spots = np.column_stack([np.array(points, float), np.zeros(len(points))]) @ matrix[:3, :3].T + matrix[:3, 3]
    return np.floor(made.camera.project(spots)).astype(np.int32)


class Materials(unittest.TestCase):
    def albedo(self, model: Model, points: Any) -> Any:
        made = scene(model)
        engine = tracer()
        engine.show(made)
        hits = engine.first_hits(pixels_of(made, points), 0, 8, 1)
        np.testing.assert_allclose(hits["coverage"], 16, atol=1e-3)
        return hits["albedo"] / 16

    def test_a_texture_lies_as_its_turn_says(self) -> None:
        # Rows run down the picture: red and green above, blue and white below.
        values = np.array([[[0.8, 0, 0], [0, 0.8, 0]], [[0, 0, 0.8], [0.8, 0.8, 0.8]]], np.float32)
        points = np.array([[-0.25, 0.25], [0.25, 0.25], [-0.25, -0.25], [0.25, -0.25]])
        quarter = ((0.0, 1.0, 0.0), (-1.0, 0.0, 1.0))
        for turn in (((1.0, 0, 0), (0, 1.0, 0)), quarter, ((1.0, 0, 0.5), (0, 1.0, 0))):
            with self.subTest(turn=turn):
                material = Material("m", Texture(values, turn, smooth=False), 1.0)
                seen = self.albedo(tile(material), points)
                uv = np.column_stack([points[:, 0] + 0.5, 0.5 - points[:, 1], np.ones(4)]) @ np.array(turn).T
                column, row = np.floor(np.mod(uv, 1) * 2).astype(int).T
                np.testing.assert_allclose(seen, values[row, column], atol=0.02)

    def test_painted_vertices_and_missing_pictures_are_seen(self) -> None:
        white = Material("m", np.ones(3, np.float32), 1.0)
        painted = np.tile(np.array([0.2, 0.4, 0.6], np.float32), (4, 1))
        np.testing.assert_allclose(self.albedo(tile(white, painted), [[0.1, 0.1]]), [[0.2, 0.4, 0.6]], atol=0.01)
        half = replace(white, base_colour=np.full(3, 0.5, np.float32))
        np.testing.assert_allclose(self.albedo(tile(half, painted), [[0.1, 0.1]]), [[0.1, 0.2, 0.3]], atol=0.01)
        lacking = replace(white, missing=("gone.png",))
        seen = self.albedo(tile(lacking), [[x, 0.03] for x in np.linspace(-0.4, 0.4, 9)])
        self.assertGreater(float(np.ptp(seen[:, 1])), 0.2)  # stripes, not a grey

    def test_what_shines_is_as_bright_as_white_paint_in_full_light(self) -> None:
        # Under an even white sky white paint has the sky's own radiance, and so has what shines with 1.
        glowing = Material("m", np.zeros(3, np.float32), 1.0, emission=np.array([1, 0.5, 2], np.float32))
        unlit = Material("m", np.array([0.3, 0.6, 0.9], np.float32), unlit=True)
        for material, expected in ((glowing, [1, 0.5, 2]), (unlit, [0.3, 0.6, 0.9])):
            made = scene(tile(material), (Environment(WHITE),))
            engine = tracer()
            engine.show(made)
            light = engine.radiance("with", pixels_of(made, [[0.0, 0.0]]), 0, 256, 1).sum(1)[0] / 512
            np.testing.assert_allclose(light, expected, rtol=0.04, atol=0.04)

    def test_surfaces_by_kind_against_closed_forms_under_an_even_sky(self) -> None:
        came = Material("seat", np.array([0.1, 0.9, 0.1], np.float32), 0.5)
        engine = tracer()

        def seen(surface: dict[str, Any], receivers: bool = True) -> Any:
            made = scene(dress(tile(came), surfaces={"seat": surface}), (Environment(WHITE),))
            engine.show(made if receivers else replace(made, receivers=()))
            return engine.radiance("with", pixels_of(made, [[0.0, 0.0]]), 0, 512, 1).sum(1)[0] / 1024

        # Under an even sky of 1 a diffuse surface shows its reflectance, and a white one is lost in the sky.
        np.testing.assert_allclose(seen({"kind": "matte", "colour": [1, 1, 1]}, False), 1, atol=0.01)
        np.testing.assert_allclose(seen({"kind": "matte", "colour": [0.2, 0.4, 0.6]}), [0.2, 0.4, 0.6], atol=0.02)
        # A polished metal has its colour where it is seen steeply, and more of white the flatter (Schlick 1994).
        eye = scene(tile(came)).camera.position - scene(tile(came)).models[0].matrix[:3, 3]
        cosine = float(eye[2] / np.linalg.norm(eye))
        gold = np.array([0.9, 0.7, 0.3])
        mirror = {"kind": "metal", "colour": gold.tolist(), "parameters": {"polish": 1.0}}
        np.testing.assert_allclose(seen(mirror), gold + (1 - gold) * (1 - cosine) ** 5, atol=0.03)
        # Clear glass in an even light is not seen at all; a tinted pane keeps its tint of what is not mirrored.
        clear = {"kind": "glass", "colour": [1, 1, 1], "parameters": {"thickness_mm": 8.0}}
        np.testing.assert_allclose(seen(clear, False), 1, atol=0.01)
        green = np.array([0.5, 0.9, 0.6])
        mirrored = _pane(cosine, 1.52)
        tinted = {"kind": "glass", "colour": green.tolist()}
        np.testing.assert_allclose(seen(tinted, False), mirrored + (1 - mirrored) * green, atol=0.02)

    def test_no_kind_loses_or_makes_light(self) -> None:
        """A white furnace: under an even sky of 1 all about it, whatever is white is not seen at all."""
        came = Material("seat", np.full(3, 0.5, np.float32), 0.5)
        engine = tracer()
        spots = [[x, y] for x in np.linspace(-0.4, 0.4, 5) for y in np.linspace(-0.4, 0.4, 5)]
        cases: list[tuple[str, dict[str, float]]] = [(kind, {}) for kind in KINDS]
        cases += [
            ("metal", {"polish": 0.2}),
            ("paint", {"gloss": 0.1}),
            ("wax", {"gloss": 0.0}),
            ("wax", {"gloss": 0.9}),
        ]
        cases += [("metallic paint", {"flake": 1.0}), ("metallic paint", {"gloss": 0.3})]
        for kind, parameters in cases:
            with self.subTest(kind=kind, parameters=parameters):
                surface = {"kind": kind, "colour": [1, 1, 1], "parameters": parameters}
                made = replace(
                    scene(dress(tile(came), surfaces={"seat": surface}), (Environment(WHITE),)), receivers=()
                )
                engine.show(made)
                light = engine.radiance("with", pixels_of(made, spots), 0, 128, 1).sum(1) / 256
                np.testing.assert_allclose(light.mean(), 1, atol=0.01)

    def test_wax_lets_through_its_share_of_what_it_does_not_mirror(self) -> None:
        """Lit from beneath alone it shows from above t (1 - E), E being what it mirrors towards the eye."""
        came = Material("seat", np.full(3, 0.5, np.float32), 0.5)
        beneath = np.concatenate([np.zeros((8, 32, 3)), np.ones((8, 32, 3))]).astype(np.float32)
        engine, shown = tracer(), {}
        for share in (0.0, 0.3, 0.9):
            told = {"translucent": share, "gloss": 1.0}
            dressed = dress(tile(came), surfaces={"seat": {"kind": "wax", "colour": [1, 1, 1], "parameters": told}})
            made = replace(scene(dressed, (Environment(beneath),)), receivers=())
            engine.show(made)
            shown[share] = engine.radiance("with", pixels_of(made, [[0.0, 0.0]]), 0, 512, 1).sum(1)[0].mean() / 1024
        eye = made.camera.position - made.models[0].matrix[:3, 3]
        cosine = float(eye[2] / np.linalg.norm(eye))
        at_right_angles = (0.44 / 2.44) ** 2
        mirrored = at_right_angles + (1 - at_right_angles) * (1 - cosine) ** 5  # polished: Schlick 1994
        for share, light in shown.items():
            np.testing.assert_allclose(light, share * (1 - mirrored), atol=0.015)

    def test_brushed_metal_spreads_light_across_the_brushing(self) -> None:
        """A narrow light mirrored by brushed metal is drawn out square to the grooves (Ward 1992)."""
        engine = tracer()
        spread = {}
        for turn in (0.0, 90.0):
            surface = {"kind": "metal", "parameters": {"polish": 0.6, "brushed": 1.0, "brush_turn_deg": turn}}
            came = Material("seat", np.full(3, 0.5, np.float32), 0.5)
            made = scene(dress(tile(came), surfaces={"seat": surface}))
            eye = made.camera.position - made.models[0].matrix[:3, 3]
            mirrored = eye / np.linalg.norm(eye) * [-1, -1, 1]
            spot = Ball(made.models[0].matrix[:3, 3] + 2.0 * mirrored, 0.05, np.full(3, 60, np.float32))
            made = replace(made, lights=(spot,), receivers=())
            engine.show(made)
            grid = np.linspace(-0.45, 0.45, 19)
            points = np.array([[x, y] for x in grid for y in grid])
            light = engine.radiance("with", pixels_of(made, points), 0, 64, 1).sum((1, 2))
            share = light / light.sum()
            spread[turn] = np.sqrt((share[:, None] * points**2).sum(0) - (share[:, None] * points).sum(0) ** 2)
        # Grooves along x leave the light short along x and long along y; turned by a right angle the other way.
        self.assertLess(spread[0.0][0] / spread[0.0][1], 0.85 * spread[90.0][0] / spread[90.0][1])

    def test_a_slab_of_glass_shifts_what_is_behind_it(self) -> None:
        """A solid slab of thickness t shifts the sight sideways by t sin θ (1 - cos θ / (n cos θ')) (Snell)."""
        t, n = 0.2, 1.52
        slab = replace(box((1.0, 1.0, t)).parts[0], closed=True)
        fields = np.where(np.random.default_rng(5).random((160, 160, 1)) > 0.5, 0.9, 0.05) * np.ones(3)
        stripes = Texture(fields.astype(np.float32), smooth=False)
        clear = {"kind": "glass", "colour": [1, 1, 1]}
        model = dress(Model([slab], [Material("slab", np.full(3, 0.5, np.float32), 0.5)]), surfaces={"slab": clear})
        floor = replace(tile(Material("floor", stripes, 1.0, specular=0.0)).parts[0], material=1)
        floor = replace(floor, vertices=floor.vertices * 8 - [0, 0, 0.3])
        both = Model([*model.parts, floor], [*model.materials, Material("floor", stripes, 1.0, specular=0.0)])
        bare = Model([replace(floor, material=0)], [Material("floor", stripes, 1.0, specular=0.0)])
        engine = tracer()

        def bright(model: Model, points: Any) -> Any:
            made = replace(scene(model, (Environment(WHITE),)), receivers=())
            engine.show(made)
            return engine.radiance("with", np.floor(made.camera.project(points)).astype(np.int32), 0, 128, 1).sum(
                (1, 2)
            )

        made = scene(model)
        origin, eye = made.models[0].matrix[:3, 3], made.camera.position
        shares = (0.0, 0.7, 0.85, 1.0, 1.15, 1.3)
        tops, spots = [], {share: list[Any]() for share in shares}
        for x, y in np.stack(np.meshgrid(np.linspace(-0.3, 0.3, 9), np.linspace(-0.4, 0.1, 41)), -1).reshape(-1, 2):
            # A sight that enters the slab's top here, and where it would meet the floor shifted by a share of that.
            top = origin + [x, y, t]
            way = (top - eye) / np.linalg.norm(top - eye)
            cosine = -way[2]
            sideways = way[:2] / np.linalg.norm(way[:2])
            inner = np.sqrt(1 - (1 - cosine**2) / n**2)
            lag = t * (np.sqrt(1 - cosine**2) / cosine - np.sqrt(1 - inner**2) / inner)
            hit = top + way * ((origin[2] - 0.3 - top[2]) / way[2])
            tops.append(top)
            for share in shares:
                spots[share].append(hit - np.array([*sideways, 0]) * lag * share)
        seen = bright(both, np.array(tops))
        alike = {share: float(np.corrcoef(seen, bright(bare, np.array(spots[share])))[0, 1]) for share in shares}
        others = max(alike[share] for share in shares if share != 1.0)
        self.assertGreater(alike[1.0], others + 0.15, alike)

    def test_a_body_of_glass_takes_light_by_the_way_through_it(self) -> None:
        """Under an even sky of 1 a slab shows F + (1 - F)² a / (1 - F a), a being left after its slanting way."""
        green = np.array([0.5, 0.9, 0.6])
        surface = {"kind": "glass", "colour": green.tolist(), "parameters": {"thickness_mm": 50.0}}
        engine = tracer()
        for t in (0.05, 0.15):
            part = replace(box((1.0, 1.0, t)).parts[0], closed=True)
            came = Model([part], [Material("slab", np.full(3, 0.5, np.float32), 0.5)])
            made = scene(dress(came, surfaces={"slab": surface}), (Environment(WHITE),))
            made = replace(made, receivers=())
            engine.show(made)
            top = made.models[0].matrix[:3, 3] + [0, 0, t]
            pixel = np.floor(made.camera.project(top[None])).astype(np.int32)
            cosine = float(-made.camera.rays(pixel + 0.5)[0, 2])  # flat: what is mirrored changes fast with it
            inner = np.sqrt(1 - (1 - cosine**2) / 1.52**2)
            left = green ** (t / 0.05 / inner)
            lost = _fresnel(cosine, 1.52)
            light = engine.radiance("with", pixel, 0, 8192, 1).sum(1)[0] / 16384
            with self.subTest(thick=t):
                np.testing.assert_allclose(light, lost + (1 - lost) ** 2 * left / (1 - lost * left), rtol=0.02)

    def test_a_prints_edge_lies_where_its_alpha_ends(self) -> None:
        """On glass too, where a print is a surface of its own over another."""
        codes = np.full((32, 32, 4), [255, 0, 0, 255], np.uint8)
        codes[:, 16:, 3] = 0
        print_ = {"file": "g.png", "width_mm": 400, "at": [0, 0, 0], "facing": [0, 0, 1], "gloss": 0.0}
        for kind in ("matte", "glass"):
            with self.subTest(kind=kind):
                came = tile(Material("seat", np.full(3, 0.5, np.float32), 1.0, specular=0.0))
                surface = {"kind": kind, "colour": [0.9, 0.9, 0.9]}
                made = scene(dress(came, {"g.png": Graphic(codes)}, surfaces={"seat": surface}, prints={"p": print_}))
                engine = tracer()
                engine.show(replace(made, lights=(Environment(WHITE),), receivers=()))
                places = [[-0.03, 0.0], [0.03, 0.0], [-0.15, 0.1], [-0.25, 0.0]]
                light = engine.radiance("with", pixels_of(made, places), 0, 256, 1).sum(1) / 512
                blue = light[:, 2]
                self.assertLess(max(blue[0], blue[2]), 0.2)
                self.assertGreater(min(blue[1], blue[3]), 0.75)

    def test_a_surface_changes_its_own_material_alone_and_what_is_traced(self) -> None:
        changes = {"surfaces": {"bronze": {"kind": "paint", "colour": [0.5, 0.02, 0.02]}}}
        plain, red = scene_of(models=[STANDING]), scene_of(models=[{**STANDING, **changes}])
        self.assertNotEqual(plain.things_key, red.things_key)
        named = {material.name: material for material in red.models[0].model.materials}
        np.testing.assert_allclose(np.asarray(named["bronze"].base_colour), [0.5, 0.02, 0.02])
        self.assertEqual(named["pale stone"].name, plain.models[0].model.materials[0].name)

    def test_thin_glass_lets_through_what_fresnel_leaves(self) -> None:
        # At the angle θ a thin pane mirrors 2R / (1 + R) of unpolarised light (both sides, all bounces between).
        pane = Material("m", np.ones(3, np.float32), 0.0, transmission=1.0)
        black = np.zeros((64, 128, 3), np.float32)
        black[:32] = 1.0  # light from above alone: all that is seen is mirrored
        made = scene(tile(pane), (Environment(black),))
        made = replace(made, receivers=())
        engine = tracer()
        engine.show(made)
        pixel = pixels_of(made, [[0.0, 0.0]])
        light = engine.radiance("with", pixel, 0, 1024, 1).sum(1)[0] / 2048
        eye = made.camera.position - made.models[0].matrix[:3, 3]
        cosine = eye[2] / np.linalg.norm(eye)
        np.testing.assert_allclose(light, np.full(3, _pane(cosine)), rtol=0.05)

    def test_frosted_panes_spread_what_lies_behind_and_keep_its_light(self) -> None:
        engine = tracer()
        ways, _ = directions(256)
        clear = Material("m", np.ones(3, np.float32), 0.0, transmission=1.0)
        upright = np.eye(4)
        upright[:3, :3] = [[1, 0, 0], [0, 0, -1], [0, 1, 0]]
        shown = scene(tile(clear))
        look = shown.camera.rays(pixels_of(shown, [[0.0, 0.0]]) + 0.5)[0]
        behind = ways @ look > np.cos(np.radians(6))

        def seen(pane: Material, around: Any) -> float:
            lying = scene(tile(pane), (Environment(around),))
            stood = replace(lying.models[0], matrix=lying.models[0].matrix @ upright)
            made = replace(lying, models=(stood,), receivers=())
            engine.show(made)
            return float(engine.radiance("with", pixels_of(made, [[0.0, 0.0]]), 0, 1024, 1).sum(1)[0].mean() / 2048)

        disc = np.where(behind[..., None], 5.0, 0.0) * np.ones(3, np.float32)
        through = [seen(replace(clear, roughness=rough), disc.astype(np.float32)) for rough in (0.0, 0.35, 0.6)]
        self.assertGreater(through[0], 1.5 * through[1], through)
        self.assertGreater(through[1], 2 * through[2], through)
        self.assertGreater(through[2], 0.01)
        for rough, most in ((0.3, 0.05), (0.6, 0.12)):
            self.assertAlmostEqual(seen(replace(clear, roughness=rough), WHITE), 1, delta=most)


def _pane(cosine: float, ior: float = 1.5) -> float:
    """What both sides of a pane mirror, with all bounces between them."""
    single = _fresnel(cosine, ior)
    return 2 * single / (1 + single)


def _fresnel(cosine: float, ior: float) -> float:
    """What one side mirrors of unpolarised light: Fresnel's equations (Born and Wolf, section 1.5.2)."""
    inner = np.sqrt(1 - (1 - cosine**2) / ior**2)
    across = ((cosine - ior * inner) / (cosine + ior * inner)) ** 2
    along = ((ior * cosine - inner) / (ior * cosine + inner)) ** 2
    return float((across + along) / 2)


class Recognised(unittest.TestCase):
    def test_surfaces_written_as_gltf_come_back_with_their_figures_and_real_size(self) -> None:
        surfaces: dict[str, Any] = {
            "a": {"kind": "paint", "colour": (0.5, 0.1, 0.2), "parameters": {"gloss": 0.7}},
            "b": {"kind": "metal", "colour": (0.9, 0.6, 0.3), "parameters": {"polish": 0.4, "brushed": 0.5}},
            "c": {"kind": "glass", "colour": (0.8, 0.9, 0.85), "parameters": {"thickness_mm": 12.0, "frost": 0.2}},
            "d": {"kind": "matte", "colour": (0.3, 0.3, 0.3), "parameters": {}},
            "e": {"kind": "metallic paint", "colour": (0.1, 0.2, 0.4), "parameters": {"flake": 0.6, "gloss": 0.8}},
            "f": {"kind": "wood", "texture": {"file": "shipped:oak", "repeat_mm": 250.0}},
        }
        placed = Placed.model_validate({"id": "m", "file": "m.glb", "surfaces": surfaces})
        with tempfile.TemporaryDirectory() as folder:
            ask_swatches(placed, [], lambda _: (Path(), Path()), Path(folder))
            told = ask_reader("surfaces", Path(folder) / DRESSED)
        for name, wanted in surfaces.items():
            found = told["surfaces"][name]
            self.assertEqual(found["kind"], wanted["kind"])
            for figure, value in wanted.get("parameters", {}).items():
                self.assertAlmostEqual(found["parameters"][figure], value, delta=0.02, msg=f"{name} {figure}")
            if "colour" in wanted:
                np.testing.assert_allclose(found["colour"], wanted["colour"], atol=0.02)
        laid = told["surfaces"]["f"]["texture"]
        self.assertAlmostEqual(laid["repeat_mm"], 250, delta=2)
        self.assertIn(laid["file"], told["pictures"])


if __name__ == "__main__":
    unittest.main()
