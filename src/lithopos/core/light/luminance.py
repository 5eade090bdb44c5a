"""How bright white paint is under a clear day's sun and sky, in cd/m²: what screens are compared with.

Source: the clear-sky model of the IES calculation procedure for daylight availability (RP-21, 1984): direct normal
illuminance E = 127.5 klx · exp(-0.21 / sin h), level illuminance of the sky 0.8 + 15.5 · sin(h)^0.5 klx.
"""

from __future__ import annotations

import numpy as np

from lithopos.core.arrays import Array

SKY_ALONE_KLX = 10.0  # an even day without a known sun

__all__ = ["clear_white_cd"]


def clear_white_cd(sun: Array | None, sun_strength: float, sky_strength: float) -> float:
    """Luminance of level white paint [cd/m²].

    Parameters
    ----------
    sun : unit vector to the sun, or None.
    sun_strength, sky_strength : beside a clear day's.
    """
    if sun is None:
        return SKY_ALONE_KLX * 1000 * max(sky_strength, 1e-3) / np.pi
    rise = float(np.clip(sun[2], 0.01, 1))
    direct = 127.5 * np.exp(-0.21 / rise) * rise * sun_strength
    sky = (0.8 + 15.5 * rise**0.5) * sky_strength
    return float(1000 * max(direct + sky, 1e-3) / np.pi)
