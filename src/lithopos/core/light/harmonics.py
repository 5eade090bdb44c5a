"""Real spherical harmonics of order 0, 1, 2 and 4, in which nearly all of a surface's irradiance lies.

Weighed by π, 2π/3, π/4 and -π/24 those of a distant radiance give that of the irradiance; order 3 has none. Source:
Ramamoorthi & Hanrahan 2001, An efficient representation for irradiance environment maps, section 3,
DOI 10.1145/383259.383317.
"""

from __future__ import annotations

import numpy as np

from lithopos.core.arrays import Array

WEIGHTS = np.pi * np.repeat([1, 2 / 3, 1 / 4, -1 / 24], [1, 3, 5, 9])
EVEN = [0, 1, 2, 4, 5, 7, 9, 10, 12, 14, 16]  # those that y ↔ -y leaves as they are

__all__ = ["EVEN", "WEIGHTS", "harmonics"]


def harmonics(ways: Array) -> Array:
    """The 18 harmonics of unit vectors (..., 3), (..., 18)."""
    x, y, z = np.moveaxis(ways, -1, 0)
    xx, yy, zz = x * x, y * y, z * z
    return np.stack(
        [
            np.full(x.shape, 0.282095),
            0.488603 * z,
            0.488603 * x,
            0.488603 * y,
            0.315392 * (3 * zz - 1),
            1.092548 * x * z,
            1.092548 * y * z,
            0.546274 * (xx - yy),
            1.092548 * x * y,
            0.105786 * (35 * zz * zz - 30 * zz + 3),
            0.669047 * x * z * (7 * zz - 3),
            0.669047 * y * z * (7 * zz - 3),
            0.473087 * (xx - yy) * (7 * zz - 1),
            0.946175 * x * y * (7 * zz - 1),
            1.770131 * x * z * (xx - 3 * yy),
            1.770131 * y * z * (3 * xx - yy),
            0.625836 * (xx * (xx - 3 * yy) - yy * (3 * xx - yy)),
            2.503343 * x * y * (xx - yy),
        ],
        -1,
    )
