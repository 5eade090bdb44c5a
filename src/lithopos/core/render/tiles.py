"""Large pictures in tiles: what is traced, kept and composed at a time."""

from __future__ import annotations

from lithopos.core.layers import Window

ONE_PIECE = 2_000_000  # pixels up to which a picture is one tile
TILE_PX = 1024

__all__ = ["neighbours", "tiles_of"]


def tiles_of(bounds: Window, width: int, height: int) -> list[Window]:
    """The parts of a picture's bounds to be made one after the other, by lines along the bounds' shorter side.

    Tiles lie on a grid of the whole picture, so that what was kept of one serves again when the bounds move. Up to
    three lines are at hand at a time: the shorter they are, the less memory that takes.
    """
    if width * height <= ONE_PIECE:
        return [Window(0, 0, width, height)]
    columns = range(bounds.x0 // TILE_PX * TILE_PX, bounds.x1, TILE_PX)
    rows = range(bounds.y0 // TILE_PX * TILE_PX, bounds.y1, TILE_PX)
    wide = bounds.width > bounds.height
    corners = [(x, y) for x in columns for y in rows] if wide else [(x, y) for y in rows for x in columns]
    return [Window(x, y, min(x + TILE_PX, width), min(y + TILE_PX, height)) for x, y in corners]


def neighbours(tile: Window, tiles: list[Window]) -> list[Window]:
    """The tiles that touch a tile, itself among them."""
    grown = Window(tile.x0 - 1, tile.y0 - 1, tile.x1 + 1, tile.y1 + 1)
    return [other for other in tiles if grown.common(other)]
