"""`python -m bench.footage FOLDER`: a take of the sample program against its truth.

FOLDER holds what `python -m lithopos.samples.take --whole FOLDER` has written without loss; without one the committed,
compressed take is used, whose own losses count then as well.
"""

from __future__ import annotations

import json
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import Codes, encoded_of
from lithopos.core.footage.asked import take_notes_of
from lithopos.core.footage.frames import read_frames
from lithopos.core.footage.make import FootageJob
from lithopos.core.footage.put_out import put_film
from lithopos.core.footage.written import Film
from lithopos.core.reading.ask import read_graphic, read_model, read_panorama
from lithopos.core.render.finished import Readers
from lithopos.core.shot import Shot, load_shot
from lithopos.samples.demo import drawn_proxies, marks_of
from lithopos.samples.make import DATA
from lithopos.samples.make import TAKE as NAME

BAND_PX = 10
AFFECTED = 3  # codes by which the model moves the place in the truth


def shot_of_take(exact: bool = False) -> Shot:
    """The sample take matched from a hand's marks, or from the truth itself, with the model where it really stood."""
    truth = json.loads((DATA / f"{NAME}.json").read_text())
    marks = marks_of(truth, noise_px=0.0 if exact else 0.5)
    width, height = truth["image"]["width"], truth["image"]["height"]
    count = len(truth["shake_px"])
    changes: dict[str, Any] = {}
    if exact:
        known = {name: truth["camera"][name] for name in ("focal_px", "rotation", "camera_position")}
        sun = {
            "kind": "hand",
            "azimuth_deg": truth["sun"]["azimuth_deg"],
            "elevation_deg": truth["sun"]["elevation_deg"],
        }
        changes = {"camera": {"kind": "known", "image": truth["image"], **known}, "sun": sun}
    stood = {"id": "m1", "file": truth["model"]["file"], "name": "Bench", "position_m": truth["model"]["position"]}
    return load_shot(
        {
            "format": 4,
            **marks,
            "photograph": {"file": f"{NAME}.plate.jpg", "width": width, "height": height},
            "take": {"file": truth["photograph"], "frames": count, "last": count - 1},
            "models": [{**stood, "turn_deg": truth["model"]["turn_deg"]}],
            "proxies": drawn_proxies(truth),
            **changes,
        }
    )


def psnr(one: Floats, other: Floats) -> float:
    """Decibels of encoded values."""
    return float(-10 * np.log10(np.mean((one - other) ** 2)))


def bench_footage(whole: Path | None = None) -> None:
    """Plate, mattes and composite against the truth; time beside one master."""
    names = {one: whole / f"{NAME}.{one}.mkv" if whole else None for one in ("take", "truth", "mattes")}
    take = names["take"] or DATA / f"{NAME}.webm"
    truth = names["truth"] or DATA / f"{NAME}.truth.webm"
    mattes = names["mattes"] or DATA / f"{NAME}.mattes.mkv"
    plate = read_picture(whole / f"{NAME}.plate.png" if whole else DATA / f"{NAME}.plate.jpg")
    for exact in (False, True):
        with tempfile.TemporaryDirectory() as folder:
            job = FootageJob(shot_of_take(exact), take, take_notes_of(take), _readers(), Path(folder))
            print(f"footage, {'the truth for marks' if exact else 'marks by hand'}")
            spent = _made(job)
            if not exact:
                told = psnr(job.study.plate, encoded_of(plate.codes))
                print(f"  plate: {told:.1f} dB, seen empty {job.study.empty.mean():.4f}")
                _shake(job)
                _mattes(job, mattes)
                for _ in (every := _again(job)).fronts():
                    pass
                _mattes(every, mattes)
            _composite(job, truth)
            if not exact:
                _costs(job, spent, Path(folder))


def _readers() -> Readers:
    return Readers(
        lambda name: read_model(DATA / name),
        lambda name, time_s: read_graphic(DATA / name, time_s),
        lambda name: read_panorama(DATA / name),
        lambda name: (_ for _ in ()).throw(KeyError(name)),
        lambda name: (_ for _ in ()).throw(KeyError(name)),
    )


def _made(job: FootageJob) -> dict[str, float]:
    spent: dict[str, float] = {}
    at = time.perf_counter()
    for step in job.run():
        now = time.perf_counter()
        spent[step.stage] = spent.get(step.stage, 0.0) + now - at
        at = now
    return spent


def _shake(job: FootageJob) -> None:
    true = np.array(json.loads((DATA / f"{NAME}.json").read_text())["shake_px"])
    off = job.study.moved[:, :2] - true[: len(job.study.moved)]
    rms, most = np.sqrt((off**2).mean()), np.abs(off).max()
    print(f"  trembling of up to {np.abs(true).max():.2f} px: off by {rms:.3f} px rms, {most:.3f} at most")


def _again(job: FootageJob) -> FootageJob:
    """A job of the same take and folder that knows of no render: it tells all edges."""
    again = FootageJob(job.shot, job.path, job.notes, job.readers, job.kept)
    for _ in again.looked():
        pass
    return again


def _mattes(job: FootageJob, path: Path) -> None:
    errors: list[Floats] = []
    whole: list[float] = []
    for number, codes in zip(job.frames, read_frames(path, job.frames[0], job.frames[-1]), strict=True):
        true, found = encoded_of(codes)[..., 1], job.front(number).alpha
        solid = (true > 0.5).astype(np.uint8)
        if not solid.any():
            continue
        near = np.ones((BAND_PX + 1, BAND_PX + 1), np.uint8)
        band = (cv2.dilate(solid, near) > 0) & (cv2.erode(solid, near) == 0)
        if job.matters is not None:
            band &= cv2.warpAffine(job.matters.astype(np.uint8), job.study.lies(number), band.shape[::-1]) > 0
        if band.any():
            errors.append(np.abs(found - true)[band])
        whole.append(float(np.abs(found - true).mean()))
    where = "everywhere" if job.matters is None else "where the model, its shadow or its reflection is"
    frames = [float(one.mean()) for one in errors]
    told = f"{np.concatenate(errors).mean():.4f} mean absolute error in the band"
    told += f" (the mean of frames {np.mean(frames):.4f}, the worst {np.max(frames):.4f})"
    print(f"  mattes {where}: {told}, {np.mean(whole):.5f} over all")


def _composite(job: FootageJob, path: Path) -> None:
    found, doing_nothing, ours, theirs = [], [], [], []
    before: tuple[Floats, Floats] | None = None
    take = read_frames(job.path, job.frames[0], job.frames[-1])
    for number, true, bare in zip(job.frames, read_frames(path, job.frames[0], job.frames[-1]), take, strict=True):
        made = read_picture(job.frame_path(number)).codes
        place = _affected(job, number, true, bare)
        one, other, nothing = (encoded_of(codes) for codes in (made, true, bare))
        found.append(((one - other) ** 2)[place])
        doing_nothing.append(((nothing - other) ** 2)[place])
        if before is not None:
            still = place & (job.front(number).alpha < 0.01) & (job.front(number - 1).alpha < 0.01)
            ours.append(np.abs(one - before[0])[still].mean())
            theirs.append(np.abs(other - before[1])[still].mean())
        before = (one, other)
    told = [-10 * np.log10(np.concatenate([part.ravel() for part in parts]).mean()) for parts in (found, doing_nothing)]
    print(f"  composite: {told[0]:.2f} dB on affected place pixels (the take as it is: {told[1]:.2f})")
    share = np.mean(ours) / np.mean(theirs)
    print(f"  flicker: {share:.3f} of the truth’s ({255 * np.mean(ours):.2f} codes from frame to frame)")


def _affected(job: FootageJob, number: int, true: Codes, bare: Codes) -> np.ndarray:
    """Pixels of the place that the model changes in the truth, beyond noise; the model's own left out."""
    share = cv2.GaussianBlur(true.astype(np.float32) - bare.astype(np.float32), (0, 0), 2.0)
    state = job.states(number)[0].shot
    layer = job.layer_of(state)
    cover = cv2.warpAffine(layer.cover, job.study.lies(number), layer.cover.shape[::-1])
    return (np.abs(share).max(-1) > AFFECTED) & (cv2.dilate(cover, np.ones((5, 5))) <= 0)


def _costs(job: FootageJob, spent: dict[str, float], folder: Path) -> None:
    """The whole beside one master, and the frames' own decoding and encoding."""
    at = time.perf_counter()
    for _ in read_frames(job.path, job.frames[0], job.frames[-1]):
        pass
    decoding, at = time.perf_counter() - at, time.perf_counter()
    put_film(job, folder / "out.mp4", Film("av1", 80))
    encoding = time.perf_counter() - at
    told = ", ".join(f"{name} {seconds:.1f} s" for name, seconds in spent.items())
    print(f"  {len(job.frames)} frames: {told}; decoding alone {decoding:.1f} s, encoding {encoding:.1f} s")
    still = FootageJob(replace_frames(job.shot, 2), job.path, job.notes, job.readers, folder / "master")
    master = _made(still)["render"]
    print(f"  one master of the same size: {master:.1f} s")


def replace_frames(shot: Shot, count: int) -> Shot:
    """A shot of the first few frames only."""
    assert shot.take
    return shot.model_copy(update={"take": shot.take.model_copy(update={"last": shot.take.first + count - 1})})


if __name__ == "__main__":
    bench_footage(Path(sys.argv[1]) if len(sys.argv) > 1 else None)
