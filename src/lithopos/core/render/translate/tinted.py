"""The renderer's clear sky with a strength of its own for each channel, which the package's does not have."""

from __future__ import annotations

from functools import cache
from typing import Any

NAME = "lithopos_tinted_sky"

__all__ = ["NAME", "register"]


@cache
def register(mi: Any) -> None:
    """Make the emitter known to the variant that is set."""
    import drjit as dr

    class TintedSky(mi.Emitter):  # type: ignore[misc]
        """Sun and sky of the package's `sunsky`; all but the sun's disc is multiplied by a colour."""

        def __init__(self, properties: Any) -> None:
            super().__init__(properties)
            self.plain = properties["plain"]
            self.tint = mi.Color3f(*[float(properties[f"tint_{c}"]) for c in "rgb"])
            self.sun = mi.Vector3f(*[float(properties[f"sun_{c}"]) for c in "xyz"])
            self.cosine = float(properties["disc_cosine"])
            self.m_flags = mi.EmitterFlags.Infinite

        def set_scene(self, scene: Any) -> None:
            self.plain.set_scene(scene)

        def eval(self, si: Any, active: Any = True) -> Any:
            return self.plain.eval(si, active) * self._tint(-si.wi)

        def eval_direction(self, it: Any, ds: Any, active: Any = True) -> Any:
            return self.plain.eval_direction(it, ds, active) * self._tint(ds.d)

        def pdf_direction(self, it: Any, ds: Any, active: Any = True) -> Any:
            return self.plain.pdf_direction(it, ds, active)

        def sample_direction(self, it: Any, sample: Any, active: Any = True) -> Any:
            ds, weight = self.plain.sample_direction(it, sample, active)
            ds.emitter = mi.EmitterPtr(self)
            return ds, weight * self._tint(ds.d)

        def to_string(self) -> str:
            return f"TintedSky[{self.tint}]"

        def _tint(self, way: Any) -> Any:
            return dr.select(dr.dot(way, self.sun) > self.cosine, mi.Color3f(1), self.tint)

    mi.register_emitter(NAME, TintedSky)
