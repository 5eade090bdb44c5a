"""The sun from shadows of every kind, held against the least error that any estimate could have."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from typing import Any

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from lithopos.core.errors import InputError, NoAnswer
from lithopos.core.light.sun import SunAnswer, SunProblem, solve_sun
from tests.support import TrueCamera

CAMERA = TrueCamera(heading=75)
SIZE = {"width": 1920, "height": 1280}
KNOWN = {
    "focal_px": CAMERA.focal,
    "principal_point": CAMERA.axis.tolist(),
    "rotation": CAMERA.rotation.tolist(),
    "camera_position": CAMERA.centre.tolist(),
}
HAND_PX = 0.7
X, Y = st.floats(0, 1920), st.floats(0, 1280)

# A scene is a function from figures, of which the first two are the sun's azimuth and elevation [rad], to the world
# points that are marked, and the figures of this one.
Scene = Callable[[np.ndarray], np.ndarray]


def towards(figures: np.ndarray) -> np.ndarray:
    azimuth, elevation = figures[:2]
    return np.array([np.cos(azimuth) / np.tan(elevation), np.sin(azimuth) / np.tan(elevation), 1.0])


def fallen(point: np.ndarray, figures: np.ndarray) -> np.ndarray:
    return np.asarray(point - point[2] * towards(figures))


def gnomons(figures: np.ndarray) -> np.ndarray:
    """Of each: where its foot is and how tall it is."""
    points = []
    for x, y, height in figures[2:].reshape(-1, 3):
        top = np.array([x, y, height])
        points += [[x, y, 0], top, fallen(top, figures)]
    return np.array(points)


def level_edges(figures: np.ndarray) -> np.ndarray:
    """Of each: a place below it, its height, its direction, and how far along it the five marks lie."""
    points = []
    for x, y, height, way, *along in figures[2:].reshape(-1, 8):
        edge = [np.array([x + t * np.cos(way), y + t * np.sin(way), height]) for t in along]
        points += [edge[0], edge[1], fallen(edge[2], figures), fallen(edge[3], figures), [x, y, 0]]
    return np.array(points)


def plumb_edge_and_point(figures: np.ndarray) -> np.ndarray:
    """A plumb edge's foot and four heights on it; a point anywhere."""
    x, y, *heights, px, py, pz = figures[2:]
    edge = [np.array([x, y, z]) for z in heights]
    point = np.array([px, py, pz])
    return np.array(
        [edge[0], edge[1], fallen(edge[2], figures), fallen(edge[3], figures), point, fallen(point, figures)]
    )


BOX = np.array([[x, y, z] for x in (-0.4, 0.6) for y in (4.6, 5.3) for z in (0, 0.9)])


def box_outline(figures: np.ndarray) -> np.ndarray:
    """Places along the sides of a box's shadow, as fractions of the side that each lies on."""
    corners = np.array([fallen(corner, figures) for corner in BOX])[:, :2]
    centre = corners.mean(0)
    # The outline by turning about the middle: a corner belongs to it if nothing lies beyond its side.
    around = corners[np.argsort(np.arctan2(*(corners - centre).T[::-1]))]
    outline: list[np.ndarray] = []
    for point in [*around, *around]:
        while len(outline) > 1 and np.linalg.det([outline[-1] - outline[-2], point - outline[-1]]) <= 1e-12:
            outline.pop()
        outline.append(point)
    start = max(range(1, 7), key=lambda number: float(np.linalg.norm(outline[number])))
    ring = outline[start : start + 6]
    points = []
    for number, t in enumerate(figures[2:]):
        a, b = ring[number % len(ring)], ring[(number + 1) % len(ring)]
        points.append([*(a + (b - a) * t), 0])
    return np.array(points)


def least_sigma(scene: Scene, figures: np.ndarray) -> np.ndarray:
    """The Cramér-Rao bound of azimuth and elevation [deg] for marks that err by HAND_PX."""
    step = 1e-6
    rows = [
        (CAMERA.see(scene(figures + step * axis)) - CAMERA.see(scene(figures - step * axis))).ravel() / (2 * step)
        for axis in np.eye(len(figures))
    ]
    information = np.array(rows) @ np.array(rows).T / HAND_PX**2
    return np.asarray(np.degrees(np.sqrt(np.diag(np.linalg.inv(information))[:2])))


def as_gnomons(marks: list[Any]) -> dict[str, Any]:
    return {"gnomons": [dict(zip(("foot", "top", "tip"), marks[i : i + 3], strict=True)) for i in (0, 3)]}


def as_level_edges(marks: list[Any]) -> dict[str, Any]:
    edges = [marks[i : i + 5] for i in (0, 5)]
    return {"shadow_edges": [{"edge": e[:2], "shadow": e[2:4], "foot": e[4], "runs": "level"} for e in edges]}


def as_plumb_edge(marks: list[Any]) -> dict[str, Any]:
    return {
        "shadow_edges": [{"edge": marks[:2], "shadow": marks[2:4]}],
        "gnomons": [{"top": marks[4], "tip": marks[5]}],
    }


def as_box(marks: list[Any]) -> dict[str, Any]:
    return {"boxes": [{"corners": BOX.tolist(), "outline": marks}]}


def random_figures(kind: str, rng: np.random.Generator) -> np.ndarray:
    azimuth, elevation = rng.uniform(0.2, 2.9), rng.uniform(0.4, 1.1)
    spots = [rng.uniform([-1.2 + 1.6 * n, 4, 0.4], [-0.2 + 1.6 * n, 7, 1.2]) for n in range(2)]
    if kind == "gnomons":
        rest = np.concatenate(spots)
    elif kind == "level edges":
        ways = rng.uniform(0.2, 1.2) + np.array([0, np.pi / 2])
        rest = np.concatenate([[*spots[n], ways[n], *rng.uniform(-0.2, 0.2, 4) + [-1, 1, -1, 1]] for n in range(2)])
    elif kind == "plumb edge":
        x, y, _ = spots[0]
        rest = np.array([x, y, 0.2, 1.5, 0.1, 1.6, *spots[1]])
    else:
        rest = rng.uniform(0.1, 0.9, 12)
    return np.array([azimuth, elevation, *rest])


KINDS: dict[str, tuple[Scene, Callable[[list[Any]], dict[str, Any]]]] = {
    "gnomons": (gnomons, as_gnomons),
    "level edges": (level_edges, as_level_edges),
    "plumb edge": (plumb_edge_and_point, as_plumb_edge),
    "box": (box_outline, as_box),
}


def solve(marks: dict[str, Any]) -> SunAnswer | NoAnswer:
    return solve_sun(SunProblem.model_validate({"image": SIZE, "camera": KNOWN, **marks}))


def off_by(answer: SunAnswer, figures: np.ndarray) -> np.ndarray:
    azimuth = (answer.azimuth_deg - np.degrees(figures[0]) + 180) % 360 - 180
    return np.array([azimuth, answer.elevation_deg - np.degrees(figures[1])])


class Shadows(unittest.TestCase):
    def test_every_kind_reaches_the_bound_and_what_is_stated_holds(self) -> None:
        for kind, (scene, written) in KINDS.items():
            ratios, held = [], []
            for seed in range(80):
                rng = np.random.default_rng(seed)
                figures = random_figures(kind, rng)
                seen = CAMERA.see(scene(figures))
                bound = least_sigma(scene, figures)
                if (bound > 6).any() or (CAMERA.see(scene(figures)) < -2000).any():
                    continue
                exact = solve(written(seen.tolist()))
                assert isinstance(exact, SunAnswer), (kind, exact)
                np.testing.assert_allclose(off_by(exact, figures), 0, atol=2e-3, err_msg=f"{kind}, {seed}")
                answer = solve(written((seen + rng.normal(scale=HAND_PX, size=seen.shape)).tolist()))
                assert isinstance(answer, SunAnswer), (kind, seed, answer)
                error = np.abs(off_by(answer, figures))
                ratios.append(error / bound)
                held.append(error < 1.96 * np.array([answer.sigma_deg["azimuth"], answer.sigma_deg["elevation"]]))
            with self.subTest(kind):
                self.assertGreater(len(ratios), 60)
                # Errors over the bound have a root mean square of 1, to an eighth for 160 of them.
                self.assertLess(float(np.sqrt(np.mean(np.square(ratios)))), 1.15)
                self.assertGreater(float(np.mean(held)), 0.92)

    def test_a_rod_out_of_a_wall_and_the_sun_in_the_picture(self) -> None:
        sun = towards(np.radians([60, 25]))
        foot = np.array([0.4, 6.0, 1.1])  # a wall along x whose face looks to the camera, the sun behind the lens
        sun[1] *= -1
        top = foot - [0, 0.5, 0]
        tip = top - sun * (top[1] - foot[1]) / sun[1]
        rod = dict(zip(("foot", "top", "tip"), CAMERA.see([foot, top, tip]).tolist(), strict=True))
        answer = solve({"gnomons": [{**rod, "on": "wall_a"}]})
        assert isinstance(answer, SunAnswer)
        np.testing.assert_allclose(answer.direction, sun / np.linalg.norm(sun), atol=1e-6)
        # What stands before the camera may itself be in the picture.
        ahead = np.array([0.5, 2.0, 0.5])
        at = CAMERA.see([CAMERA.centre + ahead])[0]
        seen = solve({"sun": {"at": at.tolist()}})
        assert isinstance(seen, SunAnswer)
        np.testing.assert_allclose(seen.direction, ahead / np.linalg.norm(ahead), atol=1e-6)
        self.assertAlmostEqual(seen.sigma_deg["elevation"], np.degrees(HAND_PX / CAMERA.focal), delta=0.005)

    def test_the_mark_that_disagrees_is_named_and_what_tells_too_little_says_what_would_help(self) -> None:
        figures = np.array([1.1, 0.7, -1, 5, 1, 1, 5, 1.2, 0.2, 7, 0.8])
        marks = CAMERA.see(gnomons(figures)).reshape(3, 3, 2)
        marks[1, 2] += [60, 0]
        named = [dict(zip(("foot", "top", "tip"), mark.tolist(), strict=True)) for mark in marks]
        answer = solve({"gnomons": named})
        assert isinstance(answer, SunAnswer)
        self.assertEqual(answer.disagrees, "gnomons[1]")
        self.assertIn("Gnomon 2 disagrees", answer.warnings[0])
        edge = as_plumb_edge(
            CAMERA.see(plumb_edge_and_point(random_figures("plumb edge", np.random.default_rng(2)))).tolist()
        )
        true = np.degrees(random_figures("plumb edge", np.random.default_rng(2))[0])
        alone = solve({"shadow_edges": edge["shadow_edges"]})
        assert isinstance(alone, NoAnswer)
        self.assertIn(f"({true:.1f}° from x) but not its height", alone.reason)

    @settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.too_slow])
    @given(
        st.lists(st.lists(st.tuples(X, Y), min_size=5, max_size=5), min_size=1, max_size=3),
        st.lists(st.tuples(st.tuples(X, Y), st.tuples(X, Y)), max_size=2),
        st.booleans(),
    )
    def test_whatever_is_marked_gets_an_answer_or_a_reason(self, edges: Any, points: Any, level: bool) -> None:
        drawn = [{"edge": e[:2], "shadow": e[2:4], "foot": e[4], "runs": "level" if level else "plumb"} for e in edges]
        gnomons = [{"top": top, "tip": tip} for top, tip in points]
        try:
            answer = solve({"shadow_edges": drawn, "gnomons": gnomons})
        except InputError:
            return
        if isinstance(answer, SunAnswer):
            self.assertTrue(np.isfinite([*answer.direction, *answer.sigma_deg.values()]).all())

    def test_edges_that_tell_nothing_are_refused_by_name(self) -> None:
        figures = random_figures("level edges", np.random.default_rng(0))
        edges = as_level_edges(CAMERA.see(level_edges(figures)).tolist())["shadow_edges"]
        cases = [
            ({**edges[0], "foot": None}, "shadow_edges.0..height_m: a level edge's shadow runs along with it"),
            ({**edges[0], "foot": None, "height_m": 1.6}, "at the height of the lens"),
            ({**edges[0], "foot": None, "height_m": -1}, "does not lie above the surface"),
            ({**edges[0], "shadow": [[10, 20], [900, 30]]}, "shadow: lies above the horizon"),
            ({**edges[0], "edge": [[10, 20], [10, 20]]}, "edge: both ends are the same point"),
        ]
        for marks, words in cases:
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                solve({"shadow_edges": [marks, edges[1]]})
        with self.assertRaisesRegex(InputError, "below the horizon, where no sun stands"):
            solve({"sun": {"at": [900, 1200]}})


if __name__ == "__main__":
    unittest.main()
