"""From a take and its shot to finished frames: one job, in steps that can be stopped and gone on with.

What was looked at, who is in front, each still shot's render and each finished frame are kept in folders of their own,
named by all that decides them: what is there is not made again.
"""

from __future__ import annotations

import hashlib
import shutil
import time
from collections import OrderedDict
from collections.abc import Callable, Generator, Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import cached_property, partial
from pathlib import Path
from typing import Literal

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.blend.blend import FrameGrain, Tones
from lithopos.core.blend.grade import luts_of
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.composite.passes import read_passes
from lithopos.core.derive import Derived, derive
from lithopos.core.errors import Cancelled, InputError, NothingSeen
from lithopos.core.exchange.film import TakeNotes
from lithopos.core.exchange.picture import Codes, Picture, codes_of, write_atomically
from lithopos.core.footage.at_hand import AtHand
from lithopos.core.footage.compose import Composed, Layer, Taken, composed, layers_of
from lithopos.core.footage.frame_files import SUFFIX, Wanted, write_frame
from lithopos.core.footage.front import Front, Verdict, front_of_frame, judged, odds_alone
from lithopos.core.footage.front_files import keep_front, kept_front
from lithopos.core.footage.over_time import Noted, agreed
from lithopos.core.footage.parallel import in_threes, side_by_side
from lithopos.core.footage.people import Person, before_of, followed, people_in
from lithopos.core.footage.shadows import Looks
from lithopos.core.footage.states import Films, Mixed, state_key, states_at
from lithopos.core.footage.strokes import Carried
from lithopos.core.footage.study import STUDY, Study, keep_study, kept_study, painted_plate, studied
from lithopos.core.footage.sunless import sunless
from lithopos.core.render.finished import Readers
from lithopos.core.render.render import render_shot
from lithopos.core.render.session import Session, sized
from lithopos.core.shot import Passing, Shot, Take

FRONTS, MADE = 6, 3  # raised when they are told or made otherwise, so that what was kept is made anew
LAYERS_HELD = 3
CLOUDED = 0.9  # of the sky, from which on no sun throws shadows
NEAR = 0.008  # of the picture’s width: so near to what the models reach edges of people matter
PROOF_SCALE, PROOF_SAMPLES = 0.25, 16

KEPT_FRAMES, KEPT_STATES = 3, 400  # times a take's frames, and still shots

_Noted = tuple[int, Looks, Noted | None]  # a frame's number, its looks, and what it tells by itself
Stage = Literal["look", "front", "render", "frames"]

__all__ = ["PROOF_SAMPLES", "PROOF_SCALE", "FootageJob", "Progress", "plate_picture", "study_key"]


@dataclass(frozen=True)
class Progress:
    """Where a job is: its stage, how much of that is done, and about how long all of the rest takes.

    Attributes
    ----------
    seconds_left : None as long as nothing tells.
    """

    stage: Stage
    done: int
    of: int
    seconds_left: float | None = None
    notes: tuple[str, ...] = ()


def study_key(take: Take) -> str:
    """By what of a take its study is decided, beside its file."""
    told = (STUDY, take.file, take.first, take.last, take.reference, take.steady)
    return hashlib.sha256(repr(told).encode()).hexdigest()[:16]


def plate_picture(path: Path, study: Study, shot: Shot, hatched: bool = False) -> Picture:
    """The clean plate with its strokes, of 16 bits; where nothing was ever seen empty it can be hatched."""
    plate, empty = painted_plate(path, study, shot.plate_strokes)
    if hatched:
        y, x = np.mgrid[: plate.shape[0], : plate.shape[1]]
        lines = ((x + y) // max(2, plate.shape[1] // 320)) % 2 == 0
        plate = np.where((~empty & lines)[..., None], np.array([0.85, 0.2, 0.35], np.float32), plate)
    return Picture(codes_of(plate, np.dtype(np.uint16)))


@dataclass
class FootageJob:
    """A take's frames, made.

    Attributes
    ----------
    path, notes : the take's file and what it tells.
    kept : a folder for all that is made.
    scale : of the take's own size.
    wants : what of each frame: its picture, the models alone with alpha, or all in OpenEXR.
    films : see `states_at`.
    stop : called often; true ends the job.
    matters : (H, W) what the models reach, once they are rendered.
    """

    shot: Shot
    path: Path
    notes: TakeNotes
    readers: Readers
    kept: Path
    scale: float = 1.0
    samples: int | None = None
    seed: int = 0
    wants: tuple[Wanted, ...] = ("picture",)
    session: Session = field(default_factory=Session)
    films: Films = field(default_factory=dict)
    stop: Callable[[], bool] = lambda: False

    matters: Mask | None = field(init=False, default=None)

    def __post_init__(self) -> None:
        if self.shot.take is None:
            raise InputError("take", "is missing: the shot is of a photograph")
        self.take: Take = self.shot.take
        photograph, size = self.shot.photograph, (self.notes.width, self.notes.height)
        if photograph is None or (photograph.width, photograph.height) != size:
            told = f"{photograph.width} × {photograph.height}" if photograph else "none"
            raise InputError("take", f"is of {size[0]} × {size[1]} pixels, its shot’s photograph of {told}")
        if self.take.frames != self.notes.frames:
            raise InputError("take", f"has {self.notes.frames} frames, the document says {self.take.frames}")
        self._source = AtHand(self.path, self.take.first, self.take.last)
        self._held: OrderedDict[str, Layer] = OrderedDict()

    @cached_property
    def _facts(self) -> Derived:
        return derive(self.shot)

    @property
    def frames(self) -> range:
        """The frames that are made."""
        return range(self.take.first, self.take.last + 1)

    def run(self) -> Iterator[Progress]:
        """All of it: look the take through, tell who is in front, make the frames.

        Raises
        ------
        InputError
            If the take can't be read, its camera moves, or the shot lacks something; Cancelled if it was stopped;
            NoRoom if the disk is full.
        """
        yield from self.looked()
        yield from self.rendered()
        yield from self.fronts()
        yield from self.made()

    # What is known of the take

    def told(self) -> Iterator[Progress]:
        """Look the take through, and tell who is in front."""
        yield from self.looked()
        yield from self.fronts()

    def looked(self) -> Iterator[Progress]:
        """Look the take through; `study` is there afterwards."""
        place = self.kept / f"study-{study_key(self.take)}.npz"
        whole = kept_study(place)
        if whole is None:
            whole = yield from self._studied()
            keep_study(whole, place)
        self._whole_plate, _ = painted_plate(self.path, whole, self.shot.plate_strokes)
        self.study = _sized(replace(whole, plate=self._whole_plate), self.scale)

    def _studied(self) -> Generator[Progress, None, Study]:
        started, steps = time.monotonic(), studied(self._source, self.take, self.stop)
        while True:
            try:
                done, of = next(steps)
            except StopIteration as found:
                study: Study = found.value
                return study
            yield Progress("look", done, of, (time.monotonic() - started) / done * (of - done))

    def fronts(self) -> Iterator[Progress]:
        """Tell who is in front in each frame; `people` are there afterwards."""
        missing = [number for number in self.frames if not self.front_path(number).is_file()]
        timed, found = _Timed(len(missing)), dict[int, list[Person]]()
        for number, people in self._told_fronts(missing) if missing else ():
            timed.one_more()
            found[number] = people
            done = len(self.frames) - len(missing) + timed.done
            yield Progress("front", done, len(self.frames), timed.left())
        kept = [number for number in self.frames if number not in found]
        found |= zip(kept, side_by_side(lambda one: self._people_in(self.front(one), one), kept), strict=True)
        every = followed([found[number] for number in self.frames], self._passings())
        self.people = dict(zip(self.frames, every, strict=True))

    def _people_in(self, front: Front, number: int) -> list[Person]:
        return people_in(front, number, self.camera, self.study.lies(number))

    def front(self, number: int) -> Front:
        """Who is in front in a frame, as it was told."""
        return kept_front(self.front_path(number))

    def front_path(self, number: int) -> Path:
        """Where it is kept: with all its edges, or only those that matter to the models."""
        whole = self.kept / "front" / f"{number:06d}-{self._front_key(number)}.npz"
        if self.matters is None or whole.is_file():
            return whole
        return whole.with_name(f"{whole.stem}-{self._matters_key}.npz")

    def _front_key(self, number: int) -> str:
        """By what a frame's front is decided: the strokes that reach it."""
        mine = [one for one in self.shot.front_strokes if abs(one.frame - number) <= one.reach]
        strokes = [one.model_dump(mode="json") for one in (*mine, *self.shot.plate_strokes)]
        return _short((FRONTS, study_key(self.take), self.scale, strokes, self._sunless_key))

    def _passings(self) -> list[Passing]:
        return [
            one.model_copy(update={"at": (one.at[0] * self.scale, one.at[1] * self.scale)})
            for one in self.shot.passings
        ]

    def _told_fronts(self, missing: list[int]) -> Iterator[tuple[int, list[Person]]]:
        """Tell and keep the fronts of some frames; strokes are carried along with whoever they are on."""
        wanted, carried = set(missing), self._carried(missing)

        def note(item: tuple[int, Codes]) -> _Noted:
            number, codes = item
            looks = self.study.looks(number, codes)
            odds = self._odds(number, looks)
            return number, looks, None if odds is None else Noted(codes, odds)

        def tell(before: _Noted | None, own: _Noted, after: _Noted | None) -> tuple[int, list[Person]] | None:
            number, looks, _ = own
            if number not in wanted:
                return None
            verdict = self._judged(number, looks, _together(before, own, after))
            verdict = carried.corrected(number, verdict, looks.frame, looks.plate)
            matters = None if self.matters is None else self._as_it_lies(self.matters, number)
            front = front_of_frame(looks, verdict, matters)
            write_atomically(self.front_path(number), partial(keep_front, front))
            return number, self._people_in(front, number)

        with_beside = {number + step for number in missing for step in (-1, 0, 1)} & set(self.frames)
        yield from (told for told in in_threes(note, tell, self._wanted(with_beside)) if told is not None)

    def _carried(self, missing: list[int]) -> Carried:
        """The strokes that reach some frames, and how whoever is under them moves."""
        reached = [
            stroke
            for stroke in self.shot.front_strokes
            if any(abs(stroke.frame - number) <= stroke.reach for number in missing)
        ]
        carried = Carried(reached, self.scale)
        if reached:
            first = max(self.take.first, min(one.frame - one.reach for one in reached))
            last = min(self.take.last, max(one.frame + one.reach for one in reached))
            for number, codes in self._read(first, last):
                self._pause()
                looks = self.study.looks(number, codes)
                carried.note(number, self._judged(number, looks, self._odds(number, looks)).somebody)
        return carried

    def _odds(self, number: int, looks: Looks) -> Floats | None:
        """How likely somebody is where in a frame, by it alone; None where nobody's colours are learnt."""
        colours = self.study.colours
        return odds_alone(looks, colours, self.study.deepest, self._dark(number)) if colours else None

    def _judged(self, number: int, looks: Looks, odds: Floats | None) -> Verdict:
        """What a frame shows of whoever passes."""
        dark = self._dark(number) if odds is None else None
        return judged(looks, self.study.deepest, in_shade=dark, odds=odds)

    def _dark(self, number: int) -> Mask | None:
        """Where in a frame no sun reaches the empty place."""
        return None if self._sunless is None else self._as_it_lies(self._sunless, number)

    @cached_property
    def _sunless(self) -> Mask | None:
        """Where no sun reaches the empty place, as far as what is drawn tells."""
        camera = self.camera
        return sunless(self.shot, self._facts, camera) if camera else None

    @cached_property
    def _sunless_key(self) -> str:
        return "" if self._sunless is None else _short(self._sunless.tobytes())

    def _wanted(self, numbers: Iterable[int]) -> Iterator[tuple[int, Codes]]:
        """Some frames, decoded in one go."""
        wanted = set(numbers)
        for number, codes in self._read(min(wanted), max(wanted)) if wanted else ():
            if number in wanted:
                self._pause()
                yield number, codes

    def _as_it_lies(self, mask: Mask, number: int) -> Mask:
        size = (mask.shape[1], mask.shape[0])
        return np.asarray(cv2.warpAffine(mask.astype(np.uint8), self.study.lies(number), size) > 0)

    def _read(self, first: int, last: int) -> Iterator[tuple[int, Codes]]:
        for number, codes in enumerate(self._source.read(first, last), first):
            yield number, sized(Picture(codes), self.scale).codes

    def _pause(self) -> None:
        if self.stop():
            raise Cancelled("The take was left.")

    # The models over time

    @property
    def camera(self) -> Pinhole | None:
        """The shot's camera at the size of the frames."""
        answer = self._facts.camera
        height, width = self.study.plate.shape[:2]
        return pinhole_of(answer).sized(width, height) if answer else None

    def states(self, number: int) -> list[Mixed]:
        """The still shots of a frame."""
        return states_at(self.shot, number, self.films)

    def rendered(self) -> Iterator[Progress]:
        """Render all still shots that the frames are mixed of; what they reach is known afterwards."""
        if self._facts.camera is None:
            raise InputError("camera", "is not solved yet: mark edges first")
        self._mixed = {number: self.states(number) for number in self.frames}
        stills = {state_key(one.shot): one.shot for mixed in self._mixed.values() for one in mixed}
        missing = [key for key in stills if not self._state_done(key)]
        timed, notes = _Timed(len(missing)), dict[str, None]()
        for key in missing:
            for told in self._rendered(stills[key], key):
                notes |= dict.fromkeys(told)
                yield Progress("render", timed.done, len(missing), timed.left(), tuple(notes))
            timed.one_more()
        height, width = self.study.plate.shape[:2]
        reached = np.zeros((height, width), np.uint8)
        for still in stills.values():
            reached |= self.layer_of(still).asked
        near = max(3, round(NEAR * width))
        self.matters = cv2.dilate(reached, np.ones((near, near), np.uint8)) > 0
        self._matters_key = _short(self.matters.tobytes())

    def made(self) -> Iterator[Progress]:
        """Put together all frames that are not there yet."""
        self._keys = {number: self._frame_key(number, mixed) for number, mixed in self._mixed.items()}
        plan = {number: mixed for number, mixed in self._mixed.items() if not self._frame_done(number)}
        timed, count = _Timed(len(plan)), len(self.frames)
        yield Progress("frames", count - len(plan), count)

        def put_together(item: tuple[int, Codes, list[tuple[float, Layer]]]) -> None:
            self._write(item[0], self._composed(*item))

        # Layers are held by this thread alone.
        layered = (
            (number, codes, [(one.share, self.layer_of(one.shot)) for one in plan[number]])
            for number, codes in self._wanted(plan)
        )
        for _ in side_by_side(put_together, layered):
            timed.one_more()
            yield Progress("frames", count - len(plan) + timed.done, count, timed.left())

    def frame_path(self, number: int, wanted: Wanted = "picture") -> Path:
        """A finished frame's file, once all of them are planned."""
        return self.kept / "frames" / f"{number:06d}-{self._keys[number]}{SUFFIX[wanted]}"

    def finished(self) -> dict[int, str]:
        """Names of the files of the frames that are there, once all are planned; before that none."""
        if not hasattr(self, "_keys"):
            return {}
        return {number: self.frame_path(number).name for number in self.frames if self._frame_done(number)}

    def _frame_done(self, number: int) -> bool:
        return all(self.frame_path(number, one).is_file() for one in self.wants)

    def _frame_key(self, number: int, mixed: list[Mixed]) -> str:
        """By what a finished frame is decided."""
        shot = self.shot
        people = [
            (one.label, one.side, one.distance_m, one.core and (one.box, one.core)) for one in self.people[number]
        ]
        parts = [(round(one.share, 6), self._state_name(state_key(one.shot))) for one in mixed]
        look = (shot.blend.model_dump(mode="json"), shot.frame.model_dump(mode="json") if shot.frame else None)
        return _short((MADE, parts, people, self.front_path(number).name, self.study.deepest.tolist(), look))

    def _state_name(self, key: str) -> str:
        """A still shot's folder: its render depends on the plate, its size and its samples too."""
        strokes = [one.model_dump(mode="json") for one in self.shot.plate_strokes]
        return f"{key}-{_short((study_key(self.take), strokes, self.scale, self.samples, self.seed))}"

    def _state_done(self, key: str) -> bool:
        return (self.kept / "states" / self._state_name(key) / "done").is_file()

    def _rendered(self, shot: Shot, key: str) -> Iterator[tuple[str, ...]]:
        """Render a still shot's passes; one in which nothing is seen has none."""
        place = self.kept / "states" / self._state_name(key)
        if not (all(one.hidden for one in shot.models) and all(one.hidden for one in shot.panes)):
            with suppress(NothingSeen):
                yield from self._traced(shot, place)
        shutil.rmtree(place / "sums", ignore_errors=True)
        write_atomically(place / "done", lambda file: file.write(b""))

    def _traced(self, shot: Shot, place: Path) -> Iterator[tuple[str, ...]]:
        for step in render_shot(
            shot,
            self._plate_as_photograph,
            self.readers.model,
            quality="master",
            scale=self.scale,
            samples=self.samples,
            seed=self.seed,
            session=self.session,
            photograph_key=self._state_name("plate"),
            keep=place / "sums",
            between=self.stop,
            read_graphic=self.readers.graphic,
            read_panorama=self.readers.panorama,
            read_lut=self.readers.lut,
            read_photograph=self.readers.photograph,
            passes=place / "passes",
        ):
            yield step.notes

    def _plate_as_photograph(self) -> Picture:
        """The plate at the take's own size, from which a render of any size begins."""
        return Picture(codes_of(self._whole_plate, np.dtype(np.uint16)))

    def layer_of(self, still: Shot) -> Layer:
        """A still shot's passes, once it is rendered; its sun is its own."""
        key = state_key(still)
        if key not in self._held:
            passes = read_passes(self.kept / "states" / self._state_name(key) / "passes")
            height, width = self.study.plate.shape[:2]
            self._held[key] = layers_of(passes, (height, width), self.camera, _to_sun(still))
            while len(self._held) > LAYERS_HELD:
                self._held.popitem(last=False)
        self._held.move_to_end(key)
        return self._held[key]

    def _composed(self, number: int, codes: Codes, layers: list[tuple[float, Layer]]) -> Composed:
        front, blend = self.front(number), self.shot.blend
        level = self._level_share
        taken = Taken(
            number,
            codes,
            partial(self.study.plate_in, number),
            partial(self.study.gain, number),
            self.study.lies(number),
            front,
            lambda depth, part: before_of(
                self.people[number], front.within(part), depth, level[part], (part[1].start, part[0].start)
            ),
        )
        tones = Tones(blend.place, blend.whole, luts_of(blend, self.readers.lut))
        return composed(taken, layers, tones, self._grain, self.study.deepest)

    @cached_property
    def _grain(self) -> FrameGrain | None:
        height, width = self.study.plate.shape[:2]
        amount = self.shot.blend.grain
        return FrameGrain.of(self.study.noise, amount, width, height) if amount > 0 else None

    @cached_property
    def _level_share(self) -> Floats:
        """Which share (H, W) of each pixel's way is level."""
        height, width = self.study.plate.shape[:2]
        camera = self.camera
        assert camera is not None
        y, x = np.mgrid[:height, :width]
        rays = camera.rays(np.column_stack([x.ravel(), y.ravel()]) + 0.5)
        share = np.linalg.norm(rays[:, :2], axis=1) / np.linalg.norm(rays, axis=1)
        return np.asarray(share.reshape(height, width), np.float32)

    def _write(self, number: int, made: Composed) -> None:
        for wanted in self.wants:
            write_frame(wanted, made, self.shot, self.frame_path(number, wanted))

    def clear(self) -> None:
        """Keep the newest only of what was made for this take: shots change, and frames with them."""
        for name, most in (("frames", KEPT_FRAMES * len(self.frames)), ("front", KEPT_FRAMES * len(self.frames))):
            _keep_newest(self.kept / name, most)
        _keep_newest(self.kept / "states", KEPT_STATES)


def _together(before: _Noted | None, own: _Noted, after: _Noted | None) -> Floats | None:
    """How likely somebody is where in a frame, by it and those beside it; None where nobody's colours are learnt."""
    number, looks, noted = own
    if noted is None:
        return None
    beside = [one[2] for one in (before, after) if one and one[2] and abs(one[0] - number) == 1]
    return agreed(noted, beside, float(np.sqrt(looks.noise.variance)))


def _to_sun(shot: Shot) -> Array | None:
    """Towards the sun, where one throws shadows."""
    sun = derive(shot).sun_shown
    return np.array(sun) if sun and shot.lit_by == "day" and shot.sky.cover < CLOUDED else None


def _keep_newest(folder: Path, most: int) -> None:
    if not folder.is_dir():
        return
    for old in sorted(folder.iterdir(), key=lambda one: one.stat().st_mtime, reverse=True)[most:]:
        if old.is_dir():
            shutil.rmtree(old, ignore_errors=True)
        else:
            old.unlink(missing_ok=True)


def _short(told: object) -> str:
    return hashlib.sha256(repr(told).encode()).hexdigest()[:16]


class _Timed:
    """How long pieces of a kind take, and so the rest of them."""

    def __init__(self, of: int) -> None:
        self.of, self.done, self.began = of, 0, time.monotonic()

    def one_more(self) -> None:
        """One is done."""
        self.done += 1

    def left(self) -> float | None:
        """How long the rest takes; None as long as nothing tells."""
        return (time.monotonic() - self.began) / self.done * (self.of - self.done) if self.done else None


def _sized(study: Study, scale: float) -> Study:
    """A study for frames of another size, its plate made as frames and photographs are."""
    if scale == 1:
        return study
    plate = sized(Picture(codes_of(study.plate, np.dtype(np.uint16))), scale).encoded
    size = (plate.shape[1], plate.shape[0])
    seen = cv2.resize(study.seen, size, interpolation=cv2.INTER_LINEAR)
    restless = cv2.resize(study.restless, size, interpolation=cv2.INTER_AREA)
    empty = cv2.resize(study.empty.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    moved = study.moved * [scale, scale, 1, 1]
    quieter = replace(study.noise, sigma=np.maximum(study.noise.sigma * np.float32(min(1.0, scale)), np.float32(0.29)))
    return replace(study, plate=plate, seen=seen, empty=empty, restless=restless, moved=moved, noise=quieter)
