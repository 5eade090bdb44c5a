"""What grounds are made of: the short list that sets the level of a ground's reflectance.

Reflectances are hemispherical, of dry weathered surfaces in daylight, rounded from the ranges that
building-physics tables agree on; the photograph itself gives tint and pattern.
"""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["GROUND_MATERIALS", "GroundMaterial"]


@dataclass(frozen=True)
class GroundMaterial:
    """Mean diffuse reflectance [0..1]; how much of a mirror it is (0 none), and that mirror's roughness."""

    reflectance: float
    gloss: float = 0.0
    roughness: float = 0.3


GROUND_MATERIALS = {
    "pale stone": GroundMaterial(0.34),
    "warm stone": GroundMaterial(0.32),
    "dark stone": GroundMaterial(0.16),
    "concrete": GroundMaterial(0.30),
    "brick": GroundMaterial(0.24),
    "asphalt": GroundMaterial(0.10),
    "gravel": GroundMaterial(0.25),
    "grass": GroundMaterial(0.14),
    "sand": GroundMaterial(0.36),
    "timber": GroundMaterial(0.25),
    "polished stone": GroundMaterial(0.30, 1.0, 0.12),
    "wet stone": GroundMaterial(0.18, 1.0, 0.2),
}
