"""What is traced, as sums over samples by name; and windows of a picture.

| name | channels | kind | is |
|---|---|---|---|
| `with`, `without` | 2 halves × 3 | radiance | the place with and without the models |
| `coverage` | 1 | share | how much of the pixel the models fill |
| `withheld` | 1 | share | how much of it is filled by receivers that take no light, which stay as photographed |
| `albedo`, `normal` | 3 | guide | of the models, weighted by coverage |
| `depth` | 1 | guide | how far away they are [m], likewise |
| `object`, `material` | 1 | middle | numbers of the model and of its material, from 1; 0 where none is |
| `sunlit`, `surface` | 1 | middle | without models: how much of the sun is seen, and the number of what is there |

Layers that a render has no use for are not there. What is told at a pixel's middle is no sum. Radiance is kept in two
halves with random numbers of their own: their difference is the measure of the noise.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal, NamedTuple

import numpy as np

from lithopos.core.arrays import Floats

Kind = Literal["radiance", "share", "guide", "middle"]
KINDS: dict[str, Kind] = {
    "with": "radiance",
    "without": "radiance",
    "coverage": "share",
    "withheld": "share",
    "albedo": "guide",
    "normal": "guide",
    "depth": "guide",
    "object": "middle",
    "material": "middle",
    "sunlit": "middle",
    "surface": "middle",
}
HALVES = 2

__all__ = ["HALVES", "KINDS", "Kind", "Layers", "Window"]


class Window(NamedTuple):
    """A part of a picture: from (x0, y0) up to, without, (x1, y1) [px]."""

    x0: int
    y0: int
    x1: int
    y1: int

    @property
    def width(self) -> int:
        """Columns."""
        return self.x1 - self.x0

    @property
    def height(self) -> int:
        """Rows."""
        return self.y1 - self.y0

    @property
    def slices(self) -> tuple[slice, slice]:
        """The rows and columns of the window in an array of the whole picture."""
        return slice(self.y0, self.y1), slice(self.x0, self.x1)

    def grown(self, by: int, width: int, height: int) -> Window:
        """The window with a margin, cut at the picture's borders."""
        return Window(max(self.x0 - by, 0), max(self.y0 - by, 0), min(self.x1 + by, width), min(self.y1 + by, height))

    def within(self, other: Window) -> tuple[slice, slice]:
        """The rows and columns of this window in an array of another one that holds it."""
        return (
            slice(self.y0 - other.y0, self.y1 - other.y0),
            slice(self.x0 - other.x0, self.x1 - other.x0),
        )

    def common(self, other: Window) -> Window | None:
        """What both share; None if that is nothing."""
        shared = Window(max(self.x0, other.x0), max(self.y0, other.y0), min(self.x1, other.x1), min(self.y1, other.y1))
        return shared if shared.width > 0 and shared.height > 0 else None


@dataclass
class Layers:
    """Sums over samples within a window, by name; see the module's table.

    Attributes
    ----------
    samples : of each half; a mean divides by `HALVES * samples`.
    sums : radiance (H, W, 2, 3), shares (H, W), guides (H, W, 3); what is told at pixels' middles (H, W).
    """

    window: Window
    samples: int = 0
    sums: dict[str, Floats] = field(default_factory=dict)

    def __contains__(self, name: str) -> bool:
        return name in self.sums

    def mean(self, name: str) -> Floats:
        """A layer's mean over all samples: (H, W, 3), or (H, W) for a share."""
        part = self.sums[name]
        total = part[:, :, 0] + part[:, :, 1] if KINDS[name] == "radiance" else part
        return np.asarray(total * np.float32(1 / (HALVES * self.samples)), np.float32)

    def to_samples(self, samples: int) -> Layers:
        """The same means as sums over another number of samples."""
        if samples == self.samples:
            return self
        grown = np.float32(samples / self.samples)
        sums = {name: part if KINDS[name] == "middle" else part * grown for name, part in self.sums.items()}
        return Layers(self.window, samples, sums)

    def halves(self, name: str) -> tuple[Floats, Floats]:
        """The means of both halves of a radiance, (H, W, 3) each."""
        part = self.sums[name] / np.float32(self.samples)
        return part[:, :, 0], part[:, :, 1]
