"""Sampling pixels with the slow variant: small squares of the picture on the renderer's own film.

The slow variant can't take a list of rays at once. Squares lie on a fixed grid and have seeds of their own, so
that here too the picture does not depend on the portions in which it is made. It can't tell what a ray hits
either: what fills a pixel is seen in scenes of black and shining things. Receivers that hide nothing are left
out of those, but still stand before what is traced; models behind them look as if seen through a wall of light.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Floats
from lithopos.core.camera.depth import Lens
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.layers import HALVES, Window
from lithopos.core.place.receiver import Receiver
from lithopos.core.render.scene import Scene
from lithopos.core.render.translate.models import Made, black_shapes, model_shapes
from lithopos.core.render.translate.receivers import shining_receiver

SQUARE = 64
BATCH_SAMPLES = 400_000  # about a second's work

__all__ = ["FilmSampler"]


class FilmSampler:
    """Squares of the picture, one after the other."""

    def __init__(self, mi: Any) -> None:
        self.mi = mi
        self._guides = mi.load_dict(
            {
                "type": "aov",
                "aovs": "albedo:albedo,normal:sh_normal,depth:depth",
                # At depth 1 this variant ends before it has noted that something was hit.
                "image": {"type": "path", "max_depth": 2, "hide_emitters": True},
            }
        )
        # Cut-outs that a ray passes count as bounces.
        self._direct = mi.load_dict({"type": "path", "max_depth": 5})

    def aim(self, camera: Pinhole, lens: Lens | None = None) -> None:
        """Look through a camera, whose lens may be open."""
        self.camera, self.lens = camera, lens

    def know(self, _loaded: Any, scene: Scene) -> None:
        """Load what is seen of the models alone, and what tells how much of a pixel things fill."""
        mi, seen_from = self.mi, scene.camera.position
        models, black = dict[str, Any](), dict[str, Any]()
        made: Made = {}
        for number, thing in enumerate(scene.models):
            models |= model_shapes(mi, thing, f"model{number}", np.ones(3, np.float32), made)
            black |= black_shapes(mi, thing, f"model{number}")
        hiding = [receiver for receiver in scene.receivers if receiver.hides]

        def receivers(shining: Callable[[Receiver], bool]) -> dict[str, Any]:
            shapes = dict[str, Any]()
            for number, receiver in enumerate(hiding):
                shapes |= shining_receiver(mi, receiver, f"receiver{number}", float(shining(receiver)), seen_from)
            return shapes

        white = {"type": "constant", "radiance": {"type": "rgb", "value": 1.0}}
        self._models = mi.load_dict({"type": "scene", **models})
        self._bare = mi.load_dict({"type": "scene", "white": white, **black, **receivers(lambda _: True)})
        self._withheld = (
            mi.load_dict({"type": "scene", **black, **receivers(lambda receiver: not receiver.receives)})
            if any(not receiver.receives for receiver in hiding)
            else None
        )

    def batches(self, pixels: Any, count: int) -> list[Any]:
        """Whole squares, as many as are a second's work."""
        at = max(1, BATCH_SAMPLES // (HALVES * count * SQUARE**2))
        groups = list(_by_square(pixels).values())
        return [pixels[np.concatenate(groups[start : start + at])] for start in range(0, len(groups), at)]

    def radiance(self, scene: Any, integrator: Any, pixels: Any, first: int, count: int, seed: int) -> Floats:
        """Sums (N, 2, 3); see `Tracer.radiance`."""
        sums = np.zeros((len(pixels), HALVES, 3), np.float32)
        for half in range(HALVES):
            sums[:, half] = self._squares(scene, integrator, pixels, first, count, seed, half)[:, :3]
        return sums

    def first_hits(self, _scene: Any, pixels: Any, first: int, count: int, seed: int) -> dict[str, Floats]:
        """See `Tracer.first_hits`."""

        def summed(scene: Any, integrator: Any) -> Floats:
            parts = [self._squares(scene, integrator, pixels, first, count, seed, half) for half in range(HALVES)]
            return np.asarray(sum(parts), np.float32)

        guides = summed(self._models, self._guides)
        bare = summed(self._bare, self._direct)[:, 0]
        coverage = np.clip(HALVES * count - bare, 0, guides[:, 3])
        found = {"coverage": coverage, "albedo": guides[:, 4:7], "normal": guides[:, 7:10], "depth": guides[:, 10]}
        if self._withheld is not None:
            found["withheld"] = summed(self._withheld, self._direct)[:, 0]
        return found

    def shapes_at(self, scene: Any, pixels: Any) -> NDArray[np.str_]:
        """Names (N,) of the shapes at pixels' middles."""
        mi, camera = self.mi, self.camera
        rays = camera.rays(pixels + 0.5).astype(np.float32)
        names = np.full(len(pixels), "", "U32")
        for number, way in enumerate(rays):
            hit = scene.ray_intersect(mi.Ray3f(camera.position.astype(np.float32), way))
            names[number] = hit.shape.id() if hit.is_valid() else ""
        return names

    def _squares(
        self, scene: Any, integrator: Any, pixels: Any, first: int, count: int, seed: int, half: int
    ) -> Floats:
        found: list[tuple[Any, Floats]] = []
        for (column, row), index in _by_square(pixels).items():
            x, y = column * SQUARE, row * SQUARE
            state = np.random.SeedSequence((seed, column, row, first, half)).generate_state(1)[0]
            picture = self._picture(scene, integrator, Window(x, y, x + SQUARE, y + SQUARE), count, int(state))
            found.append((index, picture[pixels[index, 1] - y, pixels[index, 0] - x]))
        result = np.zeros((len(pixels), found[0][1].shape[1]), np.float32)
        for index, values in found:
            result[index] = values
        return result

    def _picture(self, scene: Any, integrator: Any, window: Window, count: int, seed: int) -> Floats:
        """Sums over samples of a window, (H, W, channels)."""
        straight, places = _straight_window(self.camera, window)
        sensor = self.mi.load_dict(self._sensor(straight))
        made = np.array(self.mi.render(scene, sensor=sensor, integrator=integrator, spp=count, seed=seed), np.float32)
        made = np.nan_to_num(made, nan=0.0, posinf=0.0, neginf=0.0) * np.float32(count)
        return made if places is None else _looked_up(made, *places)

    def _sensor(self, window: Window) -> dict[str, Any]:
        """A camera whose film is just the window; its axis need not pass through the middle."""
        camera = self.camera
        right, down, forward = camera.rotation
        to_world = np.eye(4)
        # The renderer's camera looks along +z with x to the left and y up.
        to_world[:3] = np.stack([-right, -down, forward, camera.position], 1)
        cx, cy = camera.principal_point
        opened = {"aperture_radius": self.lens.radius_m, "focus_distance": self.lens.focus_m} if self.lens else {}
        return {
            "type": "thinlens" if self.lens else "perspective",
            **opened,
            "to_world": self.mi.ScalarTransform4f(to_world),
            "near_clip": 0.01,
            "far_clip": 1e5,
            "fov_axis": "x",
            "fov": float(np.degrees(2 * np.arctan(window.width / 2 / camera.focal_px))),
            "principal_point_offset_x": float(0.5 - (cx - window.x0) / window.width),
            "principal_point_offset_y": float(0.5 - (cy - window.y0) / window.height),
            "film": {
                "type": "hdrfilm",
                "width": window.width,
                "height": window.height,
                "rfilter": {"type": "box"},
                "pixel_format": "rgba",
            },
        }


def _by_square(pixels: Any) -> dict[tuple[int, int], Any]:
    """Indices of pixels by the square that they lie in."""
    squares = pixels // SQUARE
    order = np.lexsort((squares[:, 0], squares[:, 1]))
    ordered = squares[order]
    starts = np.flatnonzero(np.r_[True, (ordered[1:] != ordered[:-1]).any(1)])
    return {
        (int(ordered[start, 0]), int(ordered[start, 1])): part
        for start, part in zip(starts, np.split(order, starts[1:]), strict=True)
    }


def _straight_window(camera: Pinhole, window: Window) -> tuple[Window, tuple[Floats, Floats] | None]:
    """The part of the straight picture to trace, and where in it each pixel (H, W) of the window lies.

    The photograph's lens bends lines; the photograph stays as it is and what is traced is bent to match.
    """
    if camera.k1 == 0:
        return window, None
    x, y = np.meshgrid(np.arange(window.x0, window.x1) + 0.5, np.arange(window.y0, window.y1) + 0.5)
    straight = camera.straightened(np.column_stack([x.ravel(), y.ravel()]))
    low = np.floor(straight.min(0)).astype(int) - 2
    high = np.ceil(straight.max(0)).astype(int) + 2
    column, row = (straight - low - 0.5).T.reshape(2, *x.shape).astype(np.float32)
    return Window(int(low[0]), int(low[1]), int(high[0]), int(high[1])), (column, row)


def _looked_up(picture: Floats, column: Floats, row: Floats) -> Floats:
    """A picture (H, W, channels) at other places, between its pixels linearly."""
    parts = [  # the package looks up four channels at most
        cv2.remap(np.ascontiguousarray(picture[..., i : i + 4]), column, row, cv2.INTER_LINEAR)
        for i in range(0, picture.shape[2], 4)
    ]
    return np.concatenate([part.reshape(*row.shape, -1) for part in parts], axis=2)
