"""What is known of a place's light before its patches: sun and sky, a panorama or a room's, windows and lamps."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.colour import REC709
from lithopos.core.light.clear_sky import (
    UP,
    overcast_irradiance,
    overcast_radiance,
    sky_irradiance,
    sky_radiance,
    sun_irradiance,
)
from lithopos.core.light.dome import Dome, dome_irradiance, dome_radiance
from lithopos.core.light.near import Near, Shaft, let_in, near_irradiance
from lithopos.core.light.strengths import SIGMA_CLEAR, Known, LightIn
from lithopos.core.place.about import About
from lithopos.core.place.shading import Openness
from lithopos.core.place.spots import Spots

SUN, SKY, ABOUT = "sun", "sky", "about"
SIGMA_ABOUT, SIGMA_ABOUT_TINT = 0.15, 0.08  # of what solids throw beside what the photograph shows of them
# What is clipped is so much brighter, in natural logarithms; how far that, and its colour, may be off.
CLIPPED_MORE, SIGMA_CLIPPED, SIGMA_CLIPPED_TINT = 0.5, 0.4, 0.25
# A room's own light, from all about: about as bright as the photograph is, which is mostly walls and floor.
USUAL_MEAN, SIGMA_USUAL, SIGMA_USUAL_TINT = (0.15, 0.15, 0.15), 0.7, 0.3
RULING = 0.5  # of what falls on level ground, from a panorama's sun: less is a lamp's, or a veiled one's
SIGMA_MEAN, SIGMA_MEAN_TINT = 0.5, 0.22

SIGMA_PANORAMA_TINT = 0.1  # of a panorama's sky beside a clear day's sun in its measure
# Of the sky beside the sun, where the photograph's sky is as a clear day's.
SIGMA_SKY_SEEN, SIGMA_SKY_SEEN_TINT = 0.15, 0.06

__all__ = ["ABOUT", "SKY", "SUN", "Daylight", "NearLight", "SkyShown"]


@dataclass(frozen=True)
class NearLight:
    """A light in the place, by its name, at strength 1, what is known of its strength, and what people call it."""

    name: str
    light: Near
    known: Known
    title: str = ""


@dataclass(frozen=True)
class SkyShown:
    """What the photograph's sky tells: its haze, and the logarithm of its strength (3,), with the standard deviations
    of its luminance and of channels against that; and which share of the light the lens loses in a corner. `units` (3,)
    are a panorama's beside the clear day's, where both show that sky.
    """

    turbidity: float
    strength: Array
    sigma: float
    sigma_tint: float
    falloff: float = 0.0
    units: Array | None = None


@dataclass(frozen=True)
class Daylight:
    """What is known of the light before the patches: the sun's direction (None: none shines), haze, the ground.

    Attributes
    ----------
    ground : the mean reflectance that the ground is taken to have; `ground_name` is what it is called, `ground_tint`
        its usual colour beside its luminance.
    dome : a panorama in place of the clear day, as it lies in the world; what its lower half shows is its ground.
    ground_shown : the reflectance (3,) that a panorama taken here shows of the ground.
    cover : how far the sky is overcast, 0..1; so much less is left of the sun.
    behind : where the sun stands though it does not shine: the sky is as bright as that makes it. By default `sun`.
    sigma_sky : how far the sky beside the sun may be off, of natural logarithms.
    room : there is no sky: what is left beside windows and lamps comes evenly from all about; `mean` is the
        photograph's mean colour, where it is known.
    near : windows and lamps whose light is in the photograph.
    about : what stands about: it takes of the sky's light, and throws back what the photograph shows of it.
    at : where things stand [m]: what the lights give there is told.
    sky_shown : what the sky in the photograph tells, where one is seen.
    lens : which share of the light the lens loses in a corner, where that is set by hand.
    gleam : how strongly gleaming ground mirrors and how rough it is, where a panorama tells what it mirrors.
    ground_told : the reflectance (3,) that the ground has by the photograph's balance, once that is known.
    """

    sun: Array | None
    turbidity: float
    ground: float
    ground_name: str = "ground"
    ground_tint: tuple[float, float, float] = (1.0, 1.0, 1.0)
    dome: Dome | None = None
    sigma_sky: float = SIGMA_CLEAR
    ground_shown: Array | None = None
    cover: float = 0.0
    behind: Array | None = None
    room: bool = False
    mean: tuple[float, float, float] | None = None
    near: tuple[NearLight, ...] = ()
    about: About | None = None
    at: Array = field(default_factory=lambda: np.zeros(3))
    sky_shown: SkyShown | None = None
    lens: float | None = None
    gleam: tuple[float, float] | None = None
    ground_told: Array | None = None

    @property
    def shines(self) -> bool:
        """Whether there is light and shade."""
        return self.sun is not None

    @property
    def let_in(self) -> Shaft | None:
        """The sunlight that comes in by windows, if any does."""
        return next((one.light for one in self.near if isinstance(one.light, Shaft)), None)

    @property
    def parted(self) -> bool:
        """Whether the sun reaches some of the place: outdoors, or by a window."""
        return self.shines or self.let_in is not None

    def reached(self, at: Array, normal: Array) -> bool:
        """Whether the sun reaches a place (3,) of a surface, as far as windows and what stands about let it."""
        if self.let_in is not None:
            return bool(np.isfinite(let_in(self.let_in, at[None])[0]))
        return self.about is None or self.about.lit(at, normal)

    @property
    def surely_lit(self) -> Array | None:
        """Where a panorama's sun is known to shine, (1, 2) [m]: where things stand."""
        return self.foot[None] if self.dome is not None and self.shines else None

    @property
    def foot(self) -> Array:
        """Where things stand (2,), to a quarter metre: they may be slid a little with nothing to be told again."""
        return np.asarray(np.round(4 * self.at[:2]) / 4)

    @property
    def falloff(self) -> float:
        """Which share of the light the lens loses in a corner, by hand or as far as the sky tells."""
        told = self.sky_shown.falloff if self.sky_shown else 0.0
        return told if self.lens is None else self.lens

    @property
    def local(self) -> bool:
        """Whether light changes from spot to spot: a room's, or a panorama's that no sun rules."""
        return self.room or (self.dome is not None and self.dome.share < RULING)

    def lights(self) -> list[LightIn]:
        """All lights with what each gives level ground where things stand, at strength 1, and what is known of it."""
        return self._lights

    @cached_property
    def _lights(self) -> list[LightIn]:
        sun, sky = self.irradiance(UP)
        found = [LightIn(SUN, sun)] if self.sun is not None else []
        known = self._room() if self.room else self._beside_sun() if self.sun is not None else None
        seen = self.about.at(self.at, UP) if self.about else None
        found.append(LightIn(SKY, sky if seen is None else seen.sky[0] * sky, known))
        found += [LightIn(one.name, near_irradiance(one.light, self.at, UP), one.known) for one in self.near]
        if seen is not None:
            found.append(LightIn(ABOUT, np.pi * seen.thrown[0], self._thrown(seen)))
        return found

    def _thrown(self, seen: Openness) -> Known:
        """Solids throw what the photograph shows of them, θ = 1/π, but more where that is clipped."""
        clipped = self._clipped(self.at, UP, seen)
        more = CLIPPED_MORE * clipped
        whole = float(REC709 @ more)
        r, g, b = (float(v) for v in more - whole)
        most = float(clipped.max())
        return Known(
            None,
            whole - float(np.log(np.pi)),
            float(np.hypot(SIGMA_ABOUT, SIGMA_CLIPPED * most)),
            SIGMA_ABOUT_TINT + SIGMA_CLIPPED_TINT * most,
            (r, g, b),
        )

    def _clipped(self, at: Array, normal: Array, seen: Openness) -> Array:
        assert self.about
        return self.about.clipped_at(at, normal, seen)

    def _beside_sun(self) -> Known:
        if self.dome is not None:
            same = self.sky_shown is not None and self.sky_shown.units is not None
            return Known(SUN, 0.0, self.sigma_sky, SIGMA_PANORAMA_TINT if same else None)
        if self.sky_shown and not self.cover:
            return Known(SUN, 0.0, min(self.sigma_sky, SIGMA_SKY_SEEN), SIGMA_SKY_SEEN_TINT)
        return Known(SUN, 0.0, self.sigma_sky)

    def _room(self) -> Known:
        """Walls about as bright as the photograph's mean give white just that: θ π is that mean."""
        colour = np.maximum(np.array(self.mean or USUAL_MEAN), 1e-4)
        bright = float(REC709 @ np.log(colour))
        sigma, sigma_tint = (SIGMA_MEAN, SIGMA_MEAN_TINT) if self.mean else (SIGMA_USUAL, SIGMA_USUAL_TINT)
        r, g, b = (float(v) for v in np.log(colour) - bright)
        return Known(None, bright - float(np.log(np.pi)), sigma, sigma_tint, (r, g, b))

    def given(self, normal: Array, at: Array | None, lit: bool) -> Array:
        """What the lights of strength 1 give a surface, in the order of `lights`, (L, 3).

        Parameters
        ----------
        at : where it is (3,) [m]; None where nobody knows: then no light is near.
        lit : whether the sun reaches it.
        """
        return self.given_all([normal], [at], [lit])[0]

    def given_closely(self, normal: Array, at: Array, lit: bool, spots: Spots) -> tuple[Array, Array]:
        """`given` of a surface at a place with what stands about spot by spot, and that light's strength beside the
        photograph's values, (3,): 1, but more where they are clipped.

        Strengths are fitted by sides in their means: what of a side the photograph does not show is rather like its
        mean than like its nearest spot. Fitted on the ground, that of what stands about makes up for what nobody drew
        there, which is no other surface's.
        """
        assert self.about
        seen = self.about.closely(at, normal, spots)
        brighter = np.exp(CLIPPED_MORE * self._clipped(at, normal, seen))
        return self._given(normal, at, lit, seen), brighter

    def given_all(self, normals: Sequence[Array], places: Sequence[Array | None], lit: Sequence[bool]) -> list[Array]:
        """`given` of several surfaces."""
        known = [n for n, place in enumerate(places) if place is not None]
        seen = dict[int, Openness]()
        if self.about and known:
            every = self.about.at_all(
                np.stack([place for place in places if place is not None]), np.stack([normals[n] for n in known])
            )
            seen = {n: every.one(number) for number, n in enumerate(known)}
        return [self._given(normals[n], place, lit[n], seen.get(n)) for n, place in enumerate(places)]

    def _given(self, normal: Array, at: Array | None, lit: bool, seen: Openness | None) -> Array:
        sun, bounced, sky, below = self.parts(normal)
        if seen is not None:
            bounced, sky, below = seen.sunlit[0] * bounced, seen.sky[0] * sky, seen.ground[0] * below
        rows = [lit * sun + bounced] if self.sun is not None else []
        rows.append(sky + below)
        for one in self.near:
            near = np.zeros(3)
            if at is not None:
                below = np.array([at[0], at[1], 0.0])
                if lit or not isinstance(one.light, Shaft):
                    near = near_irradiance(one.light, at, normal)
                near += self._seen_ground(normal) * near_irradiance(one.light, below, UP)
            rows.append(near)
        if self.about:
            rows.append(np.pi * seen.thrown[0] if seen is not None else np.zeros(3))
        return np.stack(rows)

    def bounced(self, normal: Array) -> Array:
        """What lit ground throws of the sun's light onto a surface that the sun does not reach, (3,)."""
        if self.sun is None or self.dome is not None:
            return np.zeros(3)
        return self._seen_ground(normal) * self._direct(UP)

    def irradiance(self, normal: Array) -> tuple[Array, Array]:
        """What sun and sky of strength 1, and the ground under them, give a surface, (3,) each."""
        sun, bounced, sky, below = self.parts(normal)
        return sun + bounced, sky + below

    def light_on(self, at: Array, normal: Array, lit: bool, seen: Openness) -> Array:
        """What all lights of strength 1 give a surface at a place (3,) that sees this about it, (3,)."""
        return np.asarray(self._given(normal, at, lit, seen).sum(0))

    def parts(self, normal: Array) -> tuple[Array, Array, Array, Array]:
        """What a sun of strength 1 gives a surface, and by way of the ground; the same of the sky; (3,) each."""
        none = np.zeros(3)
        if self.room:
            return none, none, np.full(3, np.pi), none
        if self.dome is not None:
            facing = max(float(self.sun @ normal), 0.0) if self.sun is not None else 0.0
            return facing * np.array(self.dome.sun), none, dome_irradiance(self.dome, normal), none
        sky, below = self._sky(normal), self._seen_ground(normal) * self._sky(UP)
        return (none if self.sun is None else self._direct(normal)), self.bounced(normal), sky, below

    def sky_towards(self, ways: Array) -> Array:
        """The radiance of what lights the place from afar towards unit vectors (..., 3), in any unit: (..., 3)."""
        if self.room:
            return np.ones(ways.shape)
        if self.dome is not None:
            return np.asarray(dome_radiance(self.dome, ways))
        clear = sky_radiance(self._sun_of_sky, self.turbidity, ways) * (1 - self.cover)
        return np.asarray(clear + overcast_radiance(self._sun_of_sky, self.turbidity, ways) * self.cover)

    @property
    def _sun_of_sky(self) -> Array:
        if self.behind is not None:
            return self.behind
        return self.sun if self.sun is not None else UP  # an even day is about as bright as one with a high sun

    def _seen_ground(self, normal: Array) -> Array:
        told = np.full(3, self.ground) if self.ground_told is None else self.ground_told
        return np.asarray((1 - float(normal[2])) / 2 * told)

    def _direct(self, normal: Array) -> Array:
        assert self.sun is not None
        return (1 - self.cover) * sun_irradiance(self.sun, self.turbidity, normal)

    def _sky(self, normal: Array) -> Array:
        clear = sky_irradiance(self._sun_of_sky, self.turbidity, normal)
        if not self.cover:
            return clear
        return (1 - self.cover) * clear + self.cover * overcast_irradiance(self._sun_of_sky, self.turbidity, normal)
