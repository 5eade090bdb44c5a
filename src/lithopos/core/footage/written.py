"""Films out: AV1, VP9 or lossless FFV1, with the take's rate, time stamps, colour tags and sound.

Only codecs are offered whose encoders are free of fees and of licences that would bind what uses them.
"""

from __future__ import annotations

import itertools
import os
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any, Literal

import av
import numpy as np

from lithopos.core.errors import InputError
from lithopos.core.exchange.film import FULL, UNSPECIFIED, TakeNotes
from lithopos.core.exchange.picture import Codes, whole_or_not

Codec = Literal["av1", "vp9", "ffv1"]
ENCODERS: dict[Codec, str] = {"av1": "libsvtav1", "vp9": "libvpx-vp9", "ffv1": "ffv1"}
CONTAINERS: dict[Codec, tuple[str, ...]] = {
    "av1": (".mp4", ".webm", ".mkv"),
    "vp9": (".webm", ".mkv", ".mp4"),
    "ffv1": (".mkv",),
}
SOUNDS = {
    ".webm": {"opus", "vorbis"},
    ".mp4": {"aac", "opus", "mp3", "flac", "ac3", "eac3", "alac"},
    ".mkv": None,  # any
}
TICKS = 90_000  # a second, for frames at uneven times
COARSEST = 63  # of a constant quality
BT709, RGB = 1, 0
os.environ.setdefault("SVT_LOG", "1")  # errors: else the encoder tells its settings on standard error

__all__ = ["CONTAINERS", "ENCODERS", "Codec", "Film", "fitting_suffix", "refuse_unfit", "write_film"]


@dataclass(frozen=True)
class Film:
    """How a film is written.

    Attributes
    ----------
    quality : 1 to 100; of a lossless one nothing.
    sound : whether the take's is carried over.
    """

    codec: Codec = "av1"
    quality: int = 80
    sound: bool = True


def refuse_unfit(path: Path, film: Film, notes: TakeNotes) -> None:
    """Say before anything is made what can't be written.

    Raises
    ------
    InputError
        If the file's ending does not go with the codec, or can't hold the take's sound.
    """
    suffix = path.suffix.lower()
    if suffix not in CONTAINERS[film.codec]:
        known = ", ".join(CONTAINERS[film.codec])
        raise InputError(
            "--out", f"{film.codec.upper()} is kept in {known}, not in {suffix or 'a file without ending'}"
        )
    heard = SOUNDS[suffix]
    if film.sound and notes.sound and heard is not None and notes.sound not in heard:
        raise InputError("--out", f"{suffix} can’t hold sound of {notes.sound}; .mkv holds any")


def fitting_suffix(film: Film, suffix: str, notes: TakeNotes) -> str:
    """The ending of a film's name, or that of a container which holds any sound where this one can't."""
    heard = SOUNDS.get(suffix.lower())
    return ".mkv" if film.sound and notes.sound and heard is not None and notes.sound not in heard else suffix


def write_film(
    frames: Iterator[Codes], path: Path, film: Film, take: Path, notes: TakeNotes, first: int, rate: tuple[int, int]
) -> None:
    """Write a film, whole or not at all.

    Parameters
    ----------
    frames : codes (H, W, 3) of all frames from `first` on.
    take, notes : whose sound, time stamps and colour tags are carried over.
    rate : frames a second, where they are even.

    Raises
    ------
    NoRoom
        If the disk is full.
    """
    refuse_unfit(path, film, notes)
    formats = {".mp4": "mp4", ".webm": "webm", ".mkv": "matroska"}
    with whole_or_not(path) as beside, av.open(str(beside), "w", format=formats[path.suffix.lower()]) as container:
        first_codes = next(frames)
        stream = _stream(container, film, first_codes, notes, rate)
        voice = _Voice(container, take, notes, first) if film.sound and notes.sound else None
        number = -1
        for number, codes in enumerate(itertools.chain([first_codes], frames)):
            picture = _picture(_even(codes), stream, notes, film)
            picture.pts, picture.time_base = _stamp(number, first, notes), stream.codec_context.time_base
            container.mux(stream.encode(picture))
            if voice is not None:
                voice.carry_over(until_s=float(picture.pts * picture.time_base))
        container.mux(stream.encode(None))
        if voice is not None:
            voice.carry_over(until_s=(number + 1.5) * rate[1] / rate[0] if notes.even else notes.times_s[-1] + 1)
            voice.close()


def _stream(container: Any, film: Film, codes: Codes, notes: TakeNotes, rate: tuple[int, int]) -> Any:
    hertz = Fraction(*rate)
    stream = container.add_stream(ENCODERS[film.codec], rate=hertz)
    height, width = _even(codes).shape[:2]
    stream.width, stream.height = width, height
    deep = codes.dtype == np.uint16
    if film.codec == "ffv1":
        stream.pix_fmt = "gbrp16le" if deep else "bgr0"
        stream.options = {"level": "3", "slicecrc": "1"}
    else:
        stream.pix_fmt = "yuv420p10le" if deep and film.codec == "av1" else "yuv420p"
        coarse = str(max(1, round((100 - film.quality) / 100 * COARSEST)))
        quick = {"preset": "7"} if film.codec == "av1" else {"b": "0", "cpu-used": "3", "row-mt": "1"}
        stream.options = {"crf": coarse, **quick}
    context = stream.codec_context
    context.time_base = 1 / hertz if notes.even else Fraction(1, TICKS)
    context.color_primaries = _told(notes.primaries)
    context.color_trc = _told(notes.transfer)
    context.colorspace = RGB if film.codec == "ffv1" else _matrix(notes)
    context.color_range = FULL if film.codec == "ffv1" or notes.full_range else 1
    return stream


def _told(number: int) -> int:
    return BT709 if number == UNSPECIFIED else number


def _matrix(notes: TakeNotes) -> int:
    return notes.matrix if notes.matrix in (1, 5, 6, 9) else BT709


def _even(codes: Codes) -> Codes:
    """Without the last row or column where there is an odd one: colours are kept for two by two pixels."""
    height, width = codes.shape[:2]
    even: Codes = codes[: height - height % 2, : width - width % 2]
    return even


def _picture(codes: Codes, stream: Any, notes: TakeNotes, film: Film) -> Any:
    layout = "rgb48le" if codes.dtype == np.uint16 else "rgb24"
    values: Any = np.ascontiguousarray(codes)
    frame = av.VideoFrame.from_ndarray(values, format=layout)
    if film.codec == "ffv1":
        return frame.reformat(format=stream.pix_fmt)
    matrix = 5 if _matrix(notes) == 6 else _matrix(notes)
    spread = FULL if notes.full_range else 1
    made = frame.reformat(
        format=stream.pix_fmt,
        src_colorspace=matrix,
        dst_colorspace=matrix,
        src_color_range=FULL,
        dst_color_range=spread,
    )
    made.colorspace, made.color_range = _matrix(notes), spread
    return made


def _stamp(number: int, first: int, notes: TakeNotes) -> int:
    if notes.even:
        return number
    return round((notes.times_s[first + number] - notes.times_s[first]) * TICKS)


class _Voice:
    """The take's sound, packet by packet as it is, from the first frame's time on."""

    def __init__(self, container: Any, take: Path, notes: TakeNotes, first: int) -> None:
        self.container, self.opened = container, av.open(str(take))
        self.theirs = self.opened.streams.audio[0]
        self.ours = container.add_stream_from_template(self.theirs)
        video: Any = self.opened.streams.video[0]
        begin = float((video.start_time or 0) * video.time_base)
        self.from_s = begin + notes.times_s[first]
        self.packets = self.opened.demux(self.theirs)
        self.waiting: Any = None

    def carry_over(self, until_s: float) -> None:
        """Write all that is heard before a time of the film."""
        while True:
            packet = self.waiting or next(self.packets, None)
            self.waiting = None
            if packet is None or packet.pts is None:
                return
            at = float(packet.pts * packet.time_base) - self.from_s
            if at >= until_s:
                self.waiting = packet
                return
            if at < -1e-3 - float((packet.duration or 0) * packet.time_base):
                continue
            shift = round(self.from_s / packet.time_base)
            packet.pts -= shift
            packet.dts = packet.pts
            if packet.pts < 0:
                continue
            packet.stream = self.ours
            self.container.mux(packet)

    def close(self) -> None:
        self.opened.close()
