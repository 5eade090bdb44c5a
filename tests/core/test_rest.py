"""How things come to rest, on many shapes: judged by outlines and half-spaces of the tests' own."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from typing import Any

import numpy as np
import trimesh
from scipy.spatial import ConvexHull

from lithopos.core.geometry.model import Model
from lithopos.core.shot import load_shot
from lithopos.core.standing.ask import RestAnswer, RestQuestion, rest
from lithopos.core.standing.placement import stands
from tests.core.rendering import box
from tests.core.test_prints import of_mesh

c = trimesh.creation


def _pushed(mesh: Any, by: tuple[float, float, float]) -> Any:
    mesh.apply_transform(np.array([[1, by[0], 0, 0], [0, 1, 0, 0], [by[1], 0, 1, by[2]], [0, 0, 0, 1.0]]))
    return mesh


def _together(*meshes: Any) -> Any:
    return trimesh.util.concatenate(list(meshes))


def _moved(mesh: Any, x: float, y: float, z: float) -> Any:
    mesh.apply_translation([x, y, z])
    return mesh


SHAPES: dict[str, Any] = {
    "cube": c.box((0.3, 0.3, 0.3)),
    "plank": c.box((0.05, 0.2, 1.8)),
    "slab": c.box((0.9, 0.6, 0.05)),
    "post": c.cylinder(0.06, 1.2),
    "disc": c.cylinder(0.4, 0.05),
    "drum": c.cylinder(0.3, 0.3),
    "cone": c.cone(0.25, 0.7),
    "ball": c.icosphere(3, 0.2),
    "capsule": c.capsule(0.6, 0.1),
    "ring": c.annulus(0.25, 0.4, 0.1),
    "torus": c.torus(0.3, 0.08),
    "leaning prism": _pushed(c.box((0.3, 0.3, 0.5)), (0.0, 0.4, 0.0)),
    "sheared": _pushed(c.box((0.4, 0.2, 0.6)), (0.5, 0.0, 0.2)),
    "tetrahedron": trimesh.convex.convex_hull(np.array([[0, 0, 0], [0.4, 0, 0], [0, 0.4, 0], [0, 0, 0.4]])),
    "wedge": trimesh.convex.convex_hull(
        np.array([[x, y, z] for y in (0, 0.3) for x, z in ((0, 0), (0.5, 0), (0, 0.4))])
    ),
    "table": _together(
        c.box((0.8, 0.5, 0.05)),
        *(_moved(c.box((0.05, 0.05, 0.6)), x, y, -0.32) for x in (-0.35, 0.35) for y in (-0.2, 0.2)),
    ),
    "chair": _together(
        c.box((0.4, 0.4, 0.05)),
        _moved(c.box((0.05, 0.4, 0.5)), -0.17, 0, 0.27),
        *(_moved(c.box((0.05, 0.05, 0.4)), x, y, -0.22) for x in (-0.15, 0.15) for y in (-0.15, 0.15)),
    ),
    "bracket": _together(c.box((0.5, 0.2, 0.05)), _moved(c.box((0.05, 0.2, 0.5)), -0.22, 0, 0.27)),
    "dumb-bell": _together(
        c.cylinder(0.03, 0.5), _moved(c.icosphere(2, 0.1), 0, 0, 0.3), _moved(c.icosphere(2, 0.14), 0, 0, -0.3)
    ),
    "star": _together(*(c.box(size) for size in ((0.6, 0.08, 0.08), (0.08, 0.6, 0.08), (0.08, 0.08, 0.6)))),
}


def mass_of(mesh: Any) -> Any:
    """The other library's own centre of mass."""
    return mesh.center_mass if mesh.is_watertight else mesh.convex_hull.center_mass


def inside_outline(points: Any, at: Any, slack: float = 1e-6) -> bool:
    outline = ConvexHull(points)
    return bool((outline.equations[:, :2] @ at + outline.equations[:, 2] < slack).all())


class Rest(unittest.TestCase):
    def ask(self, models: dict[str, Model], placed: list[dict[str, Any]], **question: Any) -> tuple[RestAnswer, Any]:
        """The answer, and the document with it."""
        things = [{"file": f"{one['id']}.glb", **one} for one in placed]
        shot = load_shot({"models": things})
        answer = rest(shot, RestQuestion.model_validate(question), lambda name: models[name])
        if answer.values:
            asked = question["thing"]
            shot = load_shot({"models": [{**one, **answer.values} if one["id"] == asked else one for one in things]})
        return answer, shot

    def matrix(self, shot: Any, models: dict[str, Model], thing: str) -> Any:
        return next(s.matrix for s in stands(shot.models, lambda one: models[one.file]) if s.placed.id == thing)

    def test_twenty_shapes_settle_on_each_of_their_sides(self) -> None:
        for name, mesh in SHAPES.items():
            models = {"m.glb": of_mesh(mesh)}
            first, _ = self.ask(
                models, [{"id": "m", "position_m": [1, 2, 0.7], "turn_deg": 30}], how="settle", thing="m"
            )
            self.assertTrue(first.sides, name)
            for number in range(len(first.sides)):
                with self.subTest(shape=name, side=number):
                    answer, shot = self.ask(
                        models,
                        [{"id": "m", "position_m": [1, 2, 0.7], "turn_deg": 30}],
                        how="settle",
                        thing="m",
                        side=number,
                    )
                    matrix = self.matrix(shot, models, "m")
                    points = mesh.vertices @ matrix[:3, :3].T + matrix[:3, 3]
                    self.assertLess(abs(points[:, 2].min()), 0.0005)
                    feet = points[points[:, 2] < 0.0005][:, :2]
                    mass = (matrix[:3, :3] @ mass_of(mesh) + matrix[:3, 3])[:2]
                    # Facets of round things are lines and points but for the hair that they are flat by.
                    self.assertTrue(inside_outline(feet, mass, 1e-3), f"falls over: {answer.sides[number]}")

    def test_twenty_shapes_rest_against_a_wall(self) -> None:
        """The wall is the half-space x > 1: nothing may reach into it by half a millimetre, nor stay away."""
        wall = box((0.2, 6.0, 4.0))
        leant = 0
        for name, mesh in SHAPES.items():
            models = {"m.glb": of_mesh(mesh), "w.glb": wall}
            height = float(np.ptp(mesh.vertices[:, 2]))
            apart = 0.5 * float(np.ptp(mesh.vertices[:, 0])) + 0.25 * height
            placed = [{"id": "m", "position_m": [1 - apart, 0.3, 0]}, {"id": "w", "position_m": [1.1, 0, 0]}]
            with self.subTest(shape=name):
                answer, shot = self.ask(models, placed, how="against", thing="m", other="w")
                if answer.values is None:
                    # Too low to reach: a ball rolls on, a slab lies down before.
                    self.assertIn(name, {"slab", "disc", "ball", "ring", "torus", "drum"}, answer.reason)
                    continue
                leant += 1
                matrix = self.matrix(shot, models, "m")
                points = mesh.vertices @ matrix[:3, :3].T + matrix[:3, 3]
                self.assertLess(points[:, 0].max() - 1, 0.0005)
                self.assertGreater(points[:, 0].max() - 1, -0.0005)
                self.assertLess(abs(points[:, 2].min()), 0.0005)
                feet = points[points[:, 2] < 0.0005][:, :2]
                touch = points[points[:, 0] > 1 - 0.0005][:, :2]
                mass = (matrix[:3, :3] @ mass_of(mesh) + matrix[:3, 3])[:2]
                hair = 2e-3 * np.array([[1, 0], [-1, 0], [0, 1], [0, -1]])
                held = (np.concatenate([feet, touch])[:, None] + hair).reshape(-1, 2)
                if answer.held:
                    self.assertTrue(inside_outline(held, mass, 1e-3))
        self.assertGreaterEqual(leant, 12)

    def test_it_falls_onto_what_is_below_and_is_carried_along(self) -> None:
        bench, cup = box((1.4, 0.4, 0.45)), of_mesh(c.cylinder(0.04, 0.1))
        models = {"b.glb": bench, "c.glb": cup}
        placed = [
            {"id": "b", "position_m": [2, 1, 0], "turn_deg": 90},
            {"id": "c", "position_m": [2.1, 1.5, 0.8], "turn_deg": 20},
        ]
        answer, shot = self.ask(models, placed, how="fall", thing="c")
        assert answer.values
        self.assertEqual(answer.values["on"], "b")
        matrix = self.matrix(shot, models, "c")
        foot = matrix @ [0, 0, -0.05, 1]
        np.testing.assert_allclose(foot[:3], [2.1, 1.5, 0.45], atol=0.0005)
        # Its carrier turned back by a right angle takes it round, by a matrix of the test's own.
        moved = shot.model_copy(deep=True)
        moved.models[0].turn_deg = 0.0
        moved.models[0].position_m = (5.0, 5.0, 0.0)
        foot = self.matrix(moved, models, "c") @ [0, 0, -0.05, 1]
        np.testing.assert_allclose(foot[:3], [5 + 0.5, 5 - 0.1, 0.45], atol=0.0005)
        # Beside the bench it falls to the ground and is carried no more.
        beside = [placed[0], {**placed[1], "position_m": [3.5, 1.5, 0.8]}]
        answer, shot = self.ask(models, beside, how="fall", thing="c")
        assert answer.values
        self.assertIsNone(answer.values["on"])
        self.assertAlmostEqual(answer.values["position_m"][2], 0, places=4)

    def test_it_is_let_down_below_what_it_stands_under_and_onto_what_is_named(self) -> None:
        table = SHAPES["table"].copy()
        models = {"t.glb": of_mesh(table), "c.glb": box((0.1, 0.1, 0.1))}
        placed: list[dict[str, Any]] = [{"id": "t"}, {"id": "c", "position_m": [0, 0, 0.2]}]
        answer, _ = self.ask(models, placed, how="fall", thing="c")
        assert answer.values
        self.assertEqual((answer.values["on"], round(answer.values["position_m"][2], 3)), (None, 0.0))
        for start in ([0, 0, 0.2], [5, 3, 0]):  # below it, and far away
            answer, shot = self.ask(
                models, [placed[0], {"id": "c", "position_m": start}], how="fall", thing="c", other="t"
            )
            assert answer.values
            self.assertEqual(answer.values["on"], "t")
            top = float(np.ptp(table.vertices[:, 2]))
            np.testing.assert_allclose(self.matrix(shot, models, "c")[:3, 3], [0, 0, top], atol=0.001)

    def test_settling_takes_the_side_that_looks_down_most(self) -> None:
        models = {"m.glb": box((0.2, 0.5, 1.0))}
        leaning = {"id": "m", "lean_deg": 80, "lean_toward_deg": 0}
        answer, shot = self.ask(models, [leaning], how="settle", thing="m")
        assert answer.values
        self.assertEqual(answer.sides[answer.side or 0].name, "on its side")
        # It has fallen the way that it leant: its own z lies along x now.
        np.testing.assert_allclose(self.matrix(shot, models, "m")[:3, :3] @ [0, 0, 1], [1, 0, 0], atol=1e-9)

    def test_balls_touch_where_geometry_says(self) -> None:
        ball = of_mesh(c.icosphere(5, 0.2))
        models = {"a.glb": ball, "b.glb": ball}
        placed = [{"id": "a", "position_m": [0, 0, 0]}, {"id": "b", "position_m": [0.2, 0, 2]}]
        answer, _ = self.ask(models, placed, how="fall", thing="b")
        assert answer.values
        # Two balls of radius r, their middles 0.2 apart in the level: √(4 r² - 0.2²) above one another.
        self.assertAlmostEqual(answer.values["position_m"][2], np.sqrt(0.16 - 0.04), delta=0.0006)

    def test_a_question_without_an_answer_tells_why(self) -> None:
        models = {"m.glb": box((0.2, 0.2, 1.0)), "w.glb": box((0.2, 0.2, 1.0))}
        asked: Callable[..., RestAnswer] = lambda *placed: self.ask(models, list(placed), how="against", thing="m")[0]  # noqa: E731
        self.assertIn("nothing else", asked({"id": "m"}).reason or "")
        self.assertIn("nearer", asked({"id": "m"}, {"id": "w", "position_m": [5, 0, 0]}).reason or "")
        self.assertIn("already touches", asked({"id": "m"}, {"id": "w", "position_m": [0.1, 0, 0]}).reason or "")


class Rows(unittest.TestCase):
    def test_copies_stand_in_line_and_are_spread_the_same_each_time(self) -> None:
        row = {"count": 5, "spacing_m": 0.7, "direction_deg": 90, "spread_deg": 10, "seed": 4}
        shot = load_shot(
            {"models": [{"id": "m", "file": "m.glb", "position_m": [1, 1, 0], "turn_deg": 45, "row": row}]}
        )
        model = box((0.2, 0.2, 0.2))
        found = [stand.matrix for stand in stands(shot.models, lambda _: model)]
        np.testing.assert_allclose([m[:3, 3] for m in found], [[1, 1 + 0.7 * n, 0] for n in range(5)], atol=1e-12)
        turns = np.array([np.degrees(np.arctan2(m[1, 0], m[0, 0])) for m in found])
        self.assertAlmostEqual(turns[0], 45)
        self.assertTrue((np.abs(turns - 45) <= 10).all())
        self.assertEqual(len({round(float(turn), 6) for turn in turns}), 5)
        again = [stand.matrix for stand in stands(shot.models, lambda _: model)]
        np.testing.assert_array_equal(found, again)

    def test_what_carries_itself_or_is_not_there_is_refused(self) -> None:
        for models, cause in (
            ([{"id": "a", "file": "m.glb", "on": "b"}, {"id": "b", "file": "m.glb", "on": "a"}], "stands on itself"),
            ([{"id": "a", "file": "m.glb", "on": "z"}], "is not there"),
        ):
            with self.assertRaisesRegex(ValueError, cause):
                load_shot({"models": models})

    def test_leaning_keeps_the_lowest_point_down(self) -> None:
        model = box((0.2, 0.4, 1.0))
        told = {"id": "m", "file": "m.glb", "position_m": [0, 0, 0.3], "lean_deg": 30, "lean_toward_deg": 0}
        matrix = next(iter(stands(load_shot({"models": [told]}).models, lambda _: model))).matrix
        points = model.parts[0].vertices @ matrix[:3, :3].T + matrix[:3, 3]
        self.assertAlmostEqual(points[:, 2].min(), 0.3)
        # Its top went towards +x, by the sine of the lean.
        top = matrix[:3, :3] @ [0, 0, 1]
        np.testing.assert_allclose(top, [0.5, 0, np.sqrt(3) / 2], atol=1e-12)


if __name__ == "__main__":
    unittest.main()
