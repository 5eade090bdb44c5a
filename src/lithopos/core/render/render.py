"""A render: tiles, and portions of samples in each; every portion can be the last, every tile is a checkpoint.

A picture of up to two million pixels is one tile and grows finer portion by portion; a larger one is finished
tile by tile, each composed as soon as its neighbours are traced. A stopped or killed render goes on with the
tile that it was at; the same shot, quality and seed give the same picture, in one go or in several.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Generator, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Floats, Mask
from lithopos.core.blend.blend import Tones, as_photographed
from lithopos.core.blend.grade import graded, is_plain, luts_of
from lithopos.core.blend.lut import Luts, ReadLut
from lithopos.core.composite.bump import bumped, relief
from lithopos.core.composite.catch import BRIGHTEST, BRIGHTEST_ADDED, Caught, catch, halo_px, noise_of
from lithopos.core.composite.denoise import Quality as Denoising
from lithopos.core.composite.given import given
from lithopos.core.composite.mattes import coverage_of, front_light, front_of
from lithopos.core.composite.passes import Names, Passes, keep_names, keep_passes, put_together
from lithopos.core.composite.scope import Scope, scope_of
from lithopos.core.composite.whites import Whites, whites_of
from lithopos.core.deliver.framed import window_of
from lithopos.core.errors import Cancelled, InputError, NothingSeen
from lithopos.core.exchange.graphic import ReadGraphic
from lithopos.core.exchange.picture import Picture, seen_in_srgb
from lithopos.core.geometry.model import Model
from lithopos.core.layers import HALVES, Layers, Window
from lithopos.core.place.falloff import light_map
from lithopos.core.render.checkpoint import Checkpoint
from lithopos.core.render.influence import Influence, influence_of
from lithopos.core.render.scene import ReadPanorama, ReadPhotograph, Scene
from lithopos.core.render.session import Session
from lithopos.core.render.tiles import neighbours, tiles_of
from lithopos.core.render.tracer import Pixels, Place
from lithopos.core.shot import Blend, Contact, Shot

Quality = Literal["proof", "master"]
Portion = tuple[int, int]  # the first sample of each half, and how many

PROOF_WIDTH = 960
PROOF_SAMPLES = 32
PART_SAMPLES = 256  # of a part of a proof that is to be seen finely
MOST_BYTES = 6 << 30
BYTES_A_PIXEL = 60  # of the whole picture: its codes twice, as read and as made, and what sizing it takes
LEAST_SAMPLES = 8  # of each half, before noise is judged
# Of a shot: what changes no pixel.
OF_TAKES = {"take", "plate_strokes", "front_strokes", "passings", "keys"}  # nothing of a still picture
AFTERWARDS = {"name", "output", "deliverables", "replies", "set_aside", "viewpoints", "options"} | OF_TAKES
# What is given to pictures that are traced already: a proof in which nothing else is changed needs no tracing.
GIVEN: dict[str, Any] = {
    **dict.fromkeys(AFTERWARDS, True),
    "blend": set(Blend.model_fields) - {"lens"},
    "contact": {"shadow", "warmth", "uneven_mm"},
    "exposure": True,
}
UNTOLD = "{}: its hair can’t be told, nothing in or beside its band is sure; its outline stands."
BYTES_A_RENDER = 1 << 30  # the renderer, its kernels, three rows of tiles

__all__ = [
    "AFTERWARDS",
    "OF_TAKES",
    "PART_SAMPLES",
    "PROOF_SAMPLES",
    "PROOF_WIDTH",
    "Quality",
    "Step",
    "portions",
    "refuse_too_large",
    "render_shot",
    "traced_alike",
]


@dataclass(frozen=True)
class Step:
    """Where a render is.

    Attributes
    ----------
    done, of : portions of tiles.
    samples : a pixel so far (of the finished tiles, where there are several).
    picture : the picture so far, where this step changed it; the last step always has it.
    cut : stray pixels that were cut so far.
    notes : plain sentences on what is doubtful.
    whites, scope : of the finished picture, where it was made in one piece.
    noise : the most of a tile so far, in codes of 255, before it is smoothed; None as long as nothing is traced.
    """

    done: int
    of: int
    samples: int
    seconds_left: float
    picture: Picture | None
    cut: int
    notes: tuple[str, ...] = ()
    whites: Whites | None = None
    scope: Scope | None = None
    noise: float | None = None


def traced_alike(one: Shot, other: Shot) -> bool:
    """Whether what is traced of two shots is the same, however their pictures' tones, grain and edges differ."""
    return one.model_dump(exclude=GIVEN) == other.model_dump(exclude=GIVEN)


def portions(samples: int, quality: Quality, made: int = 0) -> list[Portion]:
    """Samples of each half, portion by portion: few at first, then more and more.

    Parameters
    ----------
    made : samples of an earlier render that is gone on with: its portions stay as they were.
    """
    half, plan = max(1, -(-samples // HALVES)), portions(made, quality) if made else list[Portion]()
    reach = 4 if quality == "proof" else 8
    at = sum(count for _, count in plan)
    while reach <= at:
        reach *= 4
    while at < half:
        upto = min(reach, half)
        plan.append((at, upto - at))
        at, reach = upto, reach * 4
    return plan


def refuse_too_large(width: int, height: int, scale: float) -> None:
    """Reckon what a render needs before anything starts.

    Raises
    ------
    InputError
        If it is more than this program may take; the figure is told.
    """
    pixels = width * scale * height * scale
    needed = BYTES_A_RENDER + BYTES_A_PIXEL * max(pixels, width * height)
    if needed > MOST_BYTES:
        size = f"{round(width * scale)} × {round(height * scale)}"
        raise InputError(
            "output.scale",
            f"asks for a picture of {size}, which needs about {needed / 2**30:.0f} GB of memory; "
            f"{MOST_BYTES >> 30} GB is the limit",
        )


def render_shot(
    shot: Shot,
    photograph: Picture | Callable[[], Picture],
    read_model: Callable[[str], Model],
    *,
    quality: Quality = "proof",
    scale: float | None = None,
    samples: int | None = None,
    seed: int = 0,
    session: Session | None = None,
    photograph_key: str = "",
    keep: Path | None = None,
    between: Callable[[], bool] = lambda: False,
    read_graphic: ReadGraphic | None = None,
    read_panorama: ReadPanorama | None = None,
    read_lut: ReadLut | None = None,
    read_photograph: ReadPhotograph | None = None,
    made: int = 0,
    part: Window | None = None,
    over: Picture | None = None,
    passes: Path | None = None,
) -> Generator[Step, None, None]:
    """Render a shot step by step.

    Parameters
    ----------
    photograph : or what reads it, which is only called where the session has it no longer.
    scale : of the photograph's size; by default a proof is `PROOF_WIDTH` wide and a master as the shot says.
    samples : a pixel; by default those of the quality, and of a master fewer where it is fine enough before.
    session : what is warm from earlier renders; `photograph_key` tells the photograph's content for it.
    keep : a folder for checkpoints; a render that finds its own there goes on from them.
    between : called every second or two; true stops the render.
    read_graphic : gives a picture by its name for prints and panes; of a film the frame at a time [s].
    read_panorama : gives a panorama by its name.
    read_lut : gives a table of colours by its file's name.
    read_photograph : gives another photograph of the site by its name.
    made : samples that the folder of checkpoints has already, of a picture that is to become finer.
    part : of the photograph, in its pixels: only this is rendered, over a picture that there is already (`over`).
    passes : a folder for the finished picture's passes.

    Raises
    ------
    InputError
        If the shot lacks something or is too large; Cancelled if it was stopped; NoRoom if the disk is full.
    """
    if shot.photograph is None:
        raise InputError("photograph", "is missing: a shot begins with one")
    if scale is None:
        wide = min((shot.frame or shot.photograph).width, shot.photograph.width)
        scale = min(1.0, PROOF_WIDTH / wide) if quality == "proof" else shot.output.scale
    refuse_too_large(shot.photograph.width, shot.photograph.height, scale)
    session = session or Session()
    read = photograph if callable(photograph) else lambda: photograph
    base = session.photograph(photograph_key, read, scale)
    _refuse_other_size(shot, base, scale)
    readers = read_model, read_graphic, read_panorama, read_photograph
    scene = session.scene(shot, base, photograph_key, *readers, fine=quality == "master")
    plan = portions(samples or (PROOF_SAMPLES if quality == "proof" else shot.output.samples), quality, made)
    job = _Job(scene, session, base, plan, seed, between, shot.photograph.width)
    job.with_glance = quality == "proof" and len(plan) > 1 and part is None
    job.enough = shot.output.noise if quality == "master" and samples is None else None
    job.passes, job.luts = passes, luts_of(shot.blend, read_lut)
    if shot.frame:
        job.seen = window_of(shot.frame, scale, base.codes.shape[1], base.codes.shape[0])
    if part is not None:
        job.part = _scaled(part, scale, base)
        job.over = over
    if photograph_key and quality == "proof":
        traced_by = shot.model_dump_json(exclude=GIVEN)
        job.traced_by = repr((traced_by, scale, seed, plan, photograph_key, scene.place_key))
    if keep:
        look = shot.model_dump_json(exclude=AFTERWARDS)
        job.checkpoint = Checkpoint(keep, repr((look, scale, seed, scene.place_key)))
    yield from job.steps()
    if quality == "proof":
        job.checkpoint.clear()


def _scaled(part: Window, scale: float, base: Picture) -> Window:
    """A part of the photograph in a sized copy's pixels, cut at its borders."""
    height, width = base.codes.shape[:2]
    x0, y0, x1, y1 = (round(value * scale) for value in part)
    found = Window(x0, y0, x1, y1).common(Window(0, 0, width, height))
    if found is None or found.width < 2 or found.height < 2:
        raise InputError("part", "lies outside the picture, or is too small")
    return found


def _refuse_other_size(shot: Shot, base: Picture, scale: float) -> None:
    assert shot.photograph
    height, width = base.codes.shape[:2]
    wanted = (shot.photograph.width * scale, shot.photograph.height * scale)
    if abs(width - wanted[0]) > 1 or abs(height - wanted[1]) > 1:
        raise InputError(
            "photograph",
            f"is {width / scale:.0f} × {height / scale:.0f} pixels, but the shot says "
            f"{shot.photograph.width} × {shot.photograph.height}",
        )


def _shadow_power(contact: Contact) -> Floats | None:
    """The power to which what is left of the light counts, by channel (3,); None where it is as computed."""
    if contact.shadow == 1 and contact.warmth == 0:
        return None
    warm = 0.5 * contact.warmth
    return np.array([contact.shadow * (1 - warm), contact.shadow, contact.shadow * (1 + warm)], np.float32)


@dataclass
class _Job:
    """One render under way."""

    scene: Scene
    session: Session
    base: Picture
    plan: list[Portion]
    seed: int
    between: Callable[[], bool]
    full_width: int
    with_glance: bool = False
    enough: float | None = None  # the noise at which a tile is fine enough
    seen: Window | None = None  # the part that the frame shows; None: all
    part: Window | None = None
    over: Picture | None = None
    passes: Path | None = None
    luts: Luts = field(default_factory=dict)
    checkpoint: Checkpoint = field(default_factory=Checkpoint)
    traced_by: str = ""  # all that what is traced depends on; "": it is not kept for the next render
    whites: Whites | None = None
    scope: Scope | None = None
    untold: dict[str, str] = field(default_factory=dict)  # mattes whose hair could not be told, in words

    def steps(self) -> Iterator[Step]:
        """See `render_shot`."""
        height, width = self.base.codes.shape[:2]
        self.influence: Influence = influence_of(self.scene, self.session.tracer.lit_places())
        bounds = self.influence.bounds()
        if bounds is not None and self.seen is not None:
            bounds = bounds.common(self.seen)
        if bounds is None:
            raise NothingSeen("models", "stand outside the picture: neither they nor their shadows would be seen")
        self.bounds, self.gain = bounds, self.scene.gain
        if self.passes is not None:
            materials = (tuple(one.name for one in thing.model.materials) for thing in self.scene.models)
            keep_names(Names(_told_apart([thing.name for thing in self.scene.models]), tuple(materials)), self.passes)
        self.tiles = [self.part] if self.part else tiles_of(self.bounds, width, height)
        own, over, blend = self.base.as_came, self.over, self.scene.blend
        self.tones = Tones(blend.place, blend.whole, self.luts, own.encoding)
        laid_over = over is not None and over.codes.shape == own.codes.shape
        self.codes = (over.codes if over and laid_over else self.tones.photograph(own.codes)).copy()
        self.cuts: dict[Window, int] = {}
        self.noises: dict[Window, float] = {}
        self.sums: dict[Window, Layers] = {}
        self.whole: dict[Window, int] = {}  # tiles that are traced as finely as they shall be: samples of each half
        self.done, self.of = 0, len(self.tiles) * len(self.plan)
        self.started, self.worked = time.monotonic(), 0
        composed = self._resumed()
        for tile in self.tiles:
            if tile in composed:
                continue
            yield from self._traced(tile)
            for ready in self._ready(tile, composed):
                if len(self.tiles) > 1:
                    self._compose(ready, "high", last=True)
                    self.checkpoint.finish(ready, self.codes[ready.slices], self.cuts[ready], self._whole)
                composed.add(ready)
            self._forget(composed)
            if len(composed) < len(self.tiles):
                yield self._step(self.plan[-1], picture=True)
        samples = max(self.whole.values(), default=self._whole)
        yield replace(self._step((0, samples), picture=True, seconds_left=0.0), whites=self.whites, scope=self.scope)

    def _judge(self, layers: Layers) -> None:
        """Tones and whites of a finished picture in one piece, whose whole cover is at hand."""
        height, width = self.codes.shape[:2]
        cover = np.zeros((height, width), np.float32)
        if "coverage" in layers:
            cover[layers.window.slices] = np.clip(layers.mean("coverage"), 0, 1)
        rows, columns = np.mgrid[:height, :width]
        rays = self.scene.camera.rays(np.column_stack([columns.ravel(), rows.ravel()]) + 0.5)
        self.scope = scope_of(self.codes, cover)
        shown = seen_in_srgb(Picture(self.codes, self.base.as_came.icc))
        self.whites = whites_of(shown.codes, cover, (rays[:, 2] < 0).reshape(height, width))

    def _resumed(self) -> set[Window]:
        """Tiles that an earlier run has finished; their codes are put in place."""
        composed = set()
        for tile in self.tiles:
            finished = self.checkpoint.finished(tile, self._whole)
            if finished is not None:
                self.codes[tile.slices], self.cuts[tile] = finished
                composed.add(tile)
                self.done += len(self.plan)
        return composed

    def _traced(self, tile: Window) -> Iterator[Step]:
        """Trace a tile portion by portion; what an earlier run has kept of it is gone on with."""
        layers = self.checkpoint.traced(tile) or self.session.traced(self.traced_by, tile) or Layers(tile)
        y, x = np.nonzero(self.influence.pixels(self.influence.changed, tile))
        pixels = np.column_stack([x + tile.x0, y + tile.y0]).astype(np.int32)
        covered = self.influence.pixels(self.influence.covered, tile)[y, x]
        alone = len(self.tiles) == 1
        if self.with_glance and alone and layers.samples == 0:
            self._glance(tile, pixels, covered)
            yield self._step((0, 1), picture=True)
        self.sums[tile] = layers
        for number, portion in enumerate(self.plan):
            first, count = portion
            last = number + 1 == len(self.plan)
            self.done += 1
            kept = layers.samples > first  # by an earlier run
            if not kept:
                if len(pixels):
                    self._add_traced(layers, pixels, covered, portion)
                    self._note_the_sun(layers, pixels)
                layers.samples += count
                self.worked += len(pixels) * count
                self.checkpoint.keep(layers, at_once=not alone)
            elif layers.samples > first + count:
                continue
            if last or not self.with_glance:  # a proof under way is not held up by its noise
                last = self._fine_enough(tile, layers) or last
            if kept and not last:
                continue
            if last:
                self.done += len(self.plan) - number - 1
                self.whole[tile] = layers.samples
                self._number(layers, pixels[covered])
                if self.passes is not None:
                    self.checkpoint.keep(layers, at_once=not alone)
            if alone:
                self._compose(tile, "high" if last else "fast", last)
            elif number == 0 and not last:
                self._compose(tile, "draft")  # without its neighbours, for the eye alone
            if last:
                if alone and self.traced_by:
                    self.session.keep_traced(self.traced_by, layers)
                return
            yield self._step(portion, picture=alone or number == 0)

    def _fine_enough(self, tile: Window, layers: Layers) -> bool:
        """Whether a tile's noise, which is told anew, is as low as it need be."""
        self.noises[tile] = noise_of(self.base.codes[tile.slices], layers, self.gain)
        return self.enough is not None and layers.samples >= LEAST_SAMPLES and self.noises[tile] <= self.enough

    def _number(self, layers: Layers, pixels: Pixels) -> None:
        """Note which model and which of its materials is seen at each pixel's middle."""
        if self.passes is None or "object" in layers or not len(pixels):
            return
        objects, materials = self.session.tracer.things_at(pixels)
        self._add(layers, "object", pixels, objects.astype(np.float32))
        self._add(layers, "material", pixels, materials.astype(np.float32))

    def _note_the_sun(self, layers: Layers, pixels: Pixels) -> None:
        """Note how much of the sun each pixel's middle sees, where something stands that could hide it."""
        if "sunlit" in layers or all(receiver.level for receiver in self.scene.receivers):
            return
        told = self.session.tracer.sunlit(pixels)
        if told is not None:
            self._add(layers, "sunlit", pixels, told[0])
            self._add(layers, "surface", pixels, told[1].astype(np.float32))

    def _glance(self, tile: Window, pixels: Pixels, covered: Mask) -> None:
        """Compose from one sample a half of every fourth pixel, so that something stands soon; kept nowhere."""
        corner = (pixels[:, 0] % 2 == 0) & (pixels[:, 1] % 2 == 0)
        few = Layers(tile, 1)
        self._add_traced(few, pixels[corner], covered[corner], (0, 1), spread=2)
        self.sums[tile] = few
        self._compose(tile, "draft")
        self.worked += int(corner.sum())

    def _add_traced(self, layers: Layers, pixels: Pixels, covered: Mask, portion: Portion, spread: int = 1) -> None:
        """Trace a portion of some pixels; each is put down over a square of `spread` pixels to the right and below."""
        found = [
            (pixels, {"with": self._radiance("with", pixels, portion)}),
            (pixels, {"without": self._empty(layers.window, pixels, portion)}),
            *self._first_hits(pixels if self._some_withhold else pixels[covered], portion),
        ]
        for at, named in found:
            for name, values in named.items():
                for dx, dy in np.ndindex(spread, spread):
                    self._add(layers, name, at + np.array([dx, dy], np.int32), values)

    def _radiance(self, place: Place, pixels: Pixels, portion: Portion) -> Floats:
        tracer = self.session.tracer
        parts = []
        for batch in tracer.batches(pixels, portion[1]):
            self._pause()
            parts.append((batch, tracer.radiance(place, batch, *portion, self.seed)))
        return _in_order(parts, pixels)

    def _empty(self, tile: Window, pixels: Pixels, portion: Portion) -> Floats:
        """The same without the models; only what is not kept from an earlier render is traced."""
        empties, place = self.session.empties, self.scene.place_key
        key = f"{place} {self.session.tracer.manner}" if place else ""
        kept = empties.get(key, self.seed, tile, *portion)
        flat = kept.reshape(-1, HALVES, 3)  # a view
        at = _flat_index(tile, pixels)
        missing = np.isnan(flat[at, 0, 0])
        self.session.counts["kept"] += int(np.count_nonzero(~missing))
        if missing.any():
            self.session.counts["traced"] += int(np.count_nonzero(missing))
            flat[at[missing]] = self._radiance("without", pixels[missing], portion)
            empties.put(key, self.seed, tile, *portion, kept)
        return flat[at]

    def _first_hits(self, pixels: Pixels, portion: Portion) -> Iterator[tuple[Pixels, dict[str, Floats]]]:
        tracer = self.session.tracer
        for batch in tracer.batches(pixels, portion[1]) if len(pixels) else []:
            self._pause()
            yield batch, tracer.first_hits(batch, *portion, self.seed)

    @property
    def _some_withhold(self) -> bool:
        return any(not receiver.receives for receiver in self.scene.receivers)

    def _add(self, layers: Layers, name: str, pixels: Pixels, values: Floats) -> None:
        tile = layers.window
        if name not in layers:
            layers.sums[name] = np.zeros((tile.height, tile.width, *values.shape[1:]), np.float32)
        inside = (pixels[:, 1] < tile.y1) & (pixels[:, 0] < tile.x1)
        if not inside.all():
            pixels, values = pixels[inside], values[inside]
        layers.sums[name].reshape(-1, *values.shape[1:])[_flat_index(tile, pixels)] += values

    def _pause(self) -> None:
        if self.between():
            raise Cancelled("The render was stopped.")

    # Composing

    def _ready(self, tile: Window, composed: set[Window]) -> list[Window]:
        """Tiles that can be composed now that one more is traced."""
        return [
            near
            for near in neighbours(tile, self.tiles)
            if near not in composed
            and near in self.sums
            and all(self._known(other, composed) for other in neighbours(near, self.tiles))
        ]

    def _known(self, tile: Window, composed: set[Window]) -> bool:
        return tile in self.whole or tile in composed

    @property
    def _whole(self) -> int:
        return sum(count for _, count in self.plan)

    def _forget(self, composed: set[Window]) -> None:
        """Let go of sums that no tile has need of any more."""
        for tile in [tile for tile in self.sums if tile in composed]:
            if all(other in composed for other in neighbours(tile, self.tiles)):
                del self.sums[tile]
                self.checkpoint.let_go(tile)

    def _compose(self, tile: Window, denoising: Denoising, last: bool = False) -> None:
        height, width = self.base.codes.shape[:2]
        inner = tile.common(self.bounds)
        if inner is None:
            self.cuts[tile] = 0
            return
        window = inner.grown(halo_px(width) if len(self.tiles) > 1 else 0, width, height)
        layers = self._assembled(window)
        if "with" not in layers:  # between things that stand far apart nothing was traced
            self.cuts[tile] = 0
            return
        passes = self._passes(tile, window, layers, denoising)
        made = put_together(self.base.as_came.codes[window.slices], passes, self.tones)
        self.codes[inner.slices] = made[inner.within(window)]
        if last and self.passes is not None:
            keep_passes(passes.within(inner), self.passes)
        if len(self.tiles) == 1 and denoising == "high" and self.part is None:
            self._judge(layers)

    def _passes(self, tile: Window, window: Window, layers: Layers, denoising: Denoising) -> Passes:
        """What a window is put together from."""
        codes = self.base.codes[window.slices]
        brighter = self.scene.added or self.session.tracer.manner == "own"
        gain = self.gain * light_map(self.scene.camera, self.scene.falloff, window)
        caught = catch(
            codes,
            layers,
            self.influence.fade(window),
            gain,
            self.base.codes.shape[1],
            denoising,
            BRIGHTEST_ADDED if brighter else BRIGHTEST,
            _shadow_power(self.scene.contact),
            self._bump(window, layers),
            self.scene.lens is not None,
            gain / np.float32(2**self.scene.stops) if self.scene.unclipped else None,
        )
        self.cuts[tile] = caught.cut
        nothing = np.zeros(caught.cover.shape, np.float32)
        depth, normal, albedo = nothing, np.zeros_like(caught.model), np.zeros_like(caught.model)
        if "coverage" in layers:
            share = np.maximum(np.clip(layers.mean("coverage"), 0, 1), 1e-3)
            depth = np.asarray(layers.mean("depth") / share, np.float32)
            normal = np.asarray(layers.mean("normal") / share[..., None], np.float32)
            albedo = np.asarray(layers.mean("albedo") / share[..., None], np.float32)
        scale = self.scene.camera.width / self.full_width
        shadow, added, model, cover = self._blended(caught, depth, window, scale, denoising)
        mattes, fringes = [], []
        for matte, away in self.scene.mattes:
            # Hair takes seconds: the first glance does without.
            told = self.session.fringe(matte, self.base, scale) if denoising != "draft" else None
            fringes += [told.within(window)] if told else []
            mattes.append((fringes[-1].share if told else coverage_of(matte, codes, window, scale), away))
            if matte.fringe_px and not told and denoising != "draft":
                self.untold[matte.id] = UNTOLD.format(matte.name or matte.id)
        front = front_of(mattes, cover, depth if "coverage" in layers else None)
        objects, materials = (layers.sums.get(name, nothing).astype(np.int32) for name in ("object", "material"))
        lit = front_light(codes, front, cover, fringes) if mattes else np.zeros_like(caught.model)
        parts = (shadow, added, model, cover, front, lit, depth, normal, albedo)
        passes = Passes(window, *parts, objects, materials, np.zeros_like(model))
        if not self._blends(denoising):
            return passes
        own = self.base.as_came.codes[window.slices]
        photographed = self.session.measured()
        lacks = given(own, passes, self.tones, photographed, self.scene.blend, scale, self.seed)
        return replace(passes, grain=lacks)

    def _blends(self, denoising: Denoising) -> bool:
        """Whether the photograph is known well enough: nobody waits for a picture under way while it is measured."""
        return denoising == "high" or (denoising == "fast" and self.session.is_measured)

    def _blended(
        self, caught: Caught, depth: Floats, window: Window, scale: float, denoising: Denoising
    ) -> tuple[Floats, Floats, Floats, Floats]:
        """Shadow, added light, models and their cover as this photograph would show them."""
        blend, parts = self.scene.blend, (caught.shadow, caught.added, caught.model, caught.cover)
        if self._blends(denoising):
            size = self.scene.camera.width, self.scene.camera.height
            parts = as_photographed(parts, depth, blend, self.session.measured(), scale, window, size)
        shadow, added, model, cover = parts
        share = np.maximum(cover, 1e-3)[..., None]
        if not is_plain(blend.model):
            model = graded(np.asarray(model / share, np.float32), blend.model, self.luts) * share
        return shadow, added, model, cover

    def _bump(self, window: Window, layers: Layers) -> Callable[[Floats, Mask], Floats] | None:
        """What makes level ground uneven, where that is asked for and a sun shines."""
        scene, high_m = self.scene, self.scene.contact.uneven_mm / 1000
        if not high_m or scene.sun is None:
            return None
        sun, base_m = scene.sun, next((thing.stands_at_m for thing in scene.models if thing.on_plane), 0.0)
        height_m = high_m * relief(self.base.codes[window.slices], scene.camera.width)
        level = np.ones(height_m.shape, bool)
        if "surface" in layers:
            flat = np.repeat([one.level for one in scene.receivers], [len(one.patches) for one in scene.receivers])
            level = np.isin(layers.sums["surface"].astype(np.int32), 1 + np.flatnonzero(flat))
        return lambda ratio, bare: bumped(ratio, height_m, bare & level, window, scene.camera, sun, base_m)

    def _assembled(self, window: Window) -> Layers:
        """The sums of all tiles that a window touches; where nothing was traced nothing changes."""
        if self.tiles == [window] and window in self.sums:
            return self.sums[window].to_samples(self._whole)
        result = Layers(window, self._whole)
        for tile in self.tiles:
            shared = tile.common(window)
            layers = self.sums.get(tile) or (self.checkpoint.traced(tile) if shared else None)
            if shared is None or layers is None:
                continue
            layers = layers.to_samples(self._whole)
            for name, part in layers.sums.items():
                if name not in result:
                    result.sums[name] = np.zeros((window.height, window.width, *part.shape[2:]), np.float32)
                result.sums[name][shared.within(window)] = part[shared.within(tile)]
        return result

    def _step(self, portion: Portion, picture: bool, seconds_left: float | None = None) -> Step:
        if seconds_left is None:
            taken, rest = time.monotonic() - self.started, self._work_left()
            seconds_left = taken / max(self.worked, 1) * rest
        return Step(
            self.done,
            self.of,
            HALVES * (portion[0] + portion[1]),
            seconds_left,
            Picture(self.codes, self.base.as_came.icc, self.base.notes) if picture else None,
            sum(self.cuts.values()),
            (*self.scene.notes, *self.untold.values()),
            noise=max(self.noises.values(), default=None),
        )

    def _work_left(self) -> int:
        """Samples of a half still to be traced, over all pixels."""
        left, upto = 0, [0, *np.cumsum([count for _, count in self.plan]).tolist()]
        for number, tile in enumerate(self.tiles):
            begun = min(max(self.done - number * len(self.plan), 0), len(self.plan))
            if begun < len(self.plan):
                pixels = int(np.count_nonzero(self.influence.pixels(self.influence.changed, tile)))
                left += pixels * (self._whole - upto[begun])
        return left


def _flat_index(tile: Window, pixels: Pixels) -> NDArray[np.intp]:
    """Where pixels (N, 2) lie in an array of a tile whose rows are laid end to end."""
    return (pixels[:, 1] - tile.y0).astype(np.intp) * tile.width + (pixels[:, 0] - tile.x0)


def _told_apart(names: list[str]) -> tuple[str, ...]:
    """Names of which no two are alike: copies are numbered."""
    return tuple(f"{name} {names[:n].count(name) + 1}" if name in names[:n] else name for n, name in enumerate(names))


def _in_order(parts: list[tuple[Pixels, Floats]], pixels: Pixels) -> Floats:
    """What was traced in batches, in the order of the pixels asked for."""
    values = np.concatenate([part for _, part in parts])
    made = np.concatenate([batch for batch, _ in parts])
    if np.array_equal(made, pixels):
        return values
    wide = int(pixels[:, 0].max()) + 1
    order = np.argsort(made[:, 1].astype(np.int64) * wide + made[:, 0])
    back = np.argsort(np.argsort(pixels[:, 1].astype(np.int64) * wide + pixels[:, 0]))
    return np.asarray(values[order][back], np.float32)
