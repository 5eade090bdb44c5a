"""What stands about, as light: the sky that it takes from a place, and what it throws onto it.

Solids throw what the photograph shows of them from spot to spot, read when they are drawn.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.grounds import PROXY_MATERIALS
from lithopos.core.light.patches import Colour
from lithopos.core.place.face import Face
from lithopos.core.place.far_side import FarSides
from lithopos.core.place.shading import Openness, Solids, openness, solids_of
from lithopos.core.place.sides import SidesShown, Spot
from lithopos.core.place.solids import ProxyAnswer
from lithopos.core.shot import Proxy

OFF_M = 0.05  # off the surface: a shadow map is not finer
USUAL_MEAN, USUAL_REFLECTANCE = 0.2, 0.3  # of a photograph, and of what it shows

__all__ = ["About", "about_of"]


@dataclass(frozen=True)
class About:
    """The solids of a place, and what their sides show in the photograph's linear values.

    `clipped` (F, 3) is which share of a side's comes from pixels that may be brighter; `far` tells the sides that look
    away, `sky` its radiance behind them towards unit vectors (..., 3), in any unit: (..., 3).
    """

    solids: Solids
    shown: SidesShown
    clipped: Array
    far: FarSides
    sky: Callable[[Array], Array]

    def at(self, place: Array, normal: Array) -> Openness:
        """What a surface at a place (3,) sees about it."""
        return self.at_all(place[None], normal[None])

    def at_all(self, places: Array, normals: Array) -> Openness:
        """What surfaces at places (N, 3) see about them: together sooner than one by one."""

        return openness(places, normals, self.solids, self._radiance, self.sky)

    def _radiance(self, places: Array, numbers: Array, ways: Array) -> Array:
        return self.shown.at(places, numbers) * self.far.beside_near(ways, numbers)

    def clipped_at(self, place: Array, normal: Array, seen: Openness) -> Array:
        """The share of what solids throw onto a surface that comes from clipped pixels, by channel (3,).

        Parameters
        ----------
        seen : what `at` tells of it.
        """
        if not self.clipped.any():
            return np.zeros(3)

        def radiance(places: Array, numbers: Array, ways: Array) -> Array:
            return self._radiance(places, numbers, ways) * self.clipped[numbers]

        part = openness(place[None], normal[None], self.solids, radiance, self.sky).thrown[0]
        return np.asarray(part / np.maximum(seen.thrown[0], 1e-9))

    def lit(self, place: Array, normal: Array) -> bool:
        """Whether the sun reaches a place (3,) of a surface, as far as these solids let it."""
        return bool(self.solids.lit((place + OFF_M * normal)[None])[0])

    def under(self, pixel: Pixel, camera: Pinhole) -> tuple[Array, Array] | None:
        """The place (3,) on a side that a pixel shows, and that side's normal; None where it shows none."""
        way = camera.rays(np.array([pixel], float))
        reach, number = self.solids.met(camera.position[None], way)
        if number[0] < 0:
            return None
        normal = self.solids.faces[int(number[0])].normal
        facing = normal if float(normal @ way[0]) < 0 else -normal
        return camera.position + reach[0] * way[0], facing


def about_of(
    proxies: Sequence[Proxy],
    answers: Sequence[ProxyAnswer],
    sun: Array | None,
    mean: Colour | None,
    sky: Callable[[Array], Array],
    light: Callable[[Array, Array, bool, Openness], Array],
) -> About | None:
    """What stands about; None where nothing does.

    Parameters
    ----------
    mean : the photograph's mean colour, by which sides that it does not show are guessed.
    sky : as `About` has it; `light` as `FarSides` has it.
    """
    faces, means, clipped, spots = list[Face](), list[Array](), list[Array](), list[list[Spot]]()
    usual = np.array(mean or (USUAL_MEAN,) * 3) / USUAL_REFLECTANCE
    by_id = {answer.id: answer for answer in answers}
    for proxy in proxies:
        answer = by_id.get(proxy.id)
        # Uneven ground is still the ground: it says nothing of what stands about.
        if proxy.hidden or proxy.is_ground or answer is None or not answer.faces:
            continue
        material = PROXY_MATERIALS[proxy.material]
        read = [np.array(colour) for colour in proxy.seen if colour is not None]
        guess = np.mean(read, axis=0) if read else usual * material.reflectance * np.array(material.tint)
        for number, corners in enumerate(answer.faces):
            faces.append(Face(np.array(corners)))
            colour = proxy.seen[number] if len(proxy.seen) == len(answer.faces) else None
            means.append(np.array(colour) if colour is not None else guess)
            spots.append(proxy.spots[number] if len(proxy.spots) == len(answer.faces) else [])
            lost = proxy.clipped[number] if len(proxy.clipped) == len(answer.faces) else None
            clipped.append(np.array(lost) if lost is not None else np.zeros(3))
    if not faces:
        return None
    solids = solids_of(faces, sun)
    shown = SidesShown(solids, np.array(means), spots)
    return About(solids, shown, np.array(clipped), FarSides(solids, sky, light), sky)
