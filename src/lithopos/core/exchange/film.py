"""Films and numbered pictures, frame by frame, each found by its time stamp: takes, and films that are shown.

A frame is found by seeking backwards to a key frame and decoding up to its time stamp, which is exact whatever the
frame rate does. Codes are R′G′B′ as the film's own tags say (ITU-T H.273): its matrix and its range are undone, its
tones are kept as they are.
"""

from __future__ import annotations

import itertools
import zipfile
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from lithopos.core.errors import InputError, NoTake
from lithopos.core.exchange.kinds import file_kind, numbered_pictures
from lithopos.core.exchange.picture import Codes

LONG_FRAMES = 15_000  # ten minutes
USUAL_RATE = (25, 1)
HIGH_DYNAMIC_RANGE = {16: "PQ", 18: "HLG"}  # transfer characteristics of H.273
WIDE = {9: "Rec. 2020", 11: "P3", 12: "P3"}  # colour primaries of H.273
UNSPECIFIED = 2
FULL = 2  # a range from 0 to the top
BT709, BT601 = 1, 6
HIGH = 720  # lines from which an untagged film is taken for Rec. 709

__all__ = ["TakeNotes", "decoded", "film_size", "shown_at", "take_notes"]


class TakeNotes(BaseModel):
    """What a take is.

    Attributes
    ----------
    width, height : upright [px].
    frames, seconds, rate : how many, how long, and how many a second in the middle of all, as a fraction.
    even : whether frames come at even times; `times_s` are their times from the first one's [s].
    codec, container : by their short names; `bits` a channel; `full_range`: codes go from 0 to the top.
    primaries, transfer, matrix : by the numbers of H.273; 2: not told.
    rotation_deg : by which frames are turned to be upright.
    sound : its codec; None where there is none.
    notes : plain sentences on what is doubtful or not kept.
    """

    width: int
    height: int
    frames: int
    seconds: float
    rate: tuple[int, int]
    even: bool
    times_s: list[float]
    codec: str
    container: str
    bits: int
    primaries: int = UNSPECIFIED
    transfer: int = UNSPECIFIED
    matrix: int = UNSPECIFIED
    full_range: bool = False
    rotation_deg: int = 0
    interlaced: bool = False
    sound: str | None = None
    notes: list[str] = []


def take_notes(path: Path) -> TakeNotes:
    """What a film or a zip of numbered pictures tells; its packets are counted, its first frame decoded.

    Raises
    ------
    InputError
        If it has no moving picture, a single frame, or is of a kind that is not read.
    """
    if file_kind(path) == "sequence":
        return _sequence_notes(path)
    try:
        with av.open(str(path)) as opened:
            stream = _video_of(opened)
            times = _times(opened, stream)
            opened.seek(times[0], stream=stream, backward=True)
            return _film_notes(opened, stream, times, next(opened.decode(stream)))
    except InputError:
        raise
    except StopIteration as error:
        raise InputError("file", "is a film of which not one frame can be read: it is damaged") from error
    except (av.error.FFmpegError, ValueError, av.codec.codec.UnknownCodecError) as error:
        raise InputError("file", f"is a film that can’t be read: {_cause(error)}") from error


def _cause(error: Exception) -> str:
    if isinstance(error, av.error.DecoderNotFoundError | av.codec.codec.UnknownCodecError):
        return "this machine has nothing that decodes its codec"
    return "it is damaged, or cut off"


def _video_of(opened: Any) -> Any:
    if not opened.streams.video:
        what = "only sound" if opened.streams.audio else "nothing that moves"
        raise InputError("file", f"has no video track: {what} is in it")
    stream = opened.streams.video[0]
    stream.thread_type = "AUTO"
    return stream


def _times(opened: Any, stream: Any) -> list[int]:
    """Time stamps of all frames in their order, by the packets, in the stream's unit."""
    times: list[int] = []
    try:
        for packet in opened.demux(stream):
            stamp = packet.pts if packet.pts is not None else packet.dts
            if stamp is not None and packet.size:
                times.append(int(stamp))
    except av.error.FFmpegError:  # cut off: what came before is there
        pass
    if not times:
        raise InputError("file", "is a film without a single frame")
    if len(times) == 1:
        raise NoTake("file", "is a film of a single frame; bring it as a photograph")
    return sorted(times)


def _film_notes(opened: Any, stream: Any, times: list[int], frame: Any) -> TakeNotes:
    base = Fraction(stream.time_base)
    steps = np.diff(times)
    step = float(np.median(steps)) or 1.0
    even = bool(np.all(np.abs(steps - step) <= max(1.0, 0.02 * step)))
    rate = Fraction(stream.average_rate or 0) or 1 / (base * Fraction(step).limit_denominator(1000))
    if not even:
        rate = 1 / (base * Fraction(step).limit_denominator(1000))
    rate = rate.limit_denominator(100_000)
    transfer, primaries = int(frame.color_trc), int(frame.color_primaries)
    if transfer in HIGH_DYNAMIC_RANGE:
        told = HIGH_DYNAMIC_RANGE[transfer]
        raise NoTake("file", f"is a film in high dynamic range ({told}); convert it to Rec. 709 first")
    turned = round(frame.rotation) % 360
    size = (frame.height, frame.width) if turned in (90, 270) else (frame.width, frame.height)
    notes = []
    if not even:
        notes.append("its frames come at uneven times; each keeps its own")
    if frame.interlaced_frame:
        notes.append("it is interlaced: two moments share a frame, whose edges are torn where something moves")
    if primaries in WIDE:
        notes.append(f"its colours are of {WIDE[primaries]}; they are reckoned as Rec. 709")
    if turned:
        notes.append(f"its frames are turned by {turned}° to be upright")
    if len(times) > LONG_FRAMES:
        notes.append(f"it is long, {len(times)} frames: set its first and last one, each costs about a second or more")
    audio = opened.streams.audio
    return TakeNotes(
        width=size[0],
        height=size[1],
        frames=len(times),
        seconds=float((times[-1] - times[0] + step) * base),
        rate=(rate.numerator, rate.denominator),
        even=even,
        times_s=[float((one - times[0]) * base) for one in times],
        codec=stream.codec_context.name,
        container=opened.format.name.split(",")[0],
        bits=max(int(part.bits) for part in frame.format.components),
        primaries=primaries,
        transfer=transfer,
        matrix=int(frame.colorspace),
        full_range=int(frame.color_range) == FULL,
        rotation_deg=turned,
        interlaced=bool(frame.interlaced_frame),
        sound=audio[0].codec_context.name if audio else None,
        notes=notes,
    )


def decoded(path: Path, first: int, last: int) -> Iterator[Codes]:
    """Frames from `first` to `last`, both with it, as upright codes (H, W, 3) of 8 or 16 bits.

    Raises
    ------
    InputError
        If one can't be decoded or has another size, naming the frame.
    """
    if file_kind(path) == "sequence":
        yield from _pictures(path, first, last)
        return
    shape: tuple[int, ...] | None = None
    number = first
    try:
        with av.open(str(path)) as opened:
            times = _times(opened, _video_of(opened))
        with av.open(str(path)) as opened:
            stream = _video_of(opened)
            if not first <= last < len(times):
                raise InputError("frame", f"{last} is not in the take, which has {len(times)}, from 0")
            opened.seek(times[first], stream=stream, backward=True)
            for frame in opened.decode(stream):
                if frame.pts is not None and frame.pts < times[number]:
                    continue
                codes = _codes(frame)
                if shape is not None and codes.shape != shape:
                    raise InputError("file", f"changes its size at frame {number}: only one size is read")
                shape = codes.shape
                yield codes
                number += 1
                if number > last:
                    return
    except av.error.FFmpegError as error:
        raise InputError("file", f"is damaged: frame {number} can’t be read") from error
    raise InputError("file", f"is cut off: it ends before frame {number}; set the last frame before that")


def film_size(path: Path) -> dict[str, float | int]:
    """Width and height, upright, and seconds of a film that is only to be shown.

    Raises
    ------
    InputError
        If it holds no moving picture that can be read.
    """
    try:
        with av.open(str(path)) as opened:
            stream = _video_of(opened)
            seconds = float(stream.duration * stream.time_base) if stream.duration and stream.time_base else 0.0
            seconds = seconds or float((opened.duration or 0) / 1_000_000)
            height, width = _codes(next(opened.decode(stream))).shape[:2]
            return {"width": width, "height": height, "seconds": seconds}
    except InputError:
        raise
    except (av.error.FFmpegError, StopIteration, ValueError) as error:
        raise InputError("file", "is a film that holds no picture that can be read") from error


def shown_at(path: Path, time_s: float) -> NDArray[np.uint8]:
    """The frame on show at a time, with its transparency (H, W, 4) of 8 bits.

    Raises
    ------
    InputError
        If it can't be read there, or the film ends before.
    """
    shown = None
    try:
        with av.open(str(path)) as opened:
            stream = _video_of(opened)
            base = float(stream.time_base or 1)
            begin = int(stream.start_time or 0)
            opened.seek(begin + int(time_s / base), stream=stream, backward=True)
            for frame in opened.decode(stream):
                if shown is not None and (frame.pts or 0) * base > begin * base + time_s + 1e-6:
                    break
                shown = frame
    except (av.error.FFmpegError, ValueError) as error:
        raise InputError("file", "is a film that can't be read there") from error
    if shown is None:
        raise InputError("time_s", "lies behind the film's end")
    codes = _codes(shown)
    eight_bit = (codes >> 8).astype(np.uint8) if codes.dtype == np.uint16 else codes
    opaque = np.full(codes.shape[:2], 255, np.uint8)
    if any(part.is_alpha for part in shown.format.components):
        opaque = np.rot90(shown.to_ndarray(format="rgba")[..., 3], round(shown.rotation / 90) % 4)
    return np.dstack([eight_bit, opaque])


def _codes(frame: Any) -> NDArray[np.uint8] | NDArray[np.uint16]:
    """A frame's codes: its matrix and range undone, turned upright."""
    deep = max(int(part.bits) for part in frame.format.components) > 8
    if frame.format.is_rgb:
        made = frame.to_ndarray(format="rgb48le" if deep else "rgb24")
    else:
        matrix = int(frame.colorspace)
        if matrix not in (1, 4, 5, 6, 7, 9):
            matrix = BT709 if frame.height >= HIGH else BT601
        turned = frame.reformat(
            format="rgb48le" if deep else "rgb24",
            src_colorspace=5 if matrix == BT601 else matrix,
            dst_colorspace=5 if matrix == BT601 else matrix,
            src_color_range=int(frame.color_range) or 1,
            dst_color_range=FULL,
        )
        made = turned.to_ndarray()
    quarter = round(frame.rotation / 90) % 4
    return np.ascontiguousarray(np.rot90(made, quarter))


# Numbered pictures


def _sequence_notes(path: Path) -> TakeNotes:
    names = numbered_pictures(path)
    if len(names) < 2:
        raise InputError("file", "holds a single picture; bring it as a photograph")
    first = next(_pictures(path, 0, 0))
    rate = Fraction(*USUAL_RATE)
    return TakeNotes(
        width=first.shape[1],
        height=first.shape[0],
        frames=len(names),
        seconds=len(names) / float(rate),
        rate=USUAL_RATE,
        even=True,
        times_s=[number / float(rate) for number in range(len(names))],
        codec=Path(names[0]).suffix.lstrip(".").lower(),
        container="zip",
        bits=first.dtype.itemsize * 8,
        full_range=True,
        notes=["numbered pictures tell no frame rate: 25 a second is taken, until another is given"],
    )


def _pictures(path: Path, first: int, last: int) -> Iterator[Codes]:
    from lithopos.core.exchange.decode import read_picture

    names = numbered_pictures(path)
    if not first <= last < len(names):
        raise InputError("frame", f"{last} is not in the take, which has {len(names)}, from 0")
    shape: tuple[int, ...] | None = None
    with zipfile.ZipFile(path) as package, TemporaryDirectory(prefix="lithopos-") as folder:
        for number, name in itertools.islice(enumerate(names), first, last + 1):
            place = Path(folder) / f"frame{Path(name).suffix.lower()}"
            place.write_bytes(package.read(name))
            codes = read_picture(place).codes
            if shape is not None and codes.shape != shape:
                raise InputError("file", f"changes its size at frame {number}: only one size is read")
            shape = codes.shape
            yield codes
