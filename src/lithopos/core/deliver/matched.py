"""The matched scene for other programs: camera, models, what stands there, the sun, in metres.

As glTF 2.0 (y up; its camera has no shifted axis: where the photograph's has, the camera takes in a larger picture, and
its extras say which window of that is the photograph), as USD (z up, the shift in its apertures), and the camera alone
as JSON.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.geometry.gltf.write import glb_of
from lithopos.core.geometry.model import Y_TO_Z, Material, Model, Part, Texture
from lithopos.core.place.receiver import Receiver

NEAR_M, FAR_M = 0.05, 20_000.0
WIDEST_M = 200.0  # of the ground, which goes on to the horizon: more would only make other views tiny
FILM_MM = 36.0  # how wide the film is told to be, where a program asks for millimetres
# What is 1 here, white paint in full light, in the lux that a clear day gives: other programs want measures.
DAYLIGHT_LUX = 100_000.0

__all__ = ["Matched", "camera_json", "matched_glb", "write_usd"]


@dataclass(frozen=True)
class Matched:
    """What is matched to a photograph.

    Attributes
    ----------
    camera : of the picture at its size.
    things : names, models and the matrices (4, 4) that stand them in the world.
    receivers : ground, levels and what stands there, with the photograph on them.
    sun : the unit vector (3,) to it, if one shines, and its apparent width [deg].
    """

    camera: Pinhole
    things: tuple[tuple[str, Model, Array], ...]
    receivers: tuple[Receiver, ...]
    sun: Array | None = None
    sun_width_deg: float = 0.53


def camera_json(camera: Pinhole) -> bytes:
    """The camera as plain figures, by the conventions of `lithopos camera`."""
    told = {
        "image": {"width": camera.width, "height": camera.height},
        "focal_px": camera.focal_px,
        "principal_point": camera.principal_point.tolist(),
        "rotation": camera.rotation.tolist(),
        "camera_position": camera.position.tolist(),
        "distortion_k1": camera.k1,
        "axes": "world z up [m]; rotation maps world to camera: x right, y down, z forward; pixels from the top left",
    }
    return json.dumps(told, indent=1).encode()


def whole_model(scene: Matched) -> Model:
    """Things and receivers as one model in the world's metres, each part by the name of what it belongs to."""
    parts: list[Part] = []
    materials: list[Material] = []
    for name, model, matrix in scene.things:
        first = len(materials)
        materials += model.materials
        turn = np.linalg.inv(matrix[:3, :3]).T
        for part in model.parts:
            normals = part.normals @ turn.T
            normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
            stood = part.vertices @ matrix[:3, :3].T + matrix[:3, 3]
            told = f"{name} · {part.name}"
            parts.append(replace(part, name=told, vertices=stood, normals=normals, material=first + part.material))
    for receiver in scene.receivers:
        for number, patch in enumerate(receiver.patches):
            if receiver.level and np.ptp(patch.vertices[:, :2], axis=0).max() > WIDEST_M:
                continue
            own = patch.reflectance
            colour = Texture(own, wrap="clamp") if own.ndim == 3 else own
            name = f"{receiver.name} {number}"
            materials.append(Material(name, colour, receiver.sheen.roughness))
            a, b, c = (patch.vertices[patch.faces[0, n]] for n in range(3))
            flat = np.cross(b - a, c - a)
            flat = np.tile(flat / np.linalg.norm(flat), (len(patch.vertices), 1))
            normals = flat if patch.normals is None else patch.normals
            parts.append(Part(name, patch.vertices, normals, patch.uv, patch.faces, len(materials) - 1))
    return Model(parts, materials)


def matched_glb(scene: Matched) -> bytes:
    """The scene as a GLB."""
    camera = scene.camera
    left, up = camera.principal_point
    # A picture about the camera's own axis that holds the photograph.
    wide = 2 * max(left, camera.width - left)
    high = 2 * max(up, camera.height - up)
    window = [wide / 2 - left, high / 2 - up, camera.width, camera.height]
    perspective = {
        "aspectRatio": wide / high,
        "yfov": 2 * float(np.arctan(high / 2 / camera.focal_px)),
        "znear": NEAR_M,
        "zfar": FAR_M,
    }
    told = json.loads(camera_json(camera)) | {"picture_px": [wide, high], "window_px": window}
    node = {"name": "camera", "camera": 0, "matrix": _gltf_matrix(camera).T.ravel().tolist(), "extras": told}
    more: dict[str, Any] = {"cameras": [{"name": "camera", "type": "perspective", "perspective": perspective}]}
    nodes = [node]
    if scene.sun is not None:
        sun = {"type": "directional", "name": "sun", "color": [1.0, 1.0, 1.0], "intensity": DAYLIGHT_LUX}
        more["extensions"] = {"KHR_lights_punctual": {"lights": [sun]}}
        place = np.eye(4)
        place[:3, :3] = np.column_stack(_square_to(scene.sun @ Y_TO_Z))  # shines along its −z
        shines = {"KHR_lights_punctual": {"light": 0}}
        nodes.append({"name": "sun", "matrix": place.T.ravel().tolist(), "extensions": shines})
    return glb_of(whole_model(scene), beside=(nodes, more))


def _gltf_matrix(camera: Pinhole) -> Array:
    """From the camera's axes (x right, y up, looking along −z) to a world with y up."""
    right, down, forward = (axis @ Y_TO_Z for axis in camera.rotation)
    matrix = np.eye(4)
    matrix[:3] = np.column_stack([right, -down, -forward, camera.position @ Y_TO_Z])
    return matrix


def _square_to(z: Array) -> tuple[Array, Array, Array]:
    """Three square axes, the last along a direction."""
    z = z / np.linalg.norm(z)
    x = np.cross([0.0, 1.0, 0.0] if abs(z[1]) < 0.9 else [1.0, 0.0, 0.0], z)
    x = x / np.linalg.norm(x)
    return x, np.cross(z, x), z


def write_usd(scene: Matched, path: Path) -> None:
    """The scene as a USD layer in text (.usda): meshes with their mean colours, camera, sun."""
    from pxr import Gf, Sdf, Usd, UsdGeom, UsdLux, UsdShade, Vt

    stage = Usd.Stage.CreateInMemory()
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    stage.SetDefaultPrim(UsdGeom.Xform.Define(stage, "/Scene").GetPrim())
    model = whole_model(scene)
    for number, material in enumerate(model.materials):
        made = UsdShade.Material.Define(stage, f"/Scene/Materials/material{number}")
        shader = UsdShade.Shader.Define(stage, f"/Scene/Materials/material{number}/surface")
        shader.CreateIdAttr("UsdPreviewSurface")
        shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(*_mean(material.base_colour)))
        shader.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(_mean(material.roughness)[0])
        shader.CreateInput("metallic", Sdf.ValueTypeNames.Float).Set(_mean(material.metallic)[0])
        made.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
        made.GetPrim().SetDisplayName(material.name)
    for number, part in enumerate(model.parts):
        mesh = UsdGeom.Mesh.Define(stage, f"/Scene/Things/part{number}")
        mesh.GetPrim().SetDisplayName(part.name)
        mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(part.vertices, np.float32)))
        mesh.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(part.normals, np.float32)))
        mesh.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
        mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(part.faces), 3, np.int32)))
        mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(np.ascontiguousarray(part.faces.ravel(), np.int32)))
        mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        bound = UsdShade.Material.Get(stage, f"/Scene/Materials/material{part.material}")
        UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(bound)
    _usd_camera(stage, scene.camera)
    if scene.sun is not None:
        sun = UsdLux.DistantLight.Define(stage, "/Scene/sun")
        sun.CreateIntensityAttr(DAYLIGHT_LUX)
        sun.CreateAngleAttr(scene.sun_width_deg)
        place = np.eye(4)
        place[:3, :3] = np.stack(_square_to(scene.sun))  # rows: the package multiplies from the left
        sun.AddTransformOp().Set(Gf.Matrix4d(place))
    path.write_text(stage.GetRootLayer().ExportToString(), encoding="utf-8")


def _usd_camera(stage: Any, camera: Pinhole) -> None:
    """Film and focal length in tenths of a unit, as the format counts them; the shift in its offsets."""
    from pxr import Gf, UsdGeom

    made = UsdGeom.Camera.Define(stage, "/Scene/camera")
    to_mm = FILM_MM / camera.width
    left, up = camera.principal_point
    made.CreateHorizontalApertureAttr(FILM_MM)
    made.CreateVerticalApertureAttr(camera.height * to_mm)
    made.CreateFocalLengthAttr(camera.focal_px * to_mm)
    made.CreateHorizontalApertureOffsetAttr((camera.width / 2 - left) * to_mm)
    made.CreateVerticalApertureOffsetAttr((up - camera.height / 2) * to_mm)
    made.CreateClippingRangeAttr(Gf.Vec2f(NEAR_M, FAR_M))
    right, down, forward = camera.rotation
    matrix = np.eye(4)
    matrix[:3, :3] = np.stack([right, -down, -forward])
    matrix[3, :3] = camera.position
    made.AddTransformOp().Set(Gf.Matrix4d(matrix))
    made.GetPrim().SetCustomDataByKey("lithopos_k1", camera.k1)


def _mean(value: Any) -> list[float]:
    values = value.values if isinstance(value, Texture) else np.asarray(value, float)
    flat = values.reshape(-1, values.shape[-1]) if values.ndim >= 2 and values.shape[-1] == 3 else values.reshape(-1, 1)
    told = flat.mean(0) if isinstance(value, Texture) else np.atleast_1d(values)
    return [float(one) for one in told]
