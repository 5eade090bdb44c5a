"""How strong the lights are in a photograph, by channel, from patches of one or several materials.

A patch i of the material m shows p = ρ_m Σ_l θ_l E_li in each channel: E is what a light of strength 1 gives its
surface, ρ its reflectance, θ the photograph's gain times the light's strength, which is all that a picture can tell of
either. Light is linear in θ (Ramamoorthi & Hanrahan 2001, A signal-processing framework for inverse rendering,
section 4); ρ is one more factor a material. All are solved together as logarithms, which keeps them positive, by least
squares with Huber's weights (Huber 1964, DOI 10.1214/aoms/1177703732) and with what is known beforehand:

- how much a material throws back: a known tone, or what its name says;
- that a photographer's white balance makes lit white about neutral, and its exposure about full;
- of each light, how strong it should be: beside another (the sky beside the sun), or for itself (a window);
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
ALIKE, TOLD = -0.5, 0.5  # lights whose errors go against one another so, and are told no better, are not told apart
ROUNDS = 6  # of weights
# Logarithms (3,) with their standard deviations, of the luminance and of channels against it: by name, of materials'
# reflectances or of lights' strengths.
Shown = dict[str, tuple[Array, tuple[float, float]]]
_APART = np.eye(3) - REC709  # each channel against the luminance

__all__ = [
    "SIGMA_BALANCE",
    "SIGMA_CLEAR",
    "SIGMA_NAMED",
    "SIGMA_WHITE",
    "Balance",
    "Known",
    "LightIn",
    "PatchIn",
    "Strength",
    "solve_strengths",
]


@dataclass(frozen=True)
class Known:
    """What is known of a light's strength beforehand.

    Attributes
    ----------
    beside : the light beside which it is told; None for itself.
    mean : the natural logarithm of that strength, and `sigma` its standard deviation.
    sigma_tint : of its colour, channel against luminance; None: each channel is by itself, with `sigma`.
    tint : (3,) logarithms of its colour against its luminance.
    """

    beside: str | None
    mean: float
    sigma: float
    sigma_tint: float | None = None
    tint: tuple[float, float, float] = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class LightIn:
    """A light: its name, what it gives level ground where things stand at strength 1, (3,), what is known of it."""

    name: str
    level: Array
    known: Known | None = None


@dataclass(frozen=True)
class PatchIn:
    """A patch: what it shows (3,), its spread (relative), its material, whether the sun reaches it.

    `light` (L, 3) is what each light of strength 1 gives its surface, the sun in shade by way of the ground alone.
    """

    seen: Array
    spread: float
    material: str
    lit: bool
    light: Array


@dataclass(frozen=True)
class Strength:
    """A light's θ by channel (3,), and the standard deviation of its logarithm (3,).

    `told` is how much narrower its luminance is than what was known beforehand, 0..1; `alike` names lights that the
    patches can't tell from it. `share_sigma` is the standard deviation of the logarithm of its share of all light, and
    `share_told` how much narrower that is than beforehand.
    """

    theta: Array
    sigma: Array
    share_sigma: float = 0.0
    share_told: float = 1.0
    told: float = 1.0
    alike: tuple[str, ...] = ()


@dataclass(frozen=True)
class Balance:
    """The lights' strengths in the photograph.

    Attributes
    ----------
    lights : by name.
    white : (3,) linear value of white, level, and lit.
    white_sigma : its relative standard deviation (3,).
    beside_sigma : (3,) that of the second light beside the first; 0 where there is one alone.
    reflectances : (3,) by material.
    residuals : each patch's, of its luminance, relative.
    wrong : patches that contradict the others.
    """

    lights: dict[str, Strength]
    white: Array
    white_sigma: Array
    beside_sigma: Array
    reflectances: dict[str, Array] = field(default_factory=dict)
    residuals: tuple[float, ...] = ()
    wrong: tuple[bool, ...] = ()


class _Problem:
    """The unknowns are logarithms, by channel: θ of each light, what shades see of the sky, ρ of each material."""

    def __init__(
        self,
        patches: list[PatchIn],
        lights: list[LightIn],
        named: dict[str, Array],
        tones: dict[str, float],
        white: tuple[float, float],
        dimmed: str,
        shown: Shown,
    ) -> None:
        self.lights = [light.name for light in lights]
        self.names = sorted({patch.material for patch in patches})
        self.level = np.stack([light.level for light in lights])
        self.seen = np.log(np.maximum(_rows([patch.seen for patch in patches]), 1e-5))
        # By light, patch and channel.
        self.given = np.array([patch.light for patch in patches], float).reshape(-1, len(lights), 3).swapaxes(0, 1)
        shaded = [not patch.lit for patch in patches]
        # What is hidden of the sky in shades, by light and patch.
        self.shaded = np.outer([name == dimmed for name in self.lights], np.array(shaded, float))
        own = [np.hypot(SIGMA_LIT if patch.lit else SIGMA_SHADE, patch.spread / 3) for patch in patches]
        self.sigma = np.array(own).reshape(-1, 1)
        self.material = np.array([self.names.index(patch.material) for patch in patches], int)
        self.open = 3 * len(lights)  # where in the unknowns the shades' factor begins
        self.first = self.open + 3  # and the materials
        self.count = self.first + 3 * len(self.names)
        self.sigma_white, self.sigma_balance = white
        self.plain = self._plain_beliefs(lights, named, tones, shown)

    def start(self, lights: list[LightIn]) -> Array:
        """A point to start from: all lights as they are known, the rest alike, materials dull."""
        x = np.full(self.count, np.log(USUAL_TONE))
        x[self.open : self.first] = OPEN
        x[: self.open] = -np.log(max(float(self.level.sum(0).mean()), 1e-9))
        for number, light in enumerate(lights):
            if light.known and light.known.beside is None:
                x[3 * number : 3 * number + 3] = light.known.mean + np.array(light.known.tint)
        return x

    def white(self, x: Array) -> tuple[Array, Array]:
        """log of white, level and lit, (3,), and its slopes (3, n)."""
        parts = np.exp(x[: self.open].reshape(-1, 3)) * self.level
        total = np.maximum(parts.sum(0), 1e-12)
        slope = np.zeros((3, self.count))
        for number, part in enumerate(parts):
            slope[:, 3 * number : 3 * number + 3] = np.diag(part / total)
        return np.log(total), slope

    def off(self, x: Array) -> tuple[Array, Array]:
        """How far the patches are off, in logarithms, (N, 3), and their slopes (N, 3, n)."""
        open_ = x[self.open : self.first]
        parts = self.given * np.exp(x[: self.open].reshape(-1, 1, 3) + self.shaded[..., None] * open_)
        light = np.maximum(parts.sum(0), 1e-12)
        share = parts / light
        slope = np.zeros((len(self.seen), 3, self.count))
        for channel in range(3):
            slope[:, channel, channel : self.open : 3] = share[..., channel].T
            slope[:, channel, self.open + channel] = (share[..., channel] * self.shaded).sum(0)
            slope[np.arange(len(self.seen)), channel, self.first + 3 * self.material + channel] = 1
        return x[self.first :].reshape(-1, 3)[self.material] + np.log(light) - self.seen, slope

    def known(self, x: Array) -> tuple[Array, Array]:
        """What is known beforehand over its standard deviations, (m,), and its slopes (m, n)."""
        white, slope = self.white(x)
        matrix, wished = self.plain
        rows = np.vstack([REC709 @ slope / self.sigma_white, _APART @ slope / self.sigma_balance, matrix])
        beliefs = [[REC709 @ white / self.sigma_white], _APART @ white / self.sigma_balance, matrix @ x - wished]
        return np.concatenate(beliefs), rows

    def _plain_beliefs(
        self, lights: list[LightIn], named: dict[str, Array], tones: dict[str, float], shown: Shown
    ) -> tuple[Array, Array]:
        """Those that are linear in the unknowns: a matrix (m, n) and what it should give (m,)."""
        one, rows, wished = np.eye(self.count), list[Array](), list[Array]()

        def believe(row: Array, value: float | Array, sigma: float) -> None:
            rows.append(np.atleast_2d(row) / sigma)
            wished.append(np.broadcast_to(value, len(rows[-1])) / sigma)

        def own(light: str) -> Array:
            at = 3 * self.lights.index(light)
            return one[at : at + 3]

        for light in lights:
            if light.name in shown:
                strength, (sigma, sigma_tint) = shown[light.name]
                believe(REC709 @ own(light.name), float(REC709 @ strength), sigma)
                believe(_APART @ own(light.name), _APART @ strength, sigma_tint)
            known = light.known
            if known is None:
                continue
            row = own(light.name) - (own(known.beside) if known.beside else 0)
            if known.sigma_tint is None:
                believe(row, known.mean, known.sigma)
            else:
                believe(REC709 @ row, known.mean, known.sigma)
                believe(_APART @ row, _APART @ np.array(known.tint), known.sigma_tint)
        believe(one[self.open : self.first], OPEN, SIGMA_OPEN)
        for number, name in enumerate(self.names):
            material = one[self.first + 3 * number : self.first + 3 * number + 3]
            given = name in tones
            usual = named.get(name, np.full(3, USUAL_TONE))
            tone = np.log(np.full(3, tones[name]) if given else usual)
            sigma = SIGMA_TONE if given else SIGMA_NAMED if name in named else SIGMA_UNNAMED
            believe(REC709 @ material, float(REC709 @ tone), sigma)
            believe(_APART @ material, _APART @ tone, SIGMA_TONE if given else SIGMA_TINT)
            if name in shown and not given:
                reflectance, (sigma, sigma_tint) = shown[name]
                believe(REC709 @ material, float(REC709 @ reflectance), sigma)
                believe(_APART @ material, _APART @ reflectance, sigma_tint)
        return np.vstack(rows), np.concatenate(wished)


def _rows(values: list[Array]) -> Array:
    return np.array(values, float).reshape(-1, 3)


def solve_strengths(
    patches: list[PatchIn],
    lights: list[LightIn],
    named: dict[str, Array],
    tones: dict[str, float],
    *,
    white: tuple[float, float] = (SIGMA_WHITE, SIGMA_BALANCE),
    dimmed: str = "",
    shown: Shown | None = None,
) -> Balance:
    """Strengths of lights from patches; with no patch what is known beforehand.

    Parameters
    ----------
    named : what materials are taken to throw back by their names, (3,) each.
    tones : known tones: neutral reflectances, by material.
    white : how far lit white may be from 1, and its channels from neutral, of natural logarithms.
    dimmed : the light of which shades see a part only.
    shown : what else tells how much materials throw back, or how strong lights are.
    """
    problem = _Problem(patches, lights, named, tones, white, dimmed, shown or {})
    x, weight = problem.start(lights), np.ones((len(patches), 1))

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

    def sigma(rows: Array) -> Array:
        return np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", rows, covariance, rows), 0))

    one = np.eye(problem.count)
    return Balance(
        lights=_strengths(problem, x, covariance),
        white=np.exp(white),
        white_sigma=sigma(slope),
        beside_sigma=sigma(one[3:6] - one[:3]) if len(problem.lights) > 1 else np.zeros(3),
        reflectances=dict(zip(problem.names, np.exp(x[problem.first :]).reshape(-1, 3), strict=True)),
        residuals=tuple(float(v) for v in -problem.off(x)[0] @ REC709),
        wrong=tuple(bool(v) for v in distance > WRONG),
    )


def _strengths(problem: _Problem, x: Array, covariance: Array) -> dict[str, Strength]:
    """Each light with how sure it is, and which of the others it can't be told from."""
    count = len(problem.lights)
    bright = np.kron(np.eye(count), REC709)  # each light's luminance
    bright = np.hstack([bright, np.zeros((count, problem.count - problem.open))])
    share = bright - REC709 @ problem.white(x)[1]
    known = problem.known(x)[1]
    before = np.asarray(np.linalg.inv(known.T @ known), float)
    after = bright @ covariance @ bright.T
    width, told = _narrowed(bright, before, covariance)
    share_width, share_told = _narrowed(share, before, covariance)
    together = after / np.outer(width, width)
    found = {}
    for number, name in enumerate(problem.lights):
        own = slice(3 * number, 3 * number + 3)
        alike = [
            problem.lights[other]
            for other in range(count)
            if other != number and together[number, other] < ALIKE and max(told[number], told[other]) < TOLD
        ]
        found[name] = Strength(
            np.exp(x[own]),
            np.sqrt(np.diag(covariance)[own]),
            float(share_width[number]),
            float(share_told[number]),
            float(told[number]),
            tuple(alike),
        )
    return found


def _narrowed(rows: Array, before: Array, after: Array) -> tuple[Array, Array]:
    """Standard deviations (n,) of combinations of the unknowns, and how much narrower they are than before, 0..1."""
    width, was = (np.sqrt(np.maximum(np.diag(rows @ part @ rows.T), 0)) for part in (after, before))
    return width, np.clip(1 - width / np.maximum(was, 1e-12), 0, 1)
