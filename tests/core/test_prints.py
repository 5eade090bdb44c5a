"""Textures of a real size and prints: where they come to lie, against rulers of the tests' own."""

from __future__ import annotations

import unittest
from dataclasses import replace
from typing import Any

import numpy as np
import trimesh

from lithopos.core.errors import InputError
from lithopos.core.exchange.graphic import Graphic
from lithopos.core.geometry.model import Material, Model, Part, Texture
from lithopos.core.materials.dress import look_of
from lithopos.core.materials.kinds import KINDS
from lithopos.core.materials.textures import normals_of, read_cloth, shipped
from lithopos.core.shot import Placed
from lithopos.core.shot.surface import SHIPPED
from tests.core.rendering import box
from tests.core.test_materials import dress

RED_LEFT = Graphic(np.array([[[255, 0, 0, 255], [0, 0, 255, 255]]], np.uint8).repeat(2, 0).repeat(8, 0).repeat(16, 1))
GREY = Material("grey", np.full(3, 0.5, np.float32), 0.8)


def of_mesh(mesh: Any, material: Material = GREY) -> Model:
    """A model from a mesh of another library, smoothly shaded."""
    vertices, faces = np.asarray(mesh.vertices), np.asarray(mesh.faces, np.int64)
    part = Part("m", vertices, np.asarray(mesh.vertex_normals), np.zeros((len(vertices), 2)), faces, 0, None, True)
    return Model([part], [material])


def area(part: Part) -> float:
    corners = part.vertices[part.faces]
    return float(
        np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum() / 2
    )


def uv_at(part: Part, point: Any) -> Any:
    """A part's uv at a point that lies on it."""
    for face in part.faces:
        a, b, c = part.vertices[face]
        weights, *_ = np.linalg.lstsq(np.vstack([np.column_stack([a, b, c]), np.ones(3)]), [*point, 1], rcond=None)
        on = np.allclose(weights @ part.vertices[face], point, atol=1e-6)
        if on and (weights > -1e-6).all():
            return weights @ part.uv[face]
    raise AssertionError(f"{point} is not on the part")


class Textures(unittest.TestCase):
    def test_a_repeat_is_as_long_as_it_is_told_whatever_the_size(self) -> None:
        for scale in (1.0, 0.25):
            surface = {"kind": "wood", "texture": {"file": "shipped:oak", "repeat_mm": 240}}
            part = dress(box((1.0, 0.6, 0.4)), scale=scale, surfaces={"grey": surface}).parts[0]
            # The front (-y): u goes to the right, v down, as it is seen from outside.
            here, right, up = (uv_at(part, p) for p in ([0, -0.3, 0.1], [0.2, -0.3, 0.1], [0, -0.3, 0.3]))
            np.testing.assert_allclose(right - here, [0.2 * scale / 0.24, 0], atol=1e-6)
            np.testing.assert_allclose(up - here, [0, -0.2 * scale / 0.24], atol=1e-6)

    def test_turned_and_shifted_as_it_is_seen(self) -> None:
        laid = {"file": "shipped:oak", "repeat_mm": 1000, "turn_deg": 90}
        part = dress(box((1.0, 1.0, 1.0)), surfaces={"grey": {"kind": "wood", "texture": laid}}).parts[0]
        here, up = uv_at(part, [0, -0.5, 0.5]), uv_at(part, [0, -0.5, 0.6])
        # Turned anticlockwise by a right angle, the picture's right is where up was.
        np.testing.assert_allclose(up - here, [0.1, 0], atol=1e-6)
        straight = dress(box((1.0, 1.0, 1.0)), surfaces={"grey": {"kind": "wood", "texture": {**laid, "turn_deg": 0}}})
        moved = {**laid, "turn_deg": 0, "shift_mm": [100, 50]}
        shifted = dress(box((1.0, 1.0, 1.0)), surfaces={"grey": {"kind": "wood", "texture": moved}})
        # What was at a point lies 100 mm to the right and 50 mm higher now.
        before, now = uv_at(straight.parts[0], [0, -0.5, 0.5]), uv_at(shifted.parts[0], [0.1, -0.5, 0.55])
        np.testing.assert_allclose(now, before, atol=1e-6)

    def test_the_uv_of_a_model_are_taken_for_metres_by_its_area(self) -> None:
        sheet = np.array([[0, 0, 0], [2, 0, 0], [2, 2, 0], [0, 2, 0]], float)
        uv = np.array([[0.0, 1], [0.5, 1], [0.5, 0.5], [0, 0.5]])
        part = Part("s", sheet, np.tile([0.0, 0, 1], (4, 1)), uv, np.array([[0, 1, 2], [0, 2, 3]]), 0)
        laid = {"file": "shipped:linen", "repeat_mm": 500, "lay": "uv"}
        made = dress(Model([part], [GREY]), surfaces={"grey": {"kind": "cloth", "texture": laid}}).parts[0]
        np.testing.assert_allclose(uv_at(made, [1, 0, 0]) - uv_at(made, [0, 0, 0]), [2, 0], atol=1e-9)

    def test_a_chosen_colour_is_a_textures_mean(self) -> None:
        chosen = {"kind": "wood", "colour": [0.1, 0.1, 0.1], "texture": {"file": "shipped:oak"}}
        colour = dress(box((1, 1, 1)), surfaces={"grey": chosen}).materials[0].base_colour
        assert isinstance(colour, Texture)
        np.testing.assert_allclose(colour.values.mean((0, 1)), 0.1, rtol=0.02)

    def test_those_that_ship_are_seamless_and_suit_kinds_that_there_are(self) -> None:
        self.assertGreaterEqual(len(shipped()), 12)
        for name, one in shipped().items():
            with self.subTest(name=name):
                self.assertLessEqual(set(one.kinds), set(KINDS))
                cloth = read_cloth(SHIPPED + name, lambda *_: self.fail("asked for a file"))
                assert cloth.normal is not None
                for values in (cloth.colour, cloth.normal):
                    for axis in (0, 1):
                        seam = np.abs(values.take(0, axis) - values.take(-1, axis)).mean()
                        inside = np.abs(np.diff(values, axis=axis)).mean()
                        self.assertLess(seam, 2.5 * inside + 0.004)
        with self.assertRaisesRegex(InputError, "does not ship"):
            dress(box((1, 1, 1)), surfaces={"grey": {"kind": "wood", "texture": {"file": "shipped:ebony"}}})

    def test_a_relief_leans_away_from_what_rises(self) -> None:
        # A slope of one in one to the right leans to the left by 45°; one down the picture leans up.
        ramp = np.tile(np.arange(8, dtype=np.float32), (8, 1))
        for height, expected in ((ramp, [-1, 0, 1]), (ramp.T, [0, 1, 1])):
            normal = normals_of(np.ascontiguousarray(height), 8.0, wraps=False)[4, 4] * 2 - 1
            np.testing.assert_allclose(normal, np.array(expected) / np.sqrt(2), atol=1e-6)

    def test_figures_that_a_kind_has_not_are_refused_by_name(self) -> None:
        for parameters, cause in (({"shine": 1.0}, "has no 'shine'"), ({"gloss": 3.0}, "goes from 0 to 1")):
            with self.assertRaisesRegex(InputError, cause):
                dress(box((1, 1, 1)), surfaces={"grey": {"kind": "paint", "parameters": parameters}})


class Patches(unittest.TestCase):
    def patch(self, model: Model, **told: Any) -> tuple[Model, Part]:
        one = {"file": "g.png", "width_mm": 200, **told}
        made = dress(model, {"g.png": RED_LEFT}, told.pop("scale", 1.0), prints={"p": one})
        return made, made.parts[-1]

    def test_a_patch_is_as_large_as_told_where_it_was_put_and_the_rest_stays(self) -> None:
        plain = box((1.0, 0.6, 0.4))
        made, patch = self.patch(plain, at=[0.1, -0.3, 0.2], facing=[0, -1, 0])
        low, high = patch.vertices.min(0), patch.vertices.max(0)
        np.testing.assert_allclose([low, high], [[0, -0.3, 0.15], [0.2, -0.3, 0.25]], atol=1e-9)
        self.assertAlmostEqual(sum(area(part) for part in made.parts), area(plain.parts[0]), places=9)
        np.testing.assert_allclose(uv_at(patch, [0.05, -0.3, 0.2]), [0.25, 0.5], atol=1e-9)
        np.testing.assert_allclose(uv_at(patch, [0.1, -0.3, 0.225]), [0.5, 0.25], atol=1e-9)
        colour = made.materials[patch.material].base_colour
        assert isinstance(colour, Texture)
        np.testing.assert_allclose(colour.values[0, [0, -1]], [[1, 0, 0], [0, 0, 1]], atol=1e-6)

    def test_mirrored_and_turned_as_it_is_seen(self) -> None:
        place: dict[str, Any] = {"at": [0.1, -0.3, 0.2], "facing": [0, -1, 0]}
        _, mirrored = self.patch(box((1.0, 0.6, 0.4)), **place, mirrored=True)
        np.testing.assert_allclose(uv_at(mirrored, [0.05, -0.3, 0.2]), [0.75, 0.5], atol=1e-9)
        _, turned = self.patch(box((1.0, 0.6, 0.4)), **place, turn_deg=90)
        # Anticlockwise: the picture's right end stands up now.
        np.testing.assert_allclose(uv_at(turned, [0.1, -0.3, 0.25]), [0.75, 0.5], atol=1e-9)

    def test_it_follows_a_barrel_without_being_smeared(self) -> None:
        # Round a barrel of 0.2 m radius a print of 200 mm goes through one radian.
        barrel = of_mesh(trimesh.creation.cylinder(0.2, 0.6, sections=64).subdivide())
        _, patch = self.patch(barrel, at=[0, -0.2, 0.05], facing=[0, -1, 0])
        angles = np.arctan2(patch.vertices[:, 0], -patch.vertices[:, 1])
        np.testing.assert_allclose([angles.min(), angles.max()], [-0.5, 0.5], atol=0.01)
        np.testing.assert_allclose(patch.vertices[:, 2].min(), 0, atol=0.004)
        np.testing.assert_allclose(patch.uv[:, 0], 0.5 + angles, atol=0.02)

    def test_it_wraps_round_a_ball_evenly_near_its_middle(self) -> None:
        ball = of_mesh(trimesh.creation.icosphere(5, 0.5))
        _, patch = self.patch(ball, at=[0, -0.5, 0], facing=[0, -1, 0])
        distance = np.linalg.norm((patch.uv - 0.5) * [0.2, 0.1], axis=1)
        along = 0.5 * np.arccos(np.clip(-patch.vertices[:, 1] / np.linalg.norm(patch.vertices, axis=1), -1, 1))
        np.testing.assert_allclose(distance, along, atol=0.002)

    def test_alpha_lets_the_pattern_below_through_where_it_lies(self) -> None:
        codes = np.full((8, 16, 4), 255, np.uint8)
        codes[:, 8:, 3] = 0
        oak = {"kind": "wood", "texture": {"file": "shipped:oak", "repeat_mm": 500}}
        one = {"file": "g.png", "width_mm": 200, "at": [0.1, -0.3, 0.2], "facing": [0, -1, 0], "gloss": 0.9}
        told: dict[str, Any] = {"surfaces": {"grey": oak}, "prints": {"p": one}}
        made = dress(box((1.0, 0.6, 0.4)), {"g.png": Graphic(codes)}, **told)
        patch = made.parts[-1]
        mixed = made.materials[patch.material]
        assert isinstance(mixed.base_colour, Texture) and isinstance(mixed.roughness, Texture)
        values = mixed.base_colour.values
        np.testing.assert_allclose(values[:, : values.shape[1] // 3], 1, atol=1e-6)
        self.assertLess(float(mixed.roughness.values[0, 0]), 0.2)
        # The clear half shows the oak that was there before, to the grain.
        before = dress(box((1.0, 0.6, 0.4)), surfaces={"grey": oak})
        grain = before.materials[0].base_colour
        assert isinstance(grain, Texture)
        for u, v in ((0.7, 0.3), (0.9, 0.8)):
            point = [0.2 * u, -0.3, 0.25 - 0.1 * v]
            at = np.mod(uv_at(before.parts[0], point), 1) * grain.values.shape[:2]
            row, column = int(at[1]), int(at[0])
            around = grain.values[max(row - 2, 0) : row + 3, max(column - 2, 0) : column + 3].reshape(-1, 3)
            seen = values[int(v * values.shape[0]), int(u * values.shape[1])]
            self.assertTrue((seen > around.min(0) - 0.02).all() and (seen < around.max(0) + 0.02).all())

    def test_prints_lie_over_one_another_in_their_order(self) -> None:
        green = Graphic(np.full((8, 8, 4), [0, 255, 0, 255], np.uint8))
        place: dict[str, Any] = {"at": [0, -0.3, 0.2], "facing": [0, -1, 0]}
        below = {"file": "r.png", "width_mm": 300, **place, "above": 0}
        over = {"file": "g.png", "width_mm": 60, **place, "above": 1}
        for order in ({"a": below, "b": over}, {"b": over, "a": below}):
            made = dress(box((1.0, 0.6, 0.4)), {"r.png": RED_LEFT, "g.png": green}, prints=order)
            patches = [part for part in made.parts if part.material > 0]
            small = made.parts[-1]
            self.assertAlmostEqual(area(small), 0.06**2, places=9)
            self.assertAlmostEqual(sum(area(part) for part in patches), 0.3 * 0.15, places=9)
            colour = made.materials[small.material].base_colour
            assert isinstance(colour, Texture)
            np.testing.assert_allclose(colour.values[4, 4], [0, 1, 0], atol=1e-6)

    def test_a_patch_over_a_print_that_repeats_leaves_that_its_size(self) -> None:
        """Through a patch's clear half the stripes below go on where they were before."""
        stripes = np.full((4, 4, 4), 255, np.uint8)
        stripes[:, :2, :3] = 0
        clear = np.full((8, 8, 4), [0, 255, 0, 255], np.uint8)
        clear[:, 4:, 3] = 0
        below = {"file": "s.png", "lay": "all over", "width_mm": 40, "above": 0}
        over = {"file": "c.png", "width_mm": 200, "at": [0, -0.3, 0.2], "facing": [0, -1, 0], "above": 1}
        graphics = {"s.png": Graphic(stripes), "c.png": Graphic(clear)}
        before = dress(box((1.0, 0.6, 0.4)), graphics, prints={"a": below}).parts[0]
        made = dress(box((1.0, 0.6, 0.4)), graphics, prints={"a": below, "b": over})
        mixed = made.materials[made.parts[-1].material]
        self.assertIsNone(mixed.under)
        assert isinstance(mixed.base_colour, Texture)
        values = mixed.base_colour.values
        row = values[values.shape[0] // 2]
        np.testing.assert_allclose(row[: len(row) // 3], np.tile([0, 1, 0], (len(row) // 3, 1)), atol=1e-6)
        for share in (0.55, 0.62, 0.71, 0.83, 0.94):
            u = float(uv_at(before, [-0.1 + 0.2 * share, -0.3, 0.2])[0]) % 1
            if min(abs(u - edge) for edge in (0, 0.5, 1)) > 0.15:
                self.assertAlmostEqual(float(row[int(share * len(row)), 0]), float(u > 0.5), delta=0.05)

    def test_what_is_cut_out_below_a_print_stays_cut_out_beside_its_graphic(self) -> None:
        holes = Texture(np.array([[1.0, 0.0]], np.float32), ((10.0, 0, 0), (0, 10.0, 0)), smooth=False)
        net = Material("grey", np.full(3, 0.5, np.float32), 0.8, opacity=holes)
        clear = np.full((8, 8, 4), 255, np.uint8)
        clear[:, 4:, 3] = 0
        came = box((1.0, 0.6, 0.4)).parts[0]
        flat = replace(came, uv=came.vertices[:, [0, 2]])
        one = {"file": "c.png", "width_mm": 200, "at": [0, -0.3, 0.2], "facing": [0, -1, 0]}
        made = dress(Model([flat], [net]), {"c.png": Graphic(clear)}, prints={"p": one})
        opacity = made.materials[made.parts[-1].material].opacity
        assert isinstance(opacity, Texture)
        third = opacity.values.shape[1] // 3
        np.testing.assert_allclose(opacity.values[:, :third], 1)
        # Its last third goes from a third of the net's mesh to its end, and half a mesh is there.
        self.assertAlmostEqual(float(opacity.values[:, 2 * third :].mean()), 0.25, delta=0.02)

    def test_a_look_is_the_same_however_a_thing_stands_and_lies(self) -> None:
        told: dict[str, Any] = {"id": "m", "file": "m.glb", "surfaces": {"grey": {"kind": "matte"}}}
        here = Placed.model_validate(told)
        there = {
            "position_m": [4, 5, 6],
            "turn_deg": 30,
            "pose": [0.7, 0.7, 0, 0],
            "lean_deg": 9,
            "name": "x",
            "hidden": True,
        }
        self.assertEqual(look_of(here), look_of(Placed.model_validate({**told, **there})))
        self.assertNotEqual(look_of(here), look_of(Placed.model_validate({**told, "size": 2.0})))

    def test_all_over_repeats_in_its_size_and_keeps_what_is_below_where_it_is_clear(self) -> None:
        one = {"file": "g.png", "lay": "all over", "width_mm": 100, "mirrored": True}
        made = dress(box((1.0, 0.6, 0.4)), {"g.png": RED_LEFT}, prints={"p": one})
        part = made.parts[0]
        step = uv_at(part, [0.1, -0.3, 0.2]) - uv_at(part, [0, -0.3, 0.2])
        np.testing.assert_allclose(step, [-1, 0], atol=1e-9)
        under = made.materials[part.material].under
        assert under is not None
        np.testing.assert_allclose(np.asarray(under.base_colour), 0.5)


if __name__ == "__main__":
    unittest.main()
