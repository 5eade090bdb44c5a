"""The one seam to the renderer package; a test double or a cluster can stand behind it as well.

What is traced is asked for by pixels, samples and seed. A sample's random numbers depend on nothing but its
pixel, its number and the seed: so a picture is the same in one piece or in tiles, in one go or in several,
and the place with the models and the place without them share their noise, which cancels where nothing changes.
"""

from __future__ import annotations

import gc
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats
from lithopos.core.render.absorption import absorbing
from lithopos.core.render.caustics import Irradiance, lit_places, traced
from lithopos.core.render.engine import FAST, choose_variant, load_renderer
from lithopos.core.render.film import FilmSampler
from lithopos.core.render.lanes import LaneSampler
from lithopos.core.render.paths import GatheredPaths
from lithopos.core.render.scene import Scene
from lithopos.core.render.sending import casters, sources_of, sun_cone
from lithopos.core.render.translate.lights import light_of
from lithopos.core.render.translate.models import Made, lets_through, model_shapes, moved_values
from lithopos.core.render.translate.receivers import receiver_shapes

# Roulette acts from the fourth bounce on. Cutting all paths at 16 bounces takes away 0.02 % of the light in a
# white-walled corner (measured against 64 bounces; see docs/methods/contact.md).
MAX_DEPTH, ROULETTE_DEPTH = 16, 4
PHOTONS = {False: 1 << 18, True: 1 << 21}  # sent out to what gathers light, for a proof and for a master

Pixels = NDArray[np.int32]
Place = Literal["with", "without"]

__all__ = ["MitsubaTracer", "Pixels", "Place", "Tracer"]


class Tracer(Protocol):
    """Traces a scene that it is shown."""

    def show(self, scene: Scene, fine: bool = False) -> None:
        """Load a scene; what is loaded already and holds is kept. `fine`: for a master."""
        ...

    def batches(self, pixels: Pixels, count: int) -> list[Pixels]:
        """Pixels (N, 2) as columns and rows, in portions of a second or two of work for `count` samples a half."""
        ...

    def radiance(self, place: Place, pixels: Pixels, first: int, count: int, seed: int) -> Floats:
        """Sums (N, 2, 3) over samples `first` to `first + count` of each half."""
        ...

    def first_hits(self, pixels: Pixels, first: int, count: int, seed: int) -> dict[str, Floats]:
        """Sums over the same samples of both halves: the models' `coverage` and `depth` (N,), their
        `albedo` and `normal` (N, 3).

        Where a receiver takes no light, also how much of each pixel such ones fill: `withheld` (N,).
        """
        ...

    def irradiance(self) -> Floats:
        """What all far lights give a level surface with nothing about it, (3,)."""
        ...

    def things_at(self, pixels: Pixels) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """Numbers (N,) of the model and of its material at pixels' middles, from 1; 0 where none is seen."""
        ...

    def sunlit(self, pixels: Pixels) -> tuple[Floats, NDArray[np.int32]] | None:
        """How much of the sun is seen (N,) at pixels' middles without the models, and the number of what is there (N,).

        NaN where a surface is turned away from the sun or nothing is there, whose number is 0; None if no sun shines,
        or it can't be told. The same scene has the same numbers in every process.
        """
        ...

    @property
    def manner(self) -> str:
        """The way in which light is followed: what was traced in another one has other noise."""
        ...

    def lit_places(self) -> Array:
        """Places (N, 3) of receivers that light gathered by models is seen on."""
        ...


class MitsubaTracer:
    """The renderer package. A moved model is moved in place; only what has changed is loaded again.

    Attributes
    ----------
    loaded : counts of `places`, `things` and `moved`, by which tests see what was kept.
    """

    def __init__(self) -> None:
        self.mi: Any = load_renderer()
        self.loaded = {"places": 0, "things": 0, "moved": 0}
        self._depths = (MAX_DEPTH, ROULETTE_DEPTH)
        depths = {"max_depth": MAX_DEPTH, "rr_depth": ROULETTE_DEPTH}
        # The plain one takes what is cut out of a surface for solid where it looks for the sun; the other follows light
        # through, at more cost.
        self._plain = self.mi.load_dict({"type": "path", **depths})
        self._through = self.mi.load_dict({"type": "volpath", **depths})
        self._paths: dict[Place, Any] = {"with": self._plain, "without": self._plain}
        self._maps: list[Irradiance] = []
        self.manner = "plain"
        self._sampler: LaneSampler | FilmSampler = (
            LaneSampler(self.mi) if choose_variant() == FAST else FilmSampler(self.mi)
        )
        self._places: dict[Place, Any] = {}
        self._keys: tuple[str, str] = ("", "")
        self._matrices: list[Array] = []
        self._irradiance: Floats | None = None

    def show(self, scene: Scene, fine: bool = False) -> None:
        """See `Tracer.show`."""
        self.scene = scene
        self._sampler.aim(scene.camera, scene.lens)
        matrices = [thing.matrix for thing in scene.models]
        same_place = scene.place_key != "" and scene.place_key == self._keys[0] and "without" in self._places
        if not same_place:
            # Freed first: the renderer numbers its objects, and kernels are found again by those numbers.
            self._places, self._irradiance = {}, None
            gc.collect()
            lights = {f"light{i}": light_of(self.mi, light) for i, light in enumerate(scene.lights)}
            self._lights = {name: light for name, light in lights.items() if light is not None}
            self._receivers = self._receiver_shapes()
            self._places["without"] = self._load(self._receivers)
            self.loaded["places"] += 1
        if same_place and scene.things_key == self._keys[1]:
            self._move(matrices)
        else:
            self._places.pop("with", None)
            added = {f"added{i}": light_of(self.mi, light) for i, light in enumerate(scene.added)}
            self._places["with"] = self._load({**self._receivers, **self._model_shapes(), **added})
            self.loaded["things"] += 1
        self._sampler.know(self._places["with"], scene)
        self._follow(scene, fine)
        self._keys, self._matrices = (scene.place_key, scene.things_key), matrices

    def _follow(self, scene: Scene, fine: bool) -> None:
        """Choose how light is followed; what gathers the light of the sun and of lamps is traced from there first."""
        through = any(lets_through(thing) for thing in scene.models)
        absorbed, sources = absorbing(scene), sources_of(scene)
        self._maps = []
        if choose_variant() == FAST and (through or absorbed or sources):
            self.manner = "own"
            if sources:
                self._maps = traced(self.mi, self._places["with"], scene, sources, PHOTONS[fine], seed=1)
            followed = [source for source, _ in sources]
            gathering = {name for name, _, _ in casters(scene)} if followed else set()
            self._paths = {
                "with": GatheredPaths(
                    self.mi, self._places["with"], followed, gathering, self._maps, absorbed, self._depths
                ),
                "without": GatheredPaths(self.mi, self._places["without"], [], set(), [], {}, self._depths),
            }
            return
        self.manner = "through" if through else "plain"
        integrator = self._through if through else self._plain
        self._paths = {"with": integrator, "without": integrator}

    def lit_places(self) -> Array:
        """See `Tracer.lit_places`."""
        white = self.scene.white
        return lit_places(self._maps, self.irradiance() if white is None else np.float32(np.pi) * white)

    def batches(self, pixels: Pixels, count: int) -> list[Pixels]:
        """See `Tracer.batches`."""
        return self._sampler.batches(pixels, count)

    def radiance(self, place: Place, pixels: Pixels, first: int, count: int, seed: int) -> Floats:
        """See `Tracer.radiance`."""
        return self._sampler.radiance(self._places[place], self._paths[place], pixels, first, count, seed)

    def first_hits(self, pixels: Pixels, first: int, count: int, seed: int) -> dict[str, Floats]:
        """See `Tracer.first_hits`."""
        return self._sampler.first_hits(self._places["with"], pixels, first, count, seed)

    def things_at(self, pixels: Pixels) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """See `Tracer.things_at`."""
        names = self._sampler.shapes_at(self._places["with"], pixels)
        found = np.zeros((2, len(pixels)), np.int32)
        for number, thing in enumerate(self.scene.models):
            for index, part in enumerate(thing.model.parts):
                found[:, names == f"model{number}part{index}"] = [[number + 1], [part.material + 1]]
        return found[0], found[1]

    def sunlit(self, pixels: Pixels) -> tuple[Floats, NDArray[np.int32]] | None:
        """See `Tracer.sunlit`; the fast variant alone can tell, and where all is sharp."""
        cone = sun_cone(self.scene, beside=0) if self.scene.let_in is None else None
        if cone is None or self.scene.lens or not isinstance(self._sampler, LaneSampler):
            return None
        share, names = self._sampler.sunlit(self._places["without"], pixels, cone.ways())
        # By their order among the receivers: the renderer's own numbers are others after a crash.
        patches = [(f"receiver{n}", len(receiver.patches)) for n, receiver in enumerate(self.scene.receivers)]
        number = np.zeros(len(pixels), np.int32)
        for index, name in enumerate(f"{name}patch{i}" for name, count in patches for i in range(count)):
            number[names == name] = index + 1
        return share, number

    def irradiance(self) -> Floats:
        """See `Tracer.irradiance`; from the emitter's own sampling of directions."""
        if self._irradiance is None:
            self._irradiance = _level_irradiance(self.mi, self._places["without"])
        return self._irradiance

    def _load(self, shapes: dict[str, Any]) -> Any:
        return self.mi.load_dict({"type": "scene", **self._lights, **shapes})

    def _receiver_shapes(self) -> dict[str, Any]:
        shapes: dict[str, Any] = {}
        for number, receiver in enumerate(self.scene.receivers):
            shapes |= receiver_shapes(self.mi, receiver, f"receiver{number}")
        return shapes

    def _model_shapes(self) -> dict[str, Any]:
        shapes: dict[str, Any] = {}
        made: Made = {}
        white = self.scene.white if self.scene.white is not None else self.irradiance() / np.float32(np.pi)
        for number, thing in enumerate(self.scene.models):
            shapes |= model_shapes(self.mi, thing, f"model{number}", white, made)
        return shapes

    def _move(self, matrices: list[Array]) -> None:
        values: dict[str, Any] = {}
        for number, (old, new) in enumerate(zip(self._matrices, matrices, strict=True)):
            if not np.array_equal(old, new):
                values |= moved_values(self.scene.models[number], f"model{number}")
        if not values:
            return
        parameters = self.mi.traverse(self._places["with"])
        for name, value in values.items():
            parameters[name] = value
        parameters.update()
        self.loaded["moved"] += 1


def _level_irradiance(mi: Any, scene: Any, samples: int = 1 << 16) -> Floats:
    """∫ L cos θ over the upper hemisphere, (3,), by Monte Carlo over all infinitely far lights."""
    import drjit as dr

    rng = np.random.default_rng(7)
    u, v = rng.random((2, samples), np.float32)
    total = np.zeros(3)
    for emitter in scene.emitters():
        if not emitter.is_environment():
            continue
        if mi.variant().startswith("scalar"):
            place = dr.zeros(mi.SurfaceInteraction3f)
            found = [emitter.sample_direction(place, mi.Point2f(a, b)) for a, b in zip(u[:8192], v[:8192], strict=True)]
            rise = np.array([max(direction.d.z, 0) for direction, _ in found])
            light = np.array([list(weight) for _, weight in found])
        else:
            place = dr.zeros(mi.SurfaceInteraction3f)
            direction, weight = emitter.sample_direction(place, mi.Point2f(u, v))
            rise, light = np.maximum(np.array(direction.d.z), 0), np.array(weight).T
        total += np.nan_to_num(light * rise[:, None]).mean(0)
    return total.astype(np.float32)
