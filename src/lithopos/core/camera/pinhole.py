"""The camera as a projection, and everything that is measured through one.

Convention
----------
Image: pixels, origin at the top left corner, x right, y down; the first pixel's centre is (0.5, 0.5).
World: right-handed, metres, z up, ground z = 0.
Camera: x right, y down, z forward (OpenCV); `rotation` maps world to camera: X_cam = R (X_world − C).
A pixel is (f X/Z + cx, f Y/Z + cy). Depth is Z along the axis, not the ray's length.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lithopos.core.arrays import Array
from lithopos.core.camera.lens import distort, fold_radius, undistort

DIAGONAL_35MM = 43.266615305567875  # of a 36 × 24 mm frame [mm]

__all__ = ["DIAGONAL_35MM", "Pinhole", "focal_35mm_from_px", "focal_px_from_35mm", "view_angles"]


def focal_px_from_35mm(focal_35mm: float, width: float, height: float) -> float:
    """Focal length [px] of a 35 mm equivalent [mm] by the picture's diagonal, as EXIF has it."""
    return float(focal_35mm / DIAGONAL_35MM * np.hypot(width, height))


def focal_35mm_from_px(focal_px: float, width: float, height: float) -> float:
    """The 35 mm equivalent [mm] by the diagonal of a focal length [px]."""
    return float(focal_px * DIAGONAL_35MM / np.hypot(width, height))


@dataclass(frozen=True)
class Pinhole:
    """A camera with at most one term of radial distortion; see the module's convention and `lens`.

    Attributes
    ----------
    focal_px : focal length [px].
    principal_point : (2,) [px].
    rotation : (3, 3) world to camera.
    position : (3,) centre of the camera, world [m] (or units, if no scale is known).
    width, height : the picture's size [px].
    k1 : radial distortion; directions and homographies speak of undistorted pixels.
    """

    focal_px: float
    principal_point: Array
    rotation: Array
    position: Array
    width: int
    height: int
    k1: float = 0.0

    def project(self, points: ArrayLike) -> Array:
        """Pixels (N, 2) of world points (N, 3); NaN for points behind the camera or beyond the lens's fold."""
        seen = (np.atleast_2d(np.asarray(points, float)) - self.position) @ self.rotation.T
        depth = np.where(seen[:, 2] > 1e-9, seen[:, 2], np.nan)
        plane = seen[:, :2] / depth[:, None]
        plane = np.where(((plane**2).sum(1) < fold_radius(self.k1) ** 2)[:, None], plane, np.nan)
        return np.asarray(distort(plane, self.k1) * self.focal_px + self.principal_point)

    def shows(self, pixels: ArrayLike) -> NDArray[np.bool_]:
        """Whether pixels (N, 2) lie within the picture."""
        at = np.asarray(pixels, float).reshape(-1, 2)
        return np.asarray(((at >= 0) & (at <= [self.width, self.height])).all(1))

    def project_direction(self, direction: ArrayLike) -> Array:
        """Homogeneous pixel (3,) of a world direction: where lines along it vanish."""
        x, y, z = self.rotation @ np.asarray(direction, float)
        cx, cy = self.principal_point
        return np.array([self.focal_px * x + cx * z, self.focal_px * y + cy * z, z])

    def straightened(self, pixels: ArrayLike) -> Array:
        """Undistorted pixels (N, 2) of the photograph's own (N, 2)."""
        offset = (np.asarray(pixels, float).reshape(-1, 2) - self.principal_point) / self.focal_px
        return undistort(offset, self.k1) * self.focal_px + self.principal_point

    def rays(self, pixels: ArrayLike) -> Array:
        """World directions (N, 3), unit length, through pixels (N, 2)."""
        world = self._ways(pixels)
        return np.asarray(world / np.linalg.norm(world, axis=1, keepdims=True))

    def _ways(self, pixels: ArrayLike) -> Array:
        """World directions (N, 3) through pixels, of depth 1."""
        offset = undistort((np.asarray(pixels, float).reshape(-1, 2) - self.principal_point) / self.focal_px, self.k1)
        return np.asarray(offset @ self.rotation[:2] + self.rotation[2])

    def ground_points(self, pixels: ArrayLike, height_m: float = 0.0) -> Array:
        """Where the rays through pixels (N, 2) meet the plane z = height_m, (N, 3); NaN where they don't."""
        way = self._ways(pixels)
        with np.errstate(divide="ignore", invalid="ignore"):
            reach = (height_m - self.position[2]) / way[:, 2]
        reach = np.where(reach > 0, reach, np.nan)
        return np.asarray(self.position + reach[:, None] * way)

    def ground_homography(self, height_m: float = 0.0) -> Array:
        """(3, 3) matrix from homogeneous ground (x, y, 1) [m] to homogeneous pixels."""
        columns = np.column_stack(
            [self.rotation[:, 0], self.rotation[:, 1], self.rotation @ ([0, 0, height_m] - self.position)]
        )
        cx, cy = self.principal_point
        k = np.array([[self.focal_px, 0, cx], [0, self.focal_px, cy], [0, 0, 1]])
        return np.asarray(k @ columns)

    def horizon(self) -> list[list[float]] | None:
        """Where the horizon meets the left and right border, extended; None if it is upright."""
        a, b, c = self._horizon_line()
        if abs(b) < 1e-9 * max(abs(a), 1e-12):
            return None
        return [[x, float(-(a * x + c) / b)] for x in (0.0, float(self.width))]

    def _horizon_line(self) -> Array:
        """The image (3,) of the plane through the camera square to plumb: K⁻ᵀ R z."""
        x, y, z = self.rotation[:, 2]
        cx, cy = self.principal_point
        return np.array([x, y, self.focal_px * z - cx * x - cy * y])

    def scaled(self, scale: float) -> Pinhole:
        """The same camera for a picture `scale` times the size (corner stays corner)."""
        return Pinhole(
            self.focal_px * scale,
            self.principal_point * scale,
            self.rotation,
            self.position,
            round(self.width * scale),
            round(self.height * scale),
            self.k1,
        )

    def sized(self, width: int, height: int) -> Pinhole:
        """The same camera for a copy of its picture of another size [px], whose sides were rounded by themselves."""
        return replace(self.scaled(width / self.width), width=width, height=height)


def view_angles(rotation: Array) -> tuple[float, float, float]:
    """Tilt, roll and heading [rad] of a world-to-camera rotation.

    Tilt: the view axis above the level. Roll: clockwise turn of the camera about its axis, so that a
    positive roll drops the picture's right side of the camera. Heading: azimuth of the view axis from
    +x towards +y.
    """
    right, down, forward = rotation
    tilt = np.arcsin(np.clip(forward[2], -1, 1))
    roll = np.arctan2(-right[2], -down[2])
    return float(tilt), float(roll), float(np.arctan2(forward[1], forward[0]))
