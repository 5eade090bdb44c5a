"""The made-up place's own graphics, as drawings: the yard's mark, the pavilion's poster. Letters are strokes."""

from __future__ import annotations

from pathlib import Path

import numpy as np

INK, LIME, TIDE, RUST = "#22282c", "#f3eee2", "#1d5c5b", "#a8432c"

# Letters as strokes on a field of 4 by 6, y down: points of polylines; a lone triple is a circle.
_LETTERS: dict[str, list[list[tuple[float, float]] | tuple[float, float, float]]] = {
    "O": [(2, 3, 2.6)],
    "S": [
        [(3.7, 0.9), (2.6, 0.4), (1.2, 0.5), (0.5, 1.5), (1.2, 2.6)],
        [(1.2, 2.6), (2.8, 3.3), (3.6, 4.4), (2.9, 5.5), (1.4, 5.6), (0.3, 5.0)],
    ],
    "I": [[(2, 0.4), (2, 5.6)]],
    "E": [[(3.6, 0.4), (0.6, 0.4), (0.6, 5.6), (3.6, 5.6)], [(0.6, 3), (3, 3)]],
    "R": [
        [(0.6, 5.6), (0.6, 0.4), (2.4, 0.4), (3.5, 1.2), (3.3, 2.5), (2.3, 3.1), (0.6, 3.1)],
        [(2.1, 3.1), (3.7, 5.6)],
    ],
    "T": [[(0.3, 0.4), (3.7, 0.4)], [(2, 0.4), (2, 5.6)]],
    "D": [[(0.6, 0.4), (0.6, 5.6), (2, 5.6), (3.4, 4.4), (3.6, 3), (3.4, 1.6), (2, 0.4), (0.6, 0.4)]],
}  # fmt: skip

_ROUND = 'fill="none" stroke-linecap="round" stroke-linejoin="round"'
_SVG = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {} {}">{}</svg>'

__all__ = ["GRAPHICS", "write_graphics"]


def _lettering(word: str, x: float, y: float, height: float, colour: str, weight: float = 0.14) -> str:
    """A word from a corner on, its letters `height` tall."""
    unit = height / 6
    found = []
    for number, letter in enumerate(word):
        left = x + number * 5 * unit
        for stroke in _LETTERS[letter]:
            if isinstance(stroke, tuple):
                cx, cy, r = stroke
                found.append(
                    f'<circle cx="{left + cx * unit:.1f}" cy="{y + cy * unit:.1f}" r="{r * unit * 0.78:.1f}"/>'
                )
            else:
                points = " ".join(f"{left + a * unit:.1f},{y + b * unit:.1f}" for a, b in stroke)
                found.append(f'<polyline points="{points}"/>')
    style = f'stroke="{colour}" stroke-width="{height * weight:.1f}" {_ROUND}'
    return f"<g {style}>{''.join(found)}</g>"


def _wave(y: float, width: float, rise: float, colour: str, weight: float) -> str:
    x = np.linspace(0, width, 60)
    line = y - rise * np.abs(np.sin(np.pi * x / width * 4)) ** 0.7
    points = " ".join(f"{a:.1f},{b:.1f}" for a, b in zip(x, line, strict=True))
    return f'<polyline points="{points}" fill="none" stroke="{colour}" stroke-width="{weight}"/>'


def tidewater_mark() -> str:
    """The yard's mark: an arch over the tide, with its name; nothing behind it."""
    arch = (
        f'<path d="M40 190V105a70 70 0 0 1 140 0V190h-36V108a34 34 0 0 0-68 0V190Z" fill="{TIDE}"/>'
        f'<path d="M30 205q20-22 40 0t40 0t40 0t40 0" stroke="{RUST}" stroke-width="14" {_ROUND}/>'
    )
    return _SVG.format(760, 240, arch + _lettering("TIDE", 240, 62, 116, INK))


def osier_poster() -> str:
    """The pavilion's poster: woven osier rods over the tide, upright."""
    rods = []
    for number in range(13):
        x = 60 + number * 40
        bend = 46 * np.sin(number * 1.7)
        rods.append(f'<path d="M{x} 640C{x + bend:.0f} 480 {x - bend:.0f} 330 {300 + (x - 300) * 0.45:.0f} 150"/>')
    bands = [
        f'<path d="M{70 + n * 16} {590 - n * 86}Q300 {650 - n * 96} {530 - n * 16} {590 - n * 86}"/>' for n in range(5)
    ]
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 600 900">'
        f'<rect width="600" height="900" fill="{LIME}"/><rect y="640" width="600" height="260" fill="{TIDE}"/>'
        f'<circle cx="300" cy="190" r="96" fill="{RUST}"/>'
        f'<g stroke="{INK}" stroke-width="9" {_ROUND}>{"".join(rods)}</g>'
        f'<g stroke="{RUST}" stroke-width="13" {_ROUND}>{"".join(bands)}</g>'
        f"{_wave(700, 600, 26, LIME, 7)}{_lettering('OSIER', 92, 740, 96, LIME)}</svg>"
    )


GRAPHICS = {"tidewater-mark": tidewater_mark, "osier-poster": osier_poster}


def write_graphics(folder: Path) -> None:
    """Write all of them."""
    for name, make in GRAPHICS.items():
        (folder / f"{name}.svg").write_text(make() + "\n")
