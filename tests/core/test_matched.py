"""The matched scene for other programs, read back by other packages: cameras, what stands where, the sun."""

from __future__ import annotations

import io
import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
import pygltflib
import trimesh
from pxr import Usd, UsdGeom, UsdLux

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.deliver.framed import framed_camera
from lithopos.core.deliver.matched import Matched, camera_json, matched_glb, write_usd
from lithopos.core.derive import derive
from lithopos.core.errors import InputError
from lithopos.core.place.receiver import Patch, Receiver, Sheen
from lithopos.core.shot import Crop, load_shot
from tests.core.rendering import box
from tests.support import TrueCamera

SUN = np.array([0.6, -0.64, 0.48])


def scenes() -> Any:
    """A box on the ground before cameras with their axis in the middle, beside it, and of a cut, turned picture."""
    true = TrueCamera(focal=1500, roll=3, shift=(40, -25))
    whole = Pinhole(true.focal, true.axis, true.rotation, true.centre, *true.size)
    centred = TrueCamera(focal=1500, roll=3)
    square = np.array([[-9.0, -9, 0], [9, -9, 0], [9, 9, 0], [-9, 9, 0]])
    picture = np.random.default_rng(0).random((8, 8, 3)).astype(np.float32)
    patch = Patch(square, square[:, :2] / 18 + 0.5, np.array([[0, 1, 2], [0, 2, 3]]), picture)
    ground = Receiver("ground", (patch,), Sheen(0.2, 0.5), level=True)
    stood = np.eye(4)
    stood[:3, 3] = [1.5, 4.0, 0.0]
    middle = Pinhole(centred.focal, centred.axis, centred.rotation, centred.centre, *centred.size)
    crop = Crop(x=300, y=200, width=1000, height=700, turn_deg=4)
    for camera in (middle, whole, framed_camera(whole, crop, 1.0)):
        yield Matched(camera, (("Marl bench", box((1.2, 0.4, 0.5)), stood),), (ground,), SUN)


def seen_by(scene: Matched, count: int = 20) -> tuple[Any, Any]:
    """Points before a camera, and their pixels by the pinhole's own formula."""
    camera = scene.camera
    rng = np.random.default_rng(3)
    pixels = rng.uniform(0, [camera.width, camera.height], (count, 2))
    ways = np.column_stack([(pixels - camera.principal_point) / camera.focal_px, np.ones(count)])
    return camera.position + (ways * rng.uniform(2, 30, (count, 1))) @ camera.rotation, pixels


class ForOtherPrograms(unittest.TestCase):
    def test_a_gltf_camera_projects_to_the_same_pixels(self) -> None:
        for scene in scenes():
            points, pixels = seen_by(scene)
            told = pygltflib.GLTF2().load_from_bytes(matched_glb(scene))
            node = next(one for one in told.nodes if one.camera is not None)
            perspective = told.cameras[node.camera].perspective
            matrix = np.array(node.matrix).reshape(4, 4).T
            y_up = np.column_stack([points[:, 0], points[:, 2], -points[:, 1], np.ones(len(points))])
            seen = y_up @ np.linalg.inv(matrix).T
            half = np.tan(perspective.yfov / 2)
            across = seen[:, 0] / -seen[:, 2] / half / perspective.aspectRatio
            up = seen[:, 1] / -seen[:, 2] / half
            wide, high = node.extras["picture_px"]
            left, top, *_ = node.extras["window_px"]
            found = np.column_stack([(across + 1) * wide / 2 - left, (1 - up) * high / 2 - top])
            np.testing.assert_allclose(found, pixels, atol=0.01)

    def test_a_usd_camera_projects_to_the_same_pixels(self) -> None:
        for scene in scenes():
            points, pixels = seen_by(scene)
            with tempfile.TemporaryDirectory() as folder:
                place = Path(folder) / "scene.usda"
                write_usd(scene, place)
                stage = Usd.Stage.Open(str(place))
                frustum = UsdGeom.Camera.Get(stage, "/Scene/camera").GetCamera().frustum
                matrix = np.array(frustum.ComputeViewMatrix() * frustum.ComputeProjectionMatrix())
                self.assertEqual(UsdGeom.GetStageUpAxis(stage), "Z")
                self.assertEqual(UsdGeom.GetStageMetersPerUnit(stage), 1.0)
                shine = UsdLux.DistantLight.Get(stage, "/Scene/sun")
                to_sun = np.array(UsdGeom.Xformable(shine).ComputeLocalToWorldTransform(0.0))[2, :3]
                mesh = UsdGeom.Mesh.Get(stage, "/Scene/Things/part0")
                corners = np.array(mesh.GetPointsAttr().Get())
            clip = np.column_stack([points, np.ones(len(points))]) @ matrix
            ndc = clip[:, :2] / clip[:, 3:]
            size = [scene.camera.width, scene.camera.height]
            found = (ndc * [0.5, -0.5] + 0.5) * size
            np.testing.assert_allclose(found, pixels, atol=0.01)
            np.testing.assert_allclose(to_sun, SUN, atol=1e-6)
            np.testing.assert_allclose([corners.min(0), corners.max(0)], [[0.9, 3.8, 0], [2.1, 4.2, 0.5]], atol=1e-6)

    def test_what_stands_there_is_read_back_where_it_stands(self) -> None:
        (scene, *_) = scenes()
        data = matched_glb(scene)
        loaded: Any = trimesh.load(io.BytesIO(data), file_type="glb")
        names = {name.split(" · ")[0] for name in loaded.geometry}
        self.assertTrue({"Marl bench"} <= names and any(name.startswith("ground") for name in names), names)
        low, high = next(one for name, one in loaded.geometry.items() if name.startswith("Marl")).bounds
        np.testing.assert_allclose([low, high], [[0.9, 0, -4.2], [2.1, 0.5, -3.8]], atol=1e-6)  # y up
        told = pygltflib.GLTF2().load_from_bytes(data)
        node = next(one for one in told.nodes if one.name == "sun")
        shines = -np.array(node.matrix).reshape(4, 4).T[:3, 2]
        np.testing.assert_allclose(shines, [-SUN[0], -SUN[2], SUN[1]], atol=1e-6)

    def test_the_camera_alone_comes_in_again_as_it_was(self) -> None:
        for scene in scenes():
            given = json.loads(camera_json(scene.camera))
            del given["axes"]
            size = (2 * scene.camera.width, 2 * scene.camera.height)  # of the photograph at twice the size
            told = {"file": "p.jpg", "width": size[0], "height": size[1]}
            facts = derive(load_shot({"photograph": told, "camera": {"kind": "known", **given}}))
            assert facts.camera and facts.metric
            camera = pinhole_of(facts.camera)
            points, pixels = seen_by(scene)
            np.testing.assert_allclose(camera.project(points), 2 * pixels, atol=1e-6)
        for wrong, words in (
            ({"rotation": [[1, 0, 0], [0, 1, 0], [0, 0, -1]]}, "is no rotation"),
            ({"camera_position": [0, 0, -1]}, "under the ground"),
            ({"image": {"width": 100, "height": 100}}, "another shape"),
        ):
            with self.assertRaisesRegex(InputError, words):
                load_shot({"photograph": told, "camera": {"kind": "known", **given, **wrong}})

    def test_the_camera_alone_is_what_the_command_line_tells(self) -> None:
        (scene, *_) = scenes()
        told = json.loads(camera_json(scene.camera))
        self.assertEqual(told["image"], {"width": 1920, "height": 1280})
        np.testing.assert_allclose(told["rotation"], TrueCamera(focal=1500, roll=3).rotation)
        self.assertEqual((told["focal_px"], told["principal_point"]), (1500, [960, 640]))
