"""A take looked through once: how each frame lies and how bright it is, its noise, its clean plate."""

from __future__ import annotations

import zlib
from collections.abc import Callable, Generator, Iterable, Iterator
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np
from numpy.typing import ArrayLike, NDArray

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.blend.grain import Grain
from lithopos.core.colour import decode_srgb, encode_srgb, linear_of
from lithopos.core.composite.mattes import painted
from lithopos.core.errors import Cancelled, InputError
from lithopos.core.exchange.picture import Codes, codes_of, encoded_of, write_atomically
from lithopos.core.footage.at_hand import AtHand
from lithopos.core.footage.colours import Colours, Learning
from lithopos.core.footage.frames import read_frame
from lithopos.core.footage.front import Part, Verdict, judged
from lithopos.core.footage.gain import fitted_gain, gain_field
from lithopos.core.footage.noise import take_noise
from lithopos.core.footage.parallel import side_by_side
from lithopos.core.footage.plate import clean_plate
from lithopos.core.footage.shadows import USUAL_DEEPEST, Looks, variance_of
from lithopos.core.footage.shake import Moved, Reference, brought_to, farthest_px, inverse, most_px
from lithopos.core.shot import PlateStroke, Take

STUDY = 7  # raised when a measure changes, so that what was kept is made anew
MOST_FRAMES = 64  # of which a plate is made
MOST_BYTES = 3 << 30  # of frames that lie ready at once
ALIKE_PX = 0.35  # so far two neighbours may lie apart
PAIRS, PAIRS_PX = (3, 12), 3_000_000  # of pictures by which noise is told, bounds; as many as have so many pixels
SHADES, SHADED, LEAST_SHADED = 8, 0.9, 200  # frames, light left, and pixels by which the deepest shadow is told
SHADES_WIDE = 480  # pixels across at most of those frames
FULL_SHADE, SHADE_ROUNDS = 0.2, 3  # quantile of shades that is taken for the sun's whole absence
SOUGHT = 40  # frames apart from which it takes less time to seek each by itself: a reader has to start up
BLUER = 0.16  # how much bluer than by what was told before shadows may be then
COLOURS_EACH, COLOURS_LEAST, COLOURS_MOST = 8, 12, 96  # each how many frames people's colours are learnt by; bounds

__all__ = [
    "STUDY",
    "Study",
    "keep_study",
    "kept_study",
    "painted_plate",
    "studied",
    "whole_study",
]


@dataclass(frozen=True)
class Study:
    """What is known of a take's frames from `first` on.

    Attributes
    ----------
    moved : (N, 4) shift x, y [px], turn [rad], growth of each against the reference frame.
    gains : (N, 10, 3) factors of each frame's gain against the plate.
    plate : (H, W, 3) encoded 0..1; `empty` (H, W): where the place was ever seen; `seen`: in which share of frames;
        `restless`: see `Plate`.
    deepest : which share (3,) of its light the place has left in the take's deepest shadows.
    colours : of whoever passes; None where too little of anybody is sure.
    """

    first: int
    moved: Array
    gains: Array
    noise: Grain
    plate: Floats
    seen: Floats
    empty: Mask
    restless: Floats
    deepest: Floats
    colours: Colours | None = None

    def lies(self, number: int) -> Array:
        """(2, 3) from the plate's pixels to a frame's."""
        height, width = self.plate.shape[:2]
        return Moved(*self.moved[number - self.first]).matrix(width, height)

    def gain(self, number: int, part: Part | None = None) -> Floats:
        """How bright (H, W, 3) a frame is beside the plate, in linear light; or a part of it."""
        whole = gain_field(self.gains[number - self.first], *self.plate.shape[:2])
        return whole if part is None else whole[part]

    def plate_in(self, number: int, part: Part | None = None) -> Floats:
        """The plate as a frame would show it (H, W, 3), linear; or a part of it."""
        moved = np.clip(brought_to(self.plate, self.lies(number), part), 0, 1)
        return np.asarray(decode_srgb(moved) * self.gain(number, part), np.float32)

    def looks(self, number: int, codes: Codes) -> Looks:
        """A frame beside the plate."""
        plate = self.plate_in(number)
        base = encode_srgb(plate)
        restless = brought_to(self.restless, self.lies(number), how=cv2.INTER_LINEAR)
        sigma2 = variance_of(base, self.noise, restless)
        return Looks(linear_of(codes), plate, encoded_of(codes), base, sigma2, self.noise)

    @property
    def farthest_px(self) -> float:
        """How far any frame's corner lies from the reference frame's."""
        height, width = self.plate.shape[:2]
        return max(farthest_px(Moved(*one), width, height) for one in self.moved)


def studied(
    source: AtHand, take: Take, stop: Callable[[], bool] = lambda: False
) -> Generator[tuple[int, int], None, Study]:
    """Look a take through; gives how many frames are done, of how many, and in the end what it found.

    Parameters
    ----------
    stop : true ends it.

    Raises
    ------
    InputError
        If it can't be read, or the camera moves: this version needs a stand; Cancelled if it was stopped.
    """
    first = source.one(take.reference)
    chosen = _chosen(take, first)
    reference, light = Reference(first), linear_of(first)
    wanted = _told_by(take, first)
    of = len(chosen) + take.last - take.first + 1 + len(wanted)
    with TemporaryDirectory(prefix="lithopos-") as folder:
        shape = (len(chosen), reference.height, reference.width, 3)
        ready = np.lib.format.open_memmap(Path(folder) / "alike.npy", mode="w+", dtype=np.uint16, shape=shape)
        pairs: list[tuple[Codes, Codes]] = []
        known: dict[int, Moved] = {}
        for number, moved in _made_alike(source, take, chosen, (reference, light), ready, pairs):
            _pause(stop)
            known[number] = moved
            yield len(known), of
        noise = _first_noise(source, take, chosen, pairs)
        plate = clean_plate(ready, noise)
        del ready
    light = decode_srgb(plate.encoded)

    def lain(item: tuple[int, Codes]) -> tuple[int, Codes, Moved, Array]:
        number, codes = item
        moved = known.get(number) or _lies(reference, codes, take, number)
        # Blocks of many pixels tell a gain: they need no cubic.
        there = brought_to(light, moved.matrix(reference.width, reference.height), how=cv2.INTER_LINEAR)
        return number, codes, moved, fitted_gain(linear_of(codes), there)

    with TemporaryDirectory(prefix="lithopos-") as folder:
        shape = (len(wanted), *first.shape)
        some = np.lib.format.open_memmap(Path(folder) / "some.npy", mode="w+", dtype=first.dtype, shape=shape)
        lies: list[tuple[Moved, Array]] = []
        every = enumerate(source.read(take.first, take.last), take.first)
        for number, codes, moved, gain in side_by_side(lain, every):
            _pause(stop)
            lies.append((moved, gain))
            if number in wanted:
                some[wanted.index(number)] = codes
            yield len(chosen) + len(lies), of
        full = np.array(USUAL_DEEPEST, np.float32)
        told = np.array([[one.x, one.y, one.turn, one.grown] for one, _ in lies])
        gains = np.array([gain for _, gain in lies])
        found = Study(take.first, told, gains, noise, plate.encoded, plate.seen, plate.empty, plate.restless, full)
        frames = list(zip(wanted, some, strict=True))
        del some
        found = replace(found, noise=_noise_beside(found, frames))
        found = replace(found, deepest=_deepest(found, frames))
        learning = Learning()
        for done, (looks, verdict) in enumerate(side_by_side(partial(_looked_at, found), frames), 1):
            _pause(stop)
            learning.add(looks, verdict.somebody, verdict.shade, found.deepest)
            yield of - len(frames) + done, of
        return replace(found, colours=learning.learnt())


def whole_study(steps: Generator[tuple[int, int], None, Study]) -> Study:
    """What a look through finds, when nobody asks how far it is."""
    while True:
        try:
            next(steps)
        except StopIteration as done:
            found: Study = done.value
            return found


def _pause(stop: Callable[[], bool]) -> None:
    if stop():
        raise Cancelled("The take was left.")


def _chosen(take: Take, codes: Codes) -> list[int]:
    """The frames of which the plate is made: evenly spread, as many as there is room for."""
    room = max(8, MOST_BYTES // (codes.size * 2))
    count = min(take.last - take.first + 1, MOST_FRAMES, room)
    return sorted({round(one) for one in np.linspace(take.first, take.last, count)})


def _made_alike(
    source: AtHand,
    take: Take,
    chosen: list[int],
    beside: tuple[Reference, Floats],
    ready: NDArray[np.uint16],
    pairs: list[tuple[Codes, Codes]],
) -> Iterator[tuple[int, Moved]]:
    """Put the chosen frames into `ready` as if they lay and shone as the reference frame does; gives how each lies.

    Parameters
    ----------
    beside : the reference frame, and its light.
    pairs : gets neighbours that lie alike, by which noise is told.
    """
    reference, base = beside

    def brought(item: tuple[int, tuple[int, Codes]]) -> tuple[int, Codes, Moved]:
        place, (number, codes) = item
        moved = _lies(reference, codes, take, number)
        back = inverse(moved.matrix(reference.width, reference.height))
        light = decode_srgb(np.clip(brought_to(encoded_of(codes), back), 0, 1))
        gain = gain_field(fitted_gain(light, base), reference.height, reference.width)
        ready[place] = codes_of(encode_srgb(light / gain), ready.dtype)
        return number, codes, moved

    before: tuple[int, Codes, Moved] | None = None
    for number, codes, moved in side_by_side(brought, enumerate(_only(source, chosen))):
        if before and number - before[0] <= 2 and len(pairs) < 4 * PAIRS[1]:
            alike = np.hypot(moved.x - before[2].x, moved.y - before[2].y) < ALIKE_PX
            if alike or not take.steady:
                pairs.append((before[1], codes))
        before = (number, codes, moved)
        yield number, moved


def _lies(reference: Reference, codes: Codes, take: Take, number: int) -> Moved:
    """How a frame lies; InputError if the camera moves."""
    moved = reference.moved(codes) if take.steady else Moved()
    most = most_px(reference.width, reference.height)
    far = farthest_px(moved, reference.width, reference.height)
    if far > most:
        raise InputError(
            "take",
            f"is of a moving camera: by frame {number} the picture has moved by {far:.0f} pixels, and "
            f"{most:.0f} is the most; this version needs a camera on a stand",
        )
    return moved


def _first_noise(source: AtHand, take: Take, chosen: list[int], pairs: list[tuple[Codes, Codes]]) -> Grain:
    """The noise by neighbours, before there is a plate."""
    if not pairs:
        numbers = [number for number in chosen if number < take.last][:: max(1, len(chosen) // 3)][:3]
        pairs = [(source.one(number), source.one(number + 1)) for number in numbers]
    some = pairs[:: max(1, len(pairs) // _pairs_of(pairs[0][0].size // 3))]
    return take_noise(((encoded_of(one) * 255, encoded_of(other) * 255) for one, other in some), 2.0)


def _pairs_of(pixels: int) -> int:
    """How many pairs of pictures so large tell their noise."""
    return min(max(-(-PAIRS_PX // pixels), PAIRS[0]), PAIRS[1])


def _noise_beside(study: Study, frames: list[tuple[int, Codes]]) -> Grain:
    """The noise of frames beside the clean plate, where nobody is: what moves slowly is none."""
    some = _thinned(frames, _pairs_of(study.empty.size))
    pairs = ((encoded_of(codes) * 255, encode_srgb(study.plate_in(number)) * 255) for number, codes in some)
    return take_noise(pairs, 1.0)


def _deepest(study: Study, frames: list[tuple[int, Codes]]) -> Floats:
    """How much light is left where who passes takes the sun: told anew by what was told before."""
    looks = list(side_by_side(partial(_smaller, study), _thinned(frames, SHADES)))
    deepest = study.deepest
    for _ in range(SHADE_ROUNDS):
        dark = np.concatenate(list(side_by_side(partial(_shades, deepest), looks)))
        if len(dark) < LEAST_SHADED:
            return study.deepest
        deepest = np.asarray(np.clip(np.quantile(dark, FULL_SHADE, axis=0), 0.02, 0.95), np.float32)
    return deepest


def _smaller(study: Study, item: tuple[int, Codes]) -> Looks:
    """A frame's looks at a size that tells shadows as well."""
    looks = study.looks(*item)
    height, width = looks.plate.shape[:2]
    size = (min(width, SHADES_WIDE), max(1, round(height * min(1.0, SHADES_WIDE / width))))
    frame, plate = (cv2.resize(one, size, interpolation=cv2.INTER_AREA) for one in (looks.frame, looks.plate))
    return Looks.of(frame, plate, looks.noise, cv2.resize(study.restless, size, interpolation=cv2.INTER_AREA))


def _shades(deepest: Floats, looks: Looks) -> Floats:
    """Ratios (N, 3) of the shadows in a frame."""
    shade = judged(looks, deepest, bluer=BLUER).shade
    return np.asarray(shade[(shade < SHADED).all(-1)])


def _looked_at(study: Study, item: tuple[int, Codes]) -> tuple[Looks, Verdict]:
    """A frame and its first verdict."""
    looks = study.looks(*item)
    return looks, judged(looks, study.deepest)


def _told_by(take: Take, codes: Codes) -> list[int]:
    """The frames by which people's colours and more are told: evenly spread, as many as there is room for."""
    count, room = take.last - take.first + 1, max(COLOURS_LEAST, MOST_BYTES // codes.nbytes)
    most = min(max(count // COLOURS_EACH, COLOURS_LEAST), COLOURS_MOST, count, room)
    return sorted({take.first + round(one) for one in np.linspace(0, count - 1, most)})


def _thinned(frames: list[tuple[int, Codes]], most: int) -> list[tuple[int, Codes]]:
    """So many of them, evenly spread."""
    chosen = {round(one) for one in np.linspace(0, len(frames) - 1, min(len(frames), most))}
    return [frames[one] for one in sorted(chosen)]


def _only(source: AtHand, chosen: Iterable[int]) -> Iterator[tuple[int, Codes]]:
    """The chosen frames, decoded in one go where they lie close together."""
    wanted = list(chosen)
    if wanted[-1] - wanted[0] > SOUGHT * len(wanted):
        for number in wanted:
            yield number, source.one(number)
        return
    keep = set(wanted)
    for number, codes in enumerate(source.read(wanted[0], wanted[-1]), wanted[0]):
        if number in keep:
            yield number, codes


def painted_plate(path: Path, study: Study, strokes: list[PlateStroke]) -> tuple[Floats, Mask]:
    """The plate (H, W, 3) with regions from single frames, and where (H, W) nothing was ever seen empty.

    Parameters
    ----------
    strokes : as they were drawn, each on its frame; a later one lies over an earlier.
    """
    plate, empty = study.plate.copy(), study.empty.copy()
    height, width = empty.shape
    for stroke in strokes:
        number = min(max(stroke.frame, study.first), study.first + len(study.moved) - 1)
        back = inverse(study.lies(number))
        light = linear_of(read_frame(path, number)) / study.gain(number)
        brought = np.clip(brought_to(encode_srgb(np.clip(light, 0, 1)), back), 0, 1)
        points = (np.asarray(stroke.points, float) - 0.5) @ back[:, :2].T + back[:, 2] + 0.5
        share = stroke_mask(points, stroke.radius_px, height, width)[..., None]
        plate = np.asarray(plate * (1 - share) + brought * share, np.float32)
        empty |= share[..., 0] > 0.5
    return plate, empty


def stroke_mask(points: ArrayLike, radius_px: float, height: int, width: int) -> Floats:
    """How far (H, W) a brush's stroke covers each pixel; its edge is soft by an eighth of its radius."""
    inside = painted(np.asarray(points, float), radius_px, (height, width))
    return np.asarray(cv2.GaussianBlur(inside.astype(np.float32), (0, 0), max(0.6, radius_px / 8)))


def kept_study(place: Path) -> Study | None:
    """A study that was kept; None if none was."""
    if not place.is_file():
        return None
    with np.load(place, allow_pickle=False) as kept:
        grain = Grain(kept["sigma"], kept["hangs"], kept["together"], int(kept["told_by"]))
        names = ("moved", "gains", "plate", "seen", "empty", "restless", "deepest")
        colours = None
        if "bodies" in kept:
            bodies = np.frombuffer(zlib.decompress(kept["bodies"].tobytes()), np.float16)
            colours = Colours(bodies.reshape(kept["bins"]), kept["off"], kept["spread"], float(kept["odds"]))
        values = {name: kept[name] for name in names}
        return Study(first=int(kept["first"]), noise=grain, colours=colours, **values)


def keep_study(study: Study, place: Path) -> None:
    """Keep a study; NoRoom if the disk is full."""
    grain = {name: getattr(study.noise, name) for name in ("sigma", "hangs", "together", "told_by")}
    values = {name: value for name, value in vars(study).items() if name not in ("noise", "colours")} | grain
    if study.colours:  # nearly all of their cells are empty
        bodies = study.colours.bodies
        packed = np.frombuffer(zlib.compress(bodies.tobytes(), 1), np.uint8)
        values |= {"bodies": packed, "bins": bodies.shape, "off": study.colours.off, "spread": study.colours.spread}
        values |= {"odds": study.colours.odds}
    write_atomically(place, lambda file: np.savez(file, **values))
