"""Finding edges: line segments, grouped into up to three square directions, one of them plumb.

The picture's segments vote for an orientation and a focal length together: a guess is made from three
segments (two that would vanish together, one of a direction square to them) at each of several focal
lengths, the guess with which most length of segments agrees is refined by the camera's own fit, and
what it leaves unexplained is left out. Sources: Coughlan & Yuille 1999 (the square-directions
assumption, DOI 10.1109/ICCV.1999.790349); Fischler & Bolles 1981 (guessing from few and counting who
agrees). How far the result can be trusted is told by what the fit leaves over, widened because the segments of
one thing err together, and by how much worse the best different explanation is.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from lithopos.core.arrays import Array
from lithopos.core.camera.fit import fit_square
from lithopos.core.camera.problem import ImageSize, Pixel, Run
from lithopos.core.camera.segments import DETECT_SIDE, detect_segments
from lithopos.core.camera.vanishing import RUNS, Edges, edge_residuals, pair_edges

MOST_PROPOSED = 12  # edges of a run
_FOCALS = np.array([0.85, 1.05, 1.3, 1.6, 2.0, 2.6, 3.6])  # guesses, in half diagonals: 18 to 78 mm
_VOTERS = 200  # segments that guesses are judged by; all of them refine the best
_GUESSES = 420  # for each focal length
_STEEPEST_DEG = 40.0  # tilt of a camera whose plumb edges still look upright
_MOST_ROLL_DEG = 14.0
_AGREES_WELL = 0.6  # how far off a proposed edge may be, in tolerances
_TOGETHER = 2.5  # how much wider than for independent segments; from made-up photographs (docs/methods)

FINDING = 1  # raised when the method changes, so that what was kept is found anew

__all__ = ["FINDING", "FoundEdge", "FoundEdges", "find_edges"]


class FoundEdge(BaseModel):
    """A proposed edge [px] and how sure it is to belong to its run, 0 to 1."""

    family: Run
    points: list[Pixel]
    confidence: float


class FoundEdges(BaseModel):
    """Proposed edges of a photograph.

    Attributes
    ----------
    segments : every found segment, x and y of both ends [px], for drawing by hand to click onto.
    sure : whether a camera from these edges can be relied on.
    reason : why nothing is proposed, or why it is unsure; None if all is well.
    spread_percent, spread_deg : standard deviations of focal length and orientation.
    """

    image: ImageSize
    lines: list[FoundEdge]
    segments: list[tuple[float, float, float, float]] = []
    sure: bool
    reason: str | None
    spread_percent: float | None = None
    spread_deg: float | None = None


@dataclass(frozen=True)
class _Segments:
    """Found segments in half diagonals from the picture's centre.

    Attributes
    ----------
    first, second : (N, 2) ends.
    middle, way : (N, 2) centre and unit direction.
    length : (N,).
    tolerance : (N,) sine of the angle by which a segment of this length may be off.
    weight : (N,) its say: its length, bounded.
    """

    first: Array
    second: Array
    middle: Array
    way: Array
    length: Array
    tolerance: Array
    weight: Array


@dataclass(frozen=True)
class _Frame:
    """An explanation: focal length, rotation (columns A, B, plumb), each segment's run (3: none), its score."""

    focal: float
    rotation: Array
    run: NDArray[np.intp]
    score: float


def find_edges(picture: NDArray[np.uint8]) -> FoundEdges:
    """Propose edges and their runs for a photograph, (H, W) or (H, W, 3) codes.

    Returns
    -------
    Proposals, or none with the reason in words; never an error for a picture that shows nothing.
    """
    height, width = picture.shape[:2]
    size = ImageSize(width=width, height=height)
    ends = detect_segments(picture)
    told = [(float(a), float(b), float(c), float(d)) for a, b, c, d in ends.reshape(-1, 4)]
    nothing = FoundEdges(image=size, lines=[], segments=told, sure=False, reason=None)
    if len(ends) < 8:
        return nothing.model_copy(update={"reason": "hardly any straight edges stand out in this picture"})
    segments = _segments(ends, width, height)
    frames = _explanations(segments)
    if not frames:
        return nothing.model_copy(update={"reason": "the edges found share no square directions"})
    best = frames[0]
    counts = np.bincount(best.run, minlength=4)[:3]
    share = float(segments.weight[best.run < 3].sum() / segments.weight.sum())
    if (counts >= 3).sum() < 2 or share < 0.25:
        return nothing.model_copy(update={"reason": "the edges found share no square directions"})
    spread_f, spread_r = _spread(segments, best)
    rival = frames[1].score / best.score if len(frames) > 1 else 0.0
    doubt = _doubt(spread_f, spread_r, share, counts, rival)
    lines = _proposals(segments, best, ends, trusted=share * (0.6 if doubt else 1.0))
    return FoundEdges(
        image=size,
        lines=lines,
        segments=told,
        sure=doubt is None,
        reason=doubt,
        spread_percent=100 * spread_f,
        spread_deg=spread_r,
    )


def _segments(ends: Array, width: int, height: int) -> _Segments:
    half = np.hypot(width, height) / 2
    first, second = ((ends[:, i] - [width / 2, height / 2]) / half for i in (0, 1))
    length = np.linalg.norm(second - first, axis=1)
    pixel = max(width, height) / DETECT_SIDE / half if max(width, height) > DETECT_SIDE else 1 / half
    tolerance = np.clip(1.3 * pixel / (length / 2), np.radians(0.35), np.radians(2.0))
    return _Segments(
        first,
        second,
        (first + second) / 2,
        (second - first) / length[:, None],
        length,
        tolerance,
        np.minimum(length, 0.5),
    )


def _agreement(segments: _Segments, focal: Array, axes: Array) -> Array:
    """How far each segment is off each direction, in tolerances, (H, N, 3).

    Parameters
    ----------
    focal : (H,); axes : (H, 3, 3) unit directions as columns, in camera axes.
    """
    x, y = axes[:, 0] * focal[:, None], axes[:, 1] * focal[:, None]  # (H, 3)
    z = axes[:, 2]
    to_x = x[:, None] - z[:, None] * segments.middle[None, :, :1]
    to_y = y[:, None] - z[:, None] * segments.middle[None, :, 1:]
    across = segments.way[None, :, :1] * to_y - segments.way[None, :, 1:] * to_x
    reach = np.sqrt(to_x**2 + to_y**2)
    return np.asarray(np.abs(across) / np.maximum(reach, 1e-9) / segments.tolerance[None, :, None])


def _scored(segments: _Segments, focal: Array, axes: Array) -> Array:
    """Score (H,) of guesses: the length of what agrees, less for what agrees badly."""
    off = _agreement(segments, focal, axes).min(2)
    return np.asarray((segments.weight * np.maximum(1 - off**2, 0)).sum(1))


def _guesses(segments: _Segments, rng: np.random.Generator) -> tuple[Array, Array]:
    """Focal lengths (H,) and axes (H, 3, 3) through random threes of segments, plumb last."""
    count = len(segments.length)
    upright = np.flatnonzero(np.abs(segments.way[:, 0]) < np.sin(np.radians(32)))
    level = np.flatnonzero(np.abs(segments.way[:, 1]) < np.sin(np.radians(80)))
    if len(level) < 2:
        return np.zeros(0), np.zeros((0, 3, 3))
    chance = segments.weight / segments.weight.sum()

    def drawn(among: NDArray[np.intp]) -> NDArray[np.intp]:
        if not len(among):
            among = np.arange(count)
        share = chance[among] / chance[among].sum()
        return np.asarray(rng.choice(among, _GUESSES, p=share))

    focals, frames = [], []
    for focal in _FOCALS:
        ends = [np.column_stack([end, np.full(count, focal)]) for end in (segments.first, segments.second)]
        plane = np.cross(ends[0], ends[1])
        plane /= np.linalg.norm(plane, axis=1, keepdims=True)
        half = _GUESSES // 2
        # Two upright edges and a level one, or two level edges and an upright one.
        plumb = _unit(np.cross(plane[drawn(upright)], plane[drawn(upright)]))
        one = _unit(np.cross(plumb, plane[drawn(level)]))
        other = _unit(np.cross(plane[drawn(level)], plane[drawn(level)]))
        leaning = _unit(np.cross(other, plane[drawn(upright)]))
        plumb[half:], one[half:] = leaning[half:], other[half:]
        frames.append(np.stack([one, np.cross(plumb, one), plumb], 2))
        focals.append(np.full(_GUESSES, focal))
    focal, axes = np.concatenate(focals), np.concatenate(frames)
    good = np.isfinite(axes).all((1, 2)) & _is_upright(axes[:, :, 2])
    return focal[good], axes[good]


def _unit(v: Array) -> Array:
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(v / np.linalg.norm(v, axis=-1, keepdims=True))


def _is_upright(plumb: Array) -> NDArray[np.bool_]:
    """Whether plumb directions (H, 3) belong to a camera held as people hold one."""
    tilt = np.degrees(np.arcsin(np.clip(np.abs(plumb[:, 2]), 0, 1)))
    roll = np.degrees(np.arctan2(np.abs(plumb[:, 0]), np.abs(plumb[:, 1])))
    return (tilt < _STEEPEST_DEG) & (roll < _MOST_ROLL_DEG)


def _heaviest(segments: _Segments, count: int) -> _Segments:
    which = np.argsort(-segments.weight, kind="stable")[:count]
    return _Segments(**{name: values[which] for name, values in vars(segments).items()})


def _explanations(segments: _Segments) -> list[_Frame]:
    """The best explanations, refined, that really differ; the best first."""
    focal, axes = _guesses(segments, np.random.default_rng(1))
    if not len(focal):
        return []
    voters = _heaviest(segments, _VOTERS)
    score = np.concatenate([_scored(voters, focal[i : i + 256], axes[i : i + 256]) for i in range(0, len(focal), 256)])
    found: list[_Frame] = []
    tried: list[tuple[float, Array]] = []
    for i in np.argsort(-score):
        if len(tried) >= 8 or score[i] < 0.5 * score.max():
            break
        if any(_alike(focal[i], axes[i], f, r, 0.12, 3.0) for f, r in tried):
            continue
        tried.append((float(focal[i]), axes[i]))
        refined = _refined(segments, float(focal[i]), axes[i])
        if refined is not None:
            found.append(refined)
    found.sort(key=lambda frame: -frame.score)
    distinct: list[_Frame] = []
    for frame in found:
        if not any(_alike(frame.focal, frame.rotation, d.focal, d.rotation, 0.04, 1.0) for d in distinct):
            distinct.append(frame)
    return distinct


def _alike(focal: float, axes: Array, other_focal: float, other: Array, ratio: float, degrees: float) -> bool:
    """Whether two explanations are one, whichever run is called A and whichever way the axes point."""
    if abs(np.log(focal / other_focal)) > ratio:
        return False
    cosines = np.abs(axes.T @ other)
    return bool(np.degrees(np.arccos(np.clip(cosines.max(1), -1, 1))).max() < degrees)


def _refined(segments: _Segments, focal: float, axes: Array) -> _Frame | None:
    """The camera's own fit to what agrees, with who agrees settled anew a few times."""
    for loose in (2.0, 1.4, 1.0, 1.0):
        run = _assigned(segments, focal, axes, loose)
        if (np.bincount(run, minlength=4)[:3] >= 2).sum() < 2:
            return None
        fit = fit_square(_edges(segments, run), None)
        focal, axes = fit.focal, fit.rotation
        if not (0.3 < focal < 12) or not _is_upright(axes[None, :, 2])[0]:
            return None
    score = _scored(segments, np.array([focal]), axes[None])
    run = _assigned(segments, focal, axes, 1.0)
    # Run A goes across the view, run B into it.
    if abs(axes[0, 0]) < abs(axes[0, 1]):
        axes = np.column_stack([-axes[:, 1], axes[:, 0], axes[:, 2]])
        run = np.array([1, 0, 2, 3])[run]
    return _Frame(focal, axes, run, float(score[0]))


def _assigned(segments: _Segments, focal: float, axes: Array, loose: float) -> NDArray[np.intp]:
    """Each segment's run: the nearest direction, clearly nearer than the next; 3 for none."""
    off = _agreement(segments, np.array([focal]), axes[None])[0]
    order = np.sort(off, axis=1)
    run = np.argmin(off, axis=1)
    return np.asarray(np.where((order[:, 0] < loose) & (order[:, 1] > 2.5 * loose), run, 3), np.intp)


def _edges(segments: _Segments, run: NDArray[np.intp]) -> Edges:
    chosen = np.flatnonzero(run < 3)
    return pair_edges(segments.first[chosen], segments.second[chosen], run[chosen])


def _spread(segments: _Segments, best: _Frame) -> tuple[float, float]:
    """Standard deviation of log focal length and of the orientation [deg], from what the fit leaves over.

    Several segments of one thing (both sides of a joint, the bars of a window) err together, so that they
    count for fewer than they are: the deviations of independent ones are widened for that.
    """
    fit = fit_square(_edges(segments, best.run), None)
    freedom = max(len(fit.residuals) - 4, 1)
    covariance = np.linalg.inv(fit.information + 1e-9 * np.eye(4)) * fit.square / freedom * _TOGETHER**2
    return float(np.sqrt(covariance[0, 0])), float(np.degrees(np.sqrt(np.trace(covariance[1:, 1:]))))


def _doubt(spread_f: float, spread_deg: float, share: float, counts: NDArray[np.intp], rival: float) -> str | None:
    """Why the proposals can't be relied on, in words; None if they can."""
    if rival > 0.93:
        return "another explanation of the edges is nearly as good; check the runs, or mark some edges by hand"
    if share < 0.45 or counts.sum() < 14:
        return "few of the edges found fit together; check them, or mark some by hand"
    if spread_f > 0.022:
        return f"the edges found tell the focal length only to about ± {200 * spread_f:.0f} %; mark more by hand"
    if spread_deg > 0.45:
        return f"the edges found tell the orientation only to about ± {2 * spread_deg:.1f}°; mark more by hand"
    return None


def _proposals(segments: _Segments, best: _Frame, ends: Array, trusted: float) -> list[FoundEdge]:
    """The edges of each run that together tell most, not two on top of each other.

    Each next edge is the one whose measurement would shrink the covariance most (the determinant of the
    information grows by 1 + jᵀ C j; Fedorov 1972, section 2.5), among those that agree well.
    """
    off = _agreement(segments, np.array([best.focal]), best.rotation[None])[0]
    vanishing = best.rotation.T * [best.focal, best.focal, 1.0]
    rows = np.zeros((len(best.run), 4))
    for run in range(3):
        mine = np.flatnonzero(best.run == run)
        edges = pair_edges(segments.first[mine], segments.second[mine], np.full(len(mine), run))
        slope = edge_residuals(edges, np.tile(vanishing[run], (len(mine), 1)))[1] * [best.focal, best.focal, 1.0]
        seen = np.tile(best.rotation[:, run], (len(mine), 1))
        rows[mine] = np.column_stack([(slope[:, :2] * seen[:, :2]).sum(1), np.cross(seen, slope)])
    own = off[np.arange(len(off)), np.minimum(best.run, 2)]
    open_ = (best.run < 3) & (own < _AGREES_WELL)
    covariance, chosen = np.eye(4) * 1e8, list[int]()
    counts = np.zeros(3, int)
    while open_.any():
        gain = np.where(open_, np.einsum("ij,jk,ik->i", rows, covariance, rows), -1.0)
        # A run that has little yet goes first, so that each can be judged by itself.
        lacking = counts < min(4, int(counts.max()) + 1)
        first = open_ & lacking[np.minimum(best.run, 2)]
        i = int(np.argmax(np.where(first, gain, -1.0) if first.any() else gain))
        chosen.append(i)
        reach = covariance @ rows[i]
        covariance = covariance - np.outer(reach, reach) / (1 + rows[i] @ reach)
        counts[best.run[i]] += 1
        near = np.linalg.norm(segments.middle - segments.middle[i], axis=1) < 0.035
        open_ &= ~(near & (best.run == best.run[i])) & (counts[np.minimum(best.run, 2)] < MOST_PROPOSED)
        open_[i] = False
    found = []
    for run, family in enumerate(RUNS):
        for i in (i for i in chosen if best.run[i] == run):
            sure = trusted * max(1 - float(own[i]) ** 2 / 2, 0.0)
            points: list[Pixel] = [(float(x), float(y)) for x, y in ends[i]]
            found.append(FoundEdge(family=family, points=points, confidence=round(min(sure, 1.0), 3)))
    return found
