"""Tracing a scene's layers with the renderer package.

Four things are traced with the same seed, so that their noise agrees and cancels: the place with the
models, the place without them, the models alone (coverage, albedo, normals), and for a shiny ground
its mirror part with and without the models.
"""

from __future__ import annotations

from dataclasses import dataclass, field, fields
from typing import Any, Protocol

import cv2
import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.geometry.model import Part, PbrMaterial
from lithopos.core.render.engine import load_renderer
from lithopos.core.render.scene import Region, Scene

MAX_DEPTH = 6
_FAR_GROUND_M = 400.0

__all__ = ["Layers", "MitsubaTracer", "Tracer"]


@dataclass
class Layers:
    """Sums over samples within the scene's region; divide by `samples` for means.

    Attributes
    ----------
    with_models, without : (H, W, 3) radiance of the diffuse place with and without the models.
    coverage : (H, W) share of the pixel that the models fill.
    albedo, normal : (H, W, 3) of the models, weighted by coverage.
    gloss_with, gloss_without : (H, W, 3) the ground's mirror part, zero where it has none.
    """

    with_models: Floats
    without: Floats
    coverage: Floats
    albedo: Floats
    normal: Floats
    gloss_with: Floats
    gloss_without: Floats
    samples: int = 0

    def __add__(self, other: Layers) -> Layers:
        return Layers(*(getattr(self, item.name) + getattr(other, item.name) for item in fields(self)))


def _window_of(camera: Pinhole, region: Region) -> tuple[Region, tuple[Floats, Floats] | None]:
    """The part of the straight picture to trace, and where in it each pixel (H, W) of the region lies.

    The photograph's lens bends lines; the photograph stays as it is and what is traced is bent to match.
    Without distortion the two pictures are the same, and there is nothing to look up.
    """
    if camera.k1 == 0:
        return region, None
    x0, y0, x1, y1 = region
    x, y = np.meshgrid(np.arange(x0, x1) + 0.5, np.arange(y0, y1) + 0.5)
    straight = camera.straightened(np.column_stack([x.ravel(), y.ravel()]))
    low = np.floor(straight.min(0)).astype(int) - 2
    high = np.ceil(straight.max(0)).astype(int) + 2
    column, row = (straight - low - 0.5).T.reshape(2, *x.shape).astype(np.float32)
    return (int(low[0]), int(low[1]), int(high[0]), int(high[1])), (column, row)


def _looked_up(picture: Floats, column: Floats, row: Floats) -> Floats:
    """A picture (H, W, channels) at other places, between its pixels linearly."""
    parts = [  # the package looks up four channels at most
        cv2.remap(np.ascontiguousarray(picture[..., i : i + 4]), column, row, cv2.INTER_LINEAR)
        for i in range(0, picture.shape[2], 4)
    ]
    return np.concatenate([part.reshape(*row.shape, -1) for part in parts], axis=2)


class Tracer(Protocol):
    """The one seam to the renderer: tests and previews can put another in its place."""

    def trace(self, samples: int, seed: int) -> Layers:
        """Trace `samples` a pixel with a seed; the same seed gives the same layers."""
        ...

    def level_irradiance(self) -> Floats:
        """What sun and open sky give a level surface, (3,), in the renderer's unit."""
        ...


@dataclass
class MitsubaTracer:
    """A scene loaded into the renderer package."""

    scene: Scene
    mi: Any = field(default_factory=load_renderer)

    def __post_init__(self) -> None:
        self._window, self._bent = _window_of(self.scene.camera, self.scene.region)
        models = self._models()
        ground = self._ground(self._diffuse_ground())
        self._with = self._load({"ground": ground, **models})
        self._without = self._load({"ground": ground})
        self._alone = self._load(models)
        self._gloss: tuple[Any, Any] | None = None
        if self.scene.ground.gloss > 0:
            mirror = self._ground(self._mirror_ground())
            self._gloss = (self._load({"ground": mirror, **models}), self._load({"ground": mirror}))
        self._path = self.mi.load_dict({"type": "path", "max_depth": MAX_DEPTH, "rr_depth": 8})
        self._cover = self.mi.load_dict(
            {
                "type": "aov",
                "aovs": "albedo:albedo,normal:sh_normal",
                "image": {"type": "path", "max_depth": 1, "hide_emitters": True},
            }
        )

    def trace(self, samples: int, seed: int) -> Layers:
        """See `Tracer.trace`."""
        cover = self._render(self._alone, self._cover, samples, seed)
        with_models = self._render(self._with, self._path, samples, seed)[..., :3]
        without = self._render(self._without, self._path, samples, seed)[..., :3]
        nothing = np.zeros_like(without)
        gloss = [nothing, nothing]
        if self._gloss:
            gloss = [
                self._render(place, self._path, samples, seed)[..., :3] * self.scene.ground.gloss
                for place in self._gloss
            ]
        return Layers(
            with_models,
            without,
            cover[..., 3],
            cover[..., 4:7],
            cover[..., 7:10],
            gloss[0],
            gloss[1],
            samples,
        )

    def level_irradiance(self) -> Floats:
        """See `Tracer.level_irradiance`."""
        mi = self.mi
        down = mi.ScalarTransform4f().look_at([0, 0.01, 3], [0, 0, 0], [0, 0, 1])
        patch = mi.load_dict(
            {
                "type": "scene",
                "light": self._light(),
                "integrator": {"type": "path", "max_depth": 2},
                "patch": {
                    "type": "rectangle",
                    "bsdf": {"type": "diffuse", "reflectance": {"type": "rgb", "value": 1.0}},
                },
                "sensor": {
                    "type": "perspective",
                    "fov": 5,
                    "to_world": down,
                    "film": {"type": "hdrfilm", "width": 24, "height": 24, "rfilter": {"type": "box"}},
                },
            }
        )
        return (np.array(mi.render(patch, spp=256, seed=7))[..., :3].reshape(-1, 3).mean(0) * np.pi).astype(np.float32)

    def _render(self, scene: Any, integrator: Any, samples: int, seed: int) -> Floats:
        """The sum over samples, (H, W, channels)."""
        picture = np.array(self.mi.render(scene, integrator=integrator, spp=samples, seed=seed), np.float32)
        picture = np.nan_to_num(picture, nan=0.0, posinf=0.0, neginf=0.0) * np.float32(samples)
        return picture if self._bent is None else _looked_up(picture, *self._bent)

    # The scene in the renderer's terms

    def _load(self, shapes: dict[str, Any]) -> Any:
        return self.mi.load_dict({"type": "scene", "light": self._light(), "sensor": self._sensor(), **shapes})

    def _sensor(self) -> dict[str, Any]:
        """A camera whose film is just the traced window; its axis need not pass through the middle."""
        camera, (x0, y0, x1, y1) = self.scene.camera, self._window
        width, height = x1 - x0, y1 - y0
        right, down, forward = camera.rotation
        to_world = np.eye(4)
        # The renderer's camera looks along +z with x to the left and y up.
        to_world[:3] = np.stack([-right, -down, forward, camera.position], 1)
        cx, cy = camera.principal_point
        return {
            "type": "perspective",
            "to_world": self.mi.ScalarTransform4f(to_world),
            "near_clip": 0.01,
            "far_clip": 1e4,
            "fov_axis": "x",
            "fov": float(np.degrees(2 * np.arctan(width / 2 / camera.focal_px))),
            "principal_point_offset_x": float(0.5 - (cx - x0) / width),
            "principal_point_offset_y": float(0.5 - (cy - y0) / height),
            "film": {
                "type": "hdrfilm",
                "width": width,
                "height": height,
                "rfilter": {"type": "box"},
                "pixel_format": "rgba",
            },
        }

    def _light(self) -> dict[str, Any]:
        scene = self.scene
        return {
            "type": "sunsky",
            "sun_direction": scene.sun.tolist(),
            "turbidity": scene.turbidity,
            "albedo": 0.25,
            "sun_scale": scene.sun_strength,
            "sky_scale": scene.sky_strength,
            "sun_aperture": scene.sun_softness_deg,
        }

    def _diffuse_ground(self) -> dict[str, Any]:
        # The renderer's v runs up the picture, the array's rows run with y: turn them over.
        rows = np.ascontiguousarray(self.scene.ground_reflectance[::-1])
        texture = {"type": "bitmap", "bitmap": self.mi.Bitmap(rows), "raw": True, "wrap_mode": "clamp"}
        return {"type": "twosided", "inner": {"type": "diffuse", "reflectance": texture}}

    def _mirror_ground(self) -> dict[str, Any]:
        black = {"type": "rgb", "value": 0.0}
        inner = {"type": "roughplastic", "alpha": self.scene.ground.roughness, "diffuse_reflectance": black}
        return {"type": "twosided", "inner": inner}

    def _ground(self, bsdf: dict[str, Any]) -> Any:
        x0, y0, x1, y1 = self.scene.ground_rect
        far = _FAR_GROUND_M
        corners = np.array([[x0 - far, y0 - far], [x1 + far, y0 - far], [x1 + far, y1 + far], [x0 - far, y1 + far]])
        vertices = np.column_stack([corners, np.zeros(4)])
        uv = (corners - [x0, y0]) / [x1 - x0, y1 - y0]
        normals = np.tile([0.0, 0.0, 1.0], (4, 1))
        return self._mesh(vertices, normals, uv, np.array([[0, 1, 2], [0, 2, 3]]), self.mi.load_dict(bsdf))

    def _models(self) -> dict[str, Any]:
        shapes: dict[str, Any] = {}
        for number, thing in enumerate(self.scene.models):
            bsdfs = [self._material(material) for material in thing.model.materials]
            for index, part in enumerate(thing.model.parts):
                shapes[f"model{number}part{index}"] = self._part(part, thing.matrix, bsdfs[part.material])
        return shapes

    def _part(self, part: Part, matrix: Floats | Any, bsdf: Any) -> Any:
        linear = matrix[:3, :3]
        normals = part.normals @ np.linalg.inv(linear)
        normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
        uv = np.column_stack([part.uv[:, 0], 1 - part.uv[:, 1]])  # glTF's v runs down
        return self._mesh(part.vertices @ linear.T + matrix[:3, 3], normals, uv, part.faces, bsdf)

    def _mesh(self, vertices: Any, normals: Any, uv: Any, faces: Any, bsdf: Any) -> Any:
        mi = self.mi
        properties = mi.Properties()
        properties["bsdf"] = bsdf
        mesh = mi.Mesh(
            "part",
            len(vertices),
            len(faces),
            has_vertex_normals=True,
            has_vertex_texcoords=True,
            props=properties,
        )
        values = mi.traverse(mesh)
        values["vertex_positions"] = np.ascontiguousarray(vertices, np.float32).ravel()
        values["vertex_normals"] = np.ascontiguousarray(normals, np.float32).ravel()
        values["vertex_texcoords"] = np.ascontiguousarray(uv, np.float32).ravel()
        values["faces"] = np.ascontiguousarray(faces, np.uint32).ravel()
        values.update()
        return mesh

    def _material(self, material: PbrMaterial) -> Any:
        inner: dict[str, Any] = {
            "type": "principled",
            "base_color": self._texture(material.base_colour, colour=True),
            "roughness": self._texture(material.roughness),
            "metallic": self._texture(material.metallic),
            "specular": 0.5,
        }
        if material.normal_map is not None:
            bumps = {"type": "bitmap", "bitmap": self.mi.Bitmap(material.normal_map), "raw": True}
            inner = {"type": "normalmap", "normalmap": bumps, "bsdf": inner}
        result: dict[str, Any] = {"type": "twosided", "inner": inner}
        if not isinstance(material.opacity, float) or material.opacity < 1:
            result = {"type": "mask", "opacity": self._texture(material.opacity), "inner": result}
        return self.mi.load_dict(result)

    def _texture(self, value: float | Floats, colour: bool = False) -> Any:
        if isinstance(value, float):
            return value
        if value.ndim == 1:
            return {"type": "rgb", "value": np.clip(value, 0, 1).tolist()}
        picture = np.ascontiguousarray(value if colour else value[..., None], np.float32)
        return {"type": "bitmap", "bitmap": self.mi.Bitmap(picture), "raw": True}
