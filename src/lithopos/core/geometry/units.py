"""Units of length that models come in, and a guess where a file doesn't tell."""

from __future__ import annotations

from lithopos.core.geometry.model import Unit

METRES = {"mm": 0.001, "cm": 0.01, "m": 1.0, "inch": 0.0254, "foot": 0.3048}
METRES |= {"micron": 1e-6, "yard": 0.9144, "km": 1000.0}
# Things that are put into photographs are mostly between a cup and a house.
_GUESSES = (("m", 10.0), ("cm", 300.0), ("mm", float("inf")))

__all__ = ["METRES", "guessed", "known"]


def known(name: str) -> Unit:
    """A unit that the file or its format tells."""
    return Unit(name, METRES[name], "file")


def guessed(largest: float) -> Unit:
    """The unit that makes the largest extent of a thing (in the file's numbers) the most likely one."""
    name = next(name for name, below in _GUESSES if largest < below)
    return Unit(name, METRES[name], "guess")
