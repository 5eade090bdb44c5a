"""How strong the sun and the sky are in a photograph, by channel, from patches of one or several materials.

A patch i of the material m shows p = ρ_m (a_i θ_sun E_sun + θ_sky E_sky) in each channel: E is what a light of strength
1 gives its surface, a whether the sun reaches it, ρ its reflectance, θ the photograph's gain times the light's
strength, which is all that a picture can tell of either. Light is linear in θ (Ramamoorthi & Hanrahan 2001, A signal-
processing framework for inverse rendering, section 4); ρ is one more factor a material. All are solved together as
logarithms, which keeps them positive, by least squares with Huber's weights (Huber 1964, DOI
10.1214/aoms/1177703732) and with what is known beforehand:

- how much a material throws back: a known tone, or what its name says;
- that a photographer's white balance makes sunlit white about neutral, and its exposure about full;
- that sun and sky are those of a clear day, loosely;
- that what throws a shade also hides a part of the sky from it: all shades' factor by channel is an unknown of its own.

What the patches do not tell stays at that, with its width: so every figure has its ±.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.camera.least_squares import minimum
from lithopos.core.colour import REC709

# Standard deviations of natural logarithms.
SIGMA_TONE = 0.04  # of a known tone
SIGMA_NAMED = 0.25  # of what a material's name says of its luminance
SIGMA_UNNAMED = 0.6
SIGMA_TINT = 0.35  # of a material's colour, channel against luminance
SIGMA_WHITE, SIGMA_BALANCE = 0.4, 0.12  # of sunlit white: its luminance about 1, its channels about neutral
SIGMA_CLEAR = 0.35  # of the sky beside the sun, against a clear day's
OPEN, SIGMA_OPEN = -0.1, 0.25  # of what shades see of the sky, with what lit things beside them throw back
# A patch's own: its texture, how its surface really lies; each shade's difference from the others.
SIGMA_LIT, SIGMA_SHADE = 0.05, 0.12
HUBER = 1.5
WRONG = 3.0  # deviations at which a patch is called wrong
USUAL_TONE = 0.3
ROUNDS = 6  # of weights
_APART = np.eye(3) - REC709  # each channel against the luminance

__all__ = ["SIGMA_CLEAR", "Balance", "PatchIn", "solve_strengths"]


@dataclass(frozen=True)
class PatchIn:
    """A patch: what it shows (3,), its spread (relative), its material, whether the sun reaches it.

    `sun`, `sky` (3,) are what the lights of strength 1 give its surface, the sun in shade by way of the ground alone.
    """

    seen: Array
    spread: float
    material: str
    lit: bool
    sun: Array
    sky: Array


@dataclass(frozen=True)
class Balance:
    """The lights' strengths in the photograph.

    Attributes
    ----------
    sun, sky : (3,) the photograph's linear value per unit of irradiance on white, θ; the sun's is 0 where none shines.
    white : (3,) linear value of white, level, and lit.
    white_sigma, sky_sigma : relative standard deviations (3,) of white, and of sky beside sun.
    reflectances : (3,) by material.
    residuals : each patch's, of its luminance, relative.
    wrong : patches that contradict the others.
    """

    sun: Array
    sky: Array
    white: Array
    white_sigma: Array
    sky_sigma: Array
    reflectances: dict[str, Array] = field(default_factory=dict)
    residuals: tuple[float, ...] = ()
    wrong: tuple[bool, ...] = ()


class _Problem:
    """The unknowns are logarithms, by channel: θ of sun and sky, what shades see of the sky, ρ of each material."""

    def __init__(
        self,
        patches: list[PatchIn],
        named: dict[str, float],
        tones: dict[str, float],
        level_sun: Array,
        level_sky: Array,
        sigma_sky: float,
    ) -> None:
        self.shines = bool(np.any(level_sun > 0))
        self.names = sorted({patch.material for patch in patches})
        self.level = np.stack([level_sun * self.shines, level_sky])
        self.seen = np.log(np.maximum(_rows([patch.seen for patch in patches]), 1e-5))
        self.given = np.stack([_rows([patch.sun for patch in patches]) * self.shines, _rows([p.sky for p in patches])])
        self.shaded = np.array([self.shines and not patch.lit for patch in patches], float).reshape(-1, 1)
        own = [np.hypot(SIGMA_LIT if patch.lit else SIGMA_SHADE, patch.spread / 3) for patch in patches]
        self.sigma = np.array(own).reshape(-1, 1)
        self.material = np.array([self.names.index(patch.material) for patch in patches], int)
        self.count = 9 + 3 * len(self.names)
        self.plain = self._plain_beliefs(named, tones, sigma_sky)

    def start(self) -> Array:
        """A point to start from: all lights alike, materials dull."""
        x = np.full(self.count, np.log(USUAL_TONE))
        x[:6], x[6:9] = -np.log(self.level.sum(0).mean()), OPEN
        return x

    def white(self, x: Array) -> tuple[Array, Array]:
        """log of white, level and lit, (3,), and its slopes (3, n)."""
        sun, sky = np.exp(x[:3]) * self.level[0], np.exp(x[3:6]) * self.level[1]
        slope = np.zeros((3, self.count))
        slope[:, :3], slope[:, 3:6] = np.diag(sun / (sun + sky)), np.diag(sky / (sun + sky))
        return np.log(sun + sky), slope

    def off(self, x: Array) -> tuple[Array, Array]:
        """How far the patches are off, in logarithms, (N, 3), and their slopes (N, 3, n)."""
        sun = np.exp(x[:3]) * self.given[0]
        sky = np.exp(x[3:6] + self.shaded * x[6:9]) * self.given[1]
        light = np.maximum(sun + sky, 1e-12)
        slope = np.zeros((len(self.seen), 3, self.count))
        for channel in range(3):
            share = sky[:, channel] / light[:, channel]
            slope[:, channel, channel], slope[:, channel, 3 + channel] = 1 - share, share
            slope[:, channel, 6 + channel] = share * self.shaded[:, 0]
            slope[np.arange(len(self.seen)), channel, 9 + 3 * self.material + channel] = 1
        return x[9:].reshape(-1, 3)[self.material] + np.log(light) - self.seen, slope

    def known(self, x: Array) -> tuple[Array, Array]:
        """What is known beforehand over its standard deviations, (m,), and its slopes (m, n)."""
        white, slope = self.white(x)
        matrix, wished = self.plain
        rows = np.vstack([REC709 @ slope / SIGMA_WHITE, _APART @ slope / SIGMA_BALANCE, matrix])
        beliefs = [[REC709 @ white / SIGMA_WHITE], _APART @ white / SIGMA_BALANCE, matrix @ x - wished]
        return np.concatenate(beliefs), rows

    def _plain_beliefs(self, named: dict[str, float], tones: dict[str, float], sigma_sky: float) -> tuple[Array, Array]:
        """Those that are linear in the unknowns: a matrix (m, n) and what it should give (m,)."""
        one, rows, wished = np.eye(self.count), list[Array](), list[Array]()

        def believe(row: Array, value: float, sigma: float) -> None:
            rows.append(np.atleast_2d(row) / sigma)
            wished.append(np.full(len(rows[-1]), value / sigma))

        believe(one[3:6] - one[:3], 0.0, sigma_sky)
        believe(one[6:9], OPEN, SIGMA_OPEN)
        for number, name in enumerate(self.names):
            own = one[9 + 3 * number : 12 + 3 * number]
            known = name in tones
            tone = tones.get(name, named.get(name, USUAL_TONE))
            sigma = SIGMA_TONE if known else SIGMA_NAMED if name in named else SIGMA_UNNAMED
            believe(REC709 @ own, float(np.log(tone)), sigma)
            believe(_APART @ own, 0.0, SIGMA_TONE if known else SIGMA_TINT)
        return np.vstack(rows), np.concatenate(wished)


def _rows(values: list[Array]) -> Array:
    return np.array(values, float).reshape(-1, 3)


def solve_strengths(
    patches: list[PatchIn],
    level_sun: Array,
    level_sky: Array,
    named: dict[str, float],
    tones: dict[str, float],
    sigma_sky: float = SIGMA_CLEAR,
) -> Balance:
    """Strengths of sun and sky from patches; with no patch what is known beforehand.

    Parameters
    ----------
    level_sun, level_sky : (3,) what the lights of strength 1 give level ground; no sun shines where its is 0.
    named : what materials are taken to throw back by their names.
    tones : known tones: neutral reflectances, by material.
    sigma_sky : how far the sky beside the sun may be off, of natural logarithms.
    """
    problem = _Problem(patches, named, tones, level_sun, level_sky, sigma_sky)
    x, weight = problem.start(), np.ones((len(patches), 1))

    def residuals(at: Array) -> Array:
        return np.concatenate([(problem.off(at)[0] / problem.sigma * weight).ravel(), problem.known(at)[0]])

    def jacobian(at: Array) -> Array:
        own = problem.off(at)[1] * (weight / problem.sigma)[:, :, None]
        return np.vstack([own.reshape(-1, problem.count), problem.known(at)[1]])

    for _ in range(ROUNDS):
        x = minimum(residuals, jacobian, x)[0]
        distance = np.sqrt(((problem.off(x)[0] / problem.sigma) ** 2).mean(1))
        weight = np.sqrt(np.minimum(1.0, HUBER / np.maximum(distance, 1e-9)))[:, None]
    slope = jacobian(x)
    return _balance(problem, x, np.asarray(np.linalg.inv(slope.T @ slope), float), distance)


def _balance(problem: _Problem, x: Array, covariance: Array, distance: Array) -> Balance:
    white, slope = problem.white(x)
    beside = np.eye(problem.count)[3:6] - np.eye(problem.count)[:3]

    def sigma(rows: Array) -> Array:
        return np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", rows, covariance, rows), 0))

    return Balance(
        sun=np.exp(x[:3]) * problem.shines,
        sky=np.exp(x[3:6]),
        white=np.exp(white),
        white_sigma=sigma(slope),
        sky_sigma=sigma(beside) if problem.shines else np.zeros(3),
        reflectances=dict(zip(problem.names, np.exp(x[9:]).reshape(-1, 3), strict=True)),
        residuals=tuple(float(v) for v in -problem.off(x)[0] @ REC709),
        wrong=tuple(bool(v) for v in distance > WRONG),
    )
