"""Emitters of our own: found by looking for them alone, never met by chance."""

from __future__ import annotations

from functools import cache
from typing import Any

__all__ = ["sampled"]


@cache
def sampled(_variant: str, mi: Any) -> Any:
    """The base of our emitters for the variant that is set; they add `sample_direction`."""

    class Sampled(mi.Emitter):  # type: ignore[misc]
        """A light that is a point, or at infinity, to the renderer."""

        def pdf_direction(self, *_: Any) -> Any:
            return mi.Float(0)

        def eval_direction(self, *_: Any) -> Any:
            return mi.Color3f(0)

        def eval(self, *_: Any) -> Any:
            return mi.Color3f(0)

        def bbox(self) -> Any:
            return mi.ScalarBoundingBox3f()

        def to_string(self) -> str:
            return f"{type(self).__name__}[]"

    return Sampled
