"""What grounds and other things of a place are made of: the short lists that set their reflectance and their sheen.

Reflectances are hemispherical, of weathered surfaces in daylight, rounded from the ranges that
building-physics tables agree on; the photograph itself gives tint and pattern. Every ground has a sheen:
a dielectric coat over the diffuse body (Fresnel's equations at the index of refraction 1.5, rough).
"""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["GROUND_MATERIALS", "PROXY_MATERIALS", "GroundMaterial"]


@dataclass(frozen=True)
class GroundMaterial:
    """Mean diffuse reflectance [0..1]; strength of the coat (1: a whole dielectric one, 0: none), its roughness.

    `tint` is its usual colour beside its luminance, linear: what of a warm picture is the ground's own.
    """

    reflectance: float
    coat: float = 0.8
    roughness: float = 0.65
    tint: tuple[float, float, float] = (1.0, 1.0, 1.0)


GROUND_MATERIALS = {
    "pale stone": GroundMaterial(0.34),
    "warm stone": GroundMaterial(0.32),
    "dark stone": GroundMaterial(0.16),
    "concrete": GroundMaterial(0.30),
    "brick": GroundMaterial(0.24, 0.6, 0.7, (1.5, 0.89, 0.63)),
    "asphalt": GroundMaterial(0.10, 0.8, 0.7),
    "gravel": GroundMaterial(0.25, 0.4, 0.8),
    "grass": GroundMaterial(0.14, 0.4, 0.75, (0.75, 1.15, 0.35)),
    "sand": GroundMaterial(0.36, 0.3, 0.8, (1.2, 0.97, 0.67)),
    "timber": GroundMaterial(0.25, 0.8, 0.6, (1.4, 0.93, 0.55)),
    "polished stone": GroundMaterial(0.30, 1.0, 0.3),
    "wet stone": GroundMaterial(0.18, 1.0, 0.35),
}

# What stands about: its reflectance counts where the photograph does not show it.
PROXY_MATERIALS = {
    "plaster": GroundMaterial(0.55, 0.2, 0.8),
    "painted": GroundMaterial(0.50, 1.0, 0.35),
    **GROUND_MATERIALS,
    "polished concrete": GroundMaterial(0.30, 1.0, 0.2),
    "leaves": GroundMaterial(0.10, 0.4, 0.6, (0.8, 1.2, 0.4)),
    "water": GroundMaterial(0.04, 1.0, 0.06),
    "glass": GroundMaterial(0.06, 1.0, 0.03),
}
