"""Finding a badly drawn edge: leave each out in turn and see whether the rest then agree.

Not a softer average: an edge is set aside as a whole and shown, or kept as a whole. Where leaving out
either of two edges mends the fit alike, the edges can't tell which one is bad, and both are named.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from lithopos.core.camera.fit import Fit
from lithopos.core.camera.vanishing import RUN_LETTERS, Marks, kept

MOST_ASIDE = 0.25  # of the edges
_MOST_TRIED = 8  # edges left out in turn
_HOPELESS = 60.0  # root mean square residual, in the hand's own errors, beyond which no edge is to blame
_MOST_WORK = 12_000  # fits times edges, about two seconds
_CHANCE = 0.002  # that a good set of edges loses one
_CLEARLY = 9.0  # how much worse the second best removal must be, in squared standard deviations

__all__ = ["set_aside"]


def set_aside(marks: Marks, fit_of: Callable[[Marks], Fit], hand: float) -> tuple[NDArray[np.bool_], list[str], Fit]:
    """Which edges contradict all the others.

    Parameters
    ----------
    fit_of : solves the camera from some of the marks.
    hand : standard deviation of a well marked coordinate, which the others are never believed beyond.

    Returns
    -------
    (N,) true for edges to be left out, plain sentences on doubts that could not be settled, and the fit
    to the edges that are kept.
    """
    aside = np.zeros(len(marks.run), bool)
    now = fit_of(marks)
    fits = _MOST_WORK // max(len(marks.run), 1)
    while aside.sum() < int(MOST_ASIDE * len(aside)):
        if now.square < (2 * hand) ** 2 * 2:
            break  # all agree as well as a hand can draw
        if now.square > _HOPELESS**2 * hand**2 * max(len(now.residuals), 1):
            break  # nothing agrees with anything: there is no one edge to blame
        tried = {i: fit_of(kept(marks, (~aside) & (np.arange(len(aside)) != i))) for i in _suspects(marks, aside, now)}
        fits -= len(tried)
        if not tried or fits < 0:
            break  # thousands of contradicting edges are nothing that a hand has drawn
        order = sorted(tried, key=lambda i: tried[i].square)
        best = order[0]
        left = tried[best]
        freedom = max(int((~aside).sum()) - 1 - len(left.information) + int((marks.counts[~aside] - 2).sum()), 0)
        noise = max((2 * hand**2 + left.square) / (2 + freedom), hand**2)
        gain = (now.square - left.square) / noise
        limit = float(stdtrit(2 + freedom, 1 - _CHANCE / 2 / len(order))) ** 2
        if gain < limit:
            break
        rivals = [i for i in order[1:] if (tried[i].square - left.square) / noise < _CLEARLY]
        if rivals:
            names = _names(marks)
            suspects = " or ".join(names[i] for i in sorted([best, *rivals])[:4])
            return aside, [f"One of the edges is badly drawn, but they can't tell which: {suspects}."], now
        aside[best] = True
        now = left
    names = _names(marks)
    doubts = [f"Edge {names[i]} contradicts the others and was set aside." for i in np.flatnonzero(aside)]
    return aside, doubts, now


def _suspects(marks: Marks, aside: NDArray[np.bool_], now: Fit) -> list[int]:
    """The edges that lie farthest off, of those whose run still has two without them."""
    left = [int(np.count_nonzero((marks.run == run) & ~aside)) for run in range(3)]
    kept_ones = np.flatnonzero(~aside)
    off = now.residuals**2 + now.crooked
    order = kept_ones[np.argsort(-off, kind="stable")]
    return [int(i) for i in order if left[marks.run[i]] > 2][:_MOST_TRIED]


def _names(marks: Marks) -> list[str]:
    """A1, A2, B1 … in the order of marking."""
    seen = [0, 0, 0]
    names = []
    for run in marks.run:
        seen[run] += 1
        names.append(f"{RUN_LETTERS[run]}{seen[run]}")
    return names
