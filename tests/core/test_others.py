"""What other photographs of a site fill in, in a made-up world that the tests' own cameras photograph."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from lithopos.core.colour import encode_srgb
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.dome import directions
from lithopos.core.place.receiver import Patch, Receiver
from lithopos.core.render.scene import Scene, Surroundings, build_scene
from lithopos.core.shot import load_shot
from tests.core.rendering import box
from tests.support import TrueCamera

SIZE = (720, 480)
GREY, BEHIND = np.array([0.3, 0.3, 0.3]), np.array([0.36, 0.2, 0.1])  # of the ground before and behind the camera
AHEAD, BACK = np.array([0.25, 0.3, 0.4]), np.array([0.5, 0.35, 0.2])  # of what is far away, to either side
FRONT, FAR_SIDE = np.array([0.2, 0.2, 0.2]), np.array([0.03, 0.1, 0.03])  # of a block's sides
BLOCK = (np.array([-0.8, 4.5, 0.0]), np.array([0.8, 5.5, 1.0]))


def camera(heading: float, y: float) -> TrueCamera:
    """One that looks along y, from there."""
    made = TrueCamera(focal=480, heading=heading, tilt=-9, size=SIZE)
    made.centre = np.array([0.0, y, 1.6])
    return made


OWN, OTHER, AWAY = camera(90, 0.0), camera(270, 11.0), camera(90, 60.0)


def taken(by: TrueCamera, exposure: Any = 1.0, block: bool = False) -> Picture:
    """A photograph of the world: ground in two colours, a block on it, and what is far away."""
    columns, rows = np.meshgrid(np.arange(SIZE[0]) + 0.5, np.arange(SIZE[1]) + 0.5)
    ways = np.stack([(columns - by.axis[0]) / by.focal, (rows - by.axis[1]) / by.focal, np.ones_like(rows)], -1)
    ways = ways @ by.rotation
    far = np.where(ways[..., 1:2] > 0, AHEAD, BACK)
    with np.errstate(divide="ignore", invalid="ignore"):
        reach = -by.centre[2] / ways[..., 2]
        ground = (by.centre + reach[..., None] * ways)[..., 1:2]
        linear = np.where(ways[..., 2:] < 0, np.where(ground > -1, GREY, BEHIND), far)
        if block:  # slabs
            low, high = ((edge - by.centre) / ways for edge in BLOCK)
            near, last = np.minimum(low, high), np.maximum(low, high)
            axis, enters = near.argmax(-1), near.max(-1)
            hit = (enters < last.min(-1)) & (enters > 0)
            side = np.where((axis == 1) & (ways[..., 1] < 0), 1, 0)[..., None]
            linear = np.where(hit[..., None], np.where(side == 1, FAR_SIDE, FRONT), linear)
    codes = np.round(255 * encode_srgb(np.clip(linear * exposure, 0, 1).astype(np.float32)))
    return Picture(codes.astype(np.uint8))


def known(of: TrueCamera) -> dict[str, Any]:
    return {
        "kind": "known",
        "image": {"width": SIZE[0], "height": SIZE[1]},
        "focal_px": of.focal,
        "rotation": of.rotation.tolist(),
        "camera_position": of.centre.tolist(),
    }


def scene(others: dict[str, tuple[TrueCamera, Picture]], block: bool = False, **changes: Any) -> Scene:
    """The scene of a shot whose site has other photographs."""
    told = [{"file": name, "camera": known(by)} for name, (by, _) in others.items()]
    document: dict[str, Any] = {
        "format": 4,
        "photograph": {"file": "own.png", "width": SIZE[0], "height": SIZE[1]},
        "site": {"camera": known(OWN), "others": told},
        "models": [{"id": "m", "file": "box.glb", "position_m": [1.5, 4.0, 0.0]}],
        "sun": {"kind": "hand", "azimuth_deg": 0.0, "elevation_deg": 70.0},
        **changes,
    }
    if block:
        x0, y0, z0, x1, y1, z1 = np.concatenate(BLOCK)
        corners = [[x0, y0, z0], [x1, y0, z0], [x1, y0, z1], [x0, y0, z1]]
        behind = [[x1, y1, z0], [x0, y1, z0], [x0, y1, z1], [x1, y1, z1]]
        document["proxies"] = [{"id": "p", "kind": "mesh", "points": [], "sides": [corners, behind]}]
    pictures = {name: picture for name, (_, picture) in others.items()}
    own = taken(OWN, block=block)
    return build_scene(load_shot(document), own, lambda _: box((0.4, 0.4, 0.4)), read_photograph=pictures.__getitem__)


def reflectance_at(receiver: Receiver, point: tuple[float, float]) -> np.ndarray:
    """What level ground throws back at a place."""
    for patch in receiver.patches:
        for corners, uv in _quads(patch):
            low, high = corners[:, :2].min(0), corners[:, :2].max(0)
            if (np.array(point) >= low).all() and (np.array(point) < high).all():
                at = uv.min(0) + (np.array(point) - low) / (high - low) * np.ptp(uv, axis=0)
                values = patch.reflectance
                if values.ndim == 1:
                    return np.asarray(values)
                rows, columns = values.shape[:2]
                return np.asarray(values[int(at[1] * rows), int(at[0] * columns)])
    raise AssertionError("no ground there")


def _quads(patch: Patch) -> Any:
    return zip(patch.vertices.reshape(-1, 4, 3), patch.uv.reshape(-1, 4, 2), strict=True)


class FilledIn(unittest.TestCase):
    def test_what_lies_behind_the_camera_comes_from_there_whatever_its_exposure(self) -> None:
        for exposure in (1.0, np.array([1.4, 1.25, 0.9])):
            made = scene({"other.png": (OTHER, taken(OTHER, exposure))})
            around = made.lights[0]
            assert isinstance(around, Surroundings)
            ways, _ = directions(len(around.seen))
            for heading, true in ((0, AHEAD), (180, BACK)):
                away = np.degrees(np.arctan2(ways[..., 0], ways[..., 1])) - heading
                there = (np.abs((away + 180) % 360 - 180) < 25) & (np.abs(np.degrees(np.arcsin(ways[..., 2])) - 6) < 3)
                shown = around.seen[there][:, :3].mean(0) * made.gain
                np.testing.assert_allclose(shown, true, rtol=0.03)
            ground = made.receivers[0]
            before, behind = reflectance_at(ground, (0.0, 4.0)), reflectance_at(ground, (0.0, -4.0))
            np.testing.assert_allclose(behind / before, BEHIND / GREY, rtol=0.05)
            self.assertFalse(made.notes)

    def test_without_it_that_is_guessed(self) -> None:
        made = scene({})
        around = made.lights[0]
        assert isinstance(around, Surroundings)
        behind = around.seen[len(around.seen) // 2 - 8, 3 * len(around.seen) // 2]
        np.testing.assert_allclose(behind[:3] * made.gain, AHEAD, rtol=0.1)  # as what lies ahead
        np.testing.assert_allclose(np.ptp(reflectance_at(made.receivers[0], (0.0, -4.0))), 0, atol=0.02)

    def test_one_that_shows_no_common_ground_fills_nothing_in_and_that_is_said(self) -> None:
        made = scene({"away.png": (AWAY, taken(AWAY, 1.4))})
        alone = scene({})
        np.testing.assert_array_equal(made.lights[0].seen, alone.lights[0].seen)  # type: ignore[union-attr]
        self.assertIn("1 of the site’s other photographs share too little ground", " ".join(made.notes))

    def test_the_back_of_what_stands_there_is_as_the_other_one_shows_it(self) -> None:
        by = {"other.png": (OTHER, taken(OTHER, 1.3, block=True))}
        for others, green in ((by, True), ({}, False)):
            made = scene(others, block=True)
            block = next(one for one in made.receivers if one.name == "proxy p")
            front, back = (np.reshape(patch.reflectance, (-1, 3)).mean(0) for patch in block.patches)
            self.assertLess(front[1], 1.1 * max(front[0], front[2]))
            self.assertEqual(bool(back[1] > 2 * max(back[0], back[2])), green, back)


if __name__ == "__main__":
    unittest.main()
