"""`python -m lithopos.samples.take`: the sample take, filmed from a stand that is not quite still, with its truth.

Path-traced at twice the size with the same random numbers in every frame, so that what stands still is still; then
shaken by parts of a pixel, dimmed by a cloud that drifts over, made noisy by a sensor, and encoded.
"""

from __future__ import annotations

import json
import sys
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import click
import cv2
import numpy as np
import pyoidn
from numpy.typing import NDArray

from lithopos.samples.court import court
from lithopos.samples.make import DATA, load_renderer_quietly
from lithopos.samples.make import TAKE as NAME
from lithopos.samples.meshes import Mesh
from lithopos.samples.models import encode_srgb
from lithopos.samples.photograph import Floats, Studio, gain_of, sensed, truth_of
from lithopos.samples.places import Camera, Place
from lithopos.samples.walkers import WALKERS, Walker

RATE, SECONDS = 25, 4
WIDTH, HEIGHT = 960, 540
FINER = 2  # traced at so many times the size
MARGIN = 4  # pixels about the picture for the shake
STILL_SAMPLES = 30  # a pixel of the finer size, of what stands still
PORTION = 3  # samples at once
ABOUT = 40  # finer pixels about people and their shadows, for the light that they throw back
WALL_Y_M = 3.2  # where the court ends
Crop = tuple[int, int, int, int]  # left, upper, right, lower

__all__ = ["RATE", "cloud", "shake", "walked_place"]


def walked_place() -> Place:
    """The court as the take's camera sees it, a bench in its middle, the sun from over the left shoulder."""
    place = court("onto the wall")
    wide = replace(place.camera, width=WIDTH, height=HEIGHT, target=(0.1, 1.0, 0.62), roll_deg=0.3)
    there = replace(place, name="Court, a walk through", camera=wide, model_at=(0.1, 0.45, 0.0))
    return replace(there, sun_azimuth_deg=236.0, sun_elevation_deg=42.0)


def shake(frame: int) -> Floats:
    """How far (x, y) a frame is moved against the first [px]: wind at a stand."""
    t = frame / RATE
    x = 0.55 * np.sin(2 * np.pi * 1.3 * t) + 0.3 * np.sin(2 * np.pi * 3.7 * t + 1) - 0.3 * np.sin(1)
    y = 0.35 * np.sin(2 * np.pi * 2.1 * t) + 0.2 * np.sin(2 * np.pi * 5.3 * t + 2) - 0.2 * np.sin(2)
    return np.array([x, y], np.float32)


def cloud(frame: int, shape: tuple[int, int]) -> Floats:
    """How much light (H, W, 3) is left under a thin cloud that drifts in from the right."""
    x = np.linspace(0, 1, shape[1], dtype=np.float32)[None, :, None]
    shade = 1 / (1 + np.exp(-(frame / RATE - 2.6 + 0.9 * (x - 0.5)) * 2.5))
    taken = 1 - shade * np.array([0.11, 0.105, 0.095], np.float32)
    return np.broadcast_to(taken, (*shape, 3)).astype(np.float32)


class Set:
    """The place with its passers-by, and with the model too if wanted; people are moved from frame to frame."""

    def __init__(self, mi: Any, with_model: bool, people: bool = True) -> None:
        self.mi, place = mi, walked_place()
        self.fixed = len(place.parts)
        if people:
            for walker in WALKERS:
                place.materials.update(walker.materials)
                for mesh, material in walker.parts(0.0):
                    place.add(mesh, material)
        self.studio = Studio(mi, replace(place, camera=_with_margin(place.camera)), FINER, with_model)
        self.gain = gain_of(self.studio.daylight(), place.camera.exposure).astype(np.float32)
        self.params = mi.traverse(self.studio.scene)

    def move_to(self, time_s: float) -> None:
        """Put the people where they are at a time."""
        for number, mesh in enumerate(_people(time_s)):
            name = f"part{self.fixed + number}"
            self.params[f"{name}.vertex_positions"] = mesh.vertices.astype(np.float32).ravel()
            self.params[f"{name}.vertex_normals"] = mesh.normals.astype(np.float32).ravel()
        self.params.update()

    def light(self, samples: int, crop: Crop | None = None) -> Floats:
        """Linear light (H, W, 3) at the finer size, with its margin, without lens and sensor; or of a part of it."""
        view = self.studio.view
        x0, y0, x1, y1 = crop or (0, 0, view.width, view.height)
        sensor = self.studio._sensor()
        sensor["film"] |= {"crop_offset_x": x0, "crop_offset_y": y0, "crop_width": x1 - x0, "crop_height": y1 - y0}
        loaded, total = self.mi.load_dict(sensor), None
        for number in range(0, samples, PORTION):
            made = np.array(self.mi.render(self.studio.scene, sensor=loaded, spp=PORTION, seed=7919 + number))
            total = made if total is None else total + made
        mean = np.asarray(total, np.float32) / (samples / PORTION)
        parts = mean[..., :3], np.clip(mean[..., 3:6], 0, 1), np.clip(mean[..., 6:9], -1, 1)
        return np.asarray(pyoidn.denoise(*map(np.ascontiguousarray, parts), hdr=True) * self.gain, np.float32)

    def touched(self, walker: Walker, time_s: float) -> Crop:
        """The part of the finer picture in which somebody and their shadow are."""
        to_sun, view = self.studio.place.to_sun, self.studio.view
        points = np.concatenate([mesh.vertices for mesh, _ in walker.parts(time_s)])
        to_ground = points[:, 2] / to_sun[2]
        to_wall = np.maximum((WALL_Y_M - points[:, 1]) / -to_sun[1], 0)
        shadows = points - to_sun * np.minimum(to_ground, to_wall)[:, None]
        seen = view.project(np.concatenate([points, shadows]))
        seen = seen[np.isfinite(seen).all(1)]
        if not len(seen):
            return 0, 0, 0, 0
        low, high = np.floor(seen.min(0)) - ABOUT, np.ceil(seen.max(0)) + ABOUT
        low, high = np.clip(low, 0, None), np.clip(high, None, [view.width, view.height])
        return int(low[0]), int(low[1]), int(high[0]), int(high[1])


def _people(time_s: float) -> list[Mesh]:
    return [mesh for walker in WALKERS for mesh, _ in walker.parts(time_s)]


def _with_margin(camera: Camera) -> Camera:
    larger = replace(camera, width=WIDTH + 2 * MARGIN, height=HEIGHT + 2 * MARGIN)
    return replace(
        larger, focal_35mm=camera.focal_35mm * np.hypot(WIDTH, HEIGHT) / np.hypot(larger.width, larger.height)
    )


def laid_over(still: Floats, part: Floats, crop: Crop) -> Floats:
    """A part with people over the place without them, its border faded so that no seam moves."""
    x0, y0, x1, y1 = crop
    height, width = part.shape[:2]
    x, y = np.arange(width), np.arange(height)
    left, right = (x if x0 > 0 else width), (width - 1 - x if x1 < still.shape[1] else width)
    above, below = (y if y0 > 0 else height), (height - 1 - y if y1 < still.shape[0] else height)
    aside = np.minimum(*np.broadcast_arrays(left, right))
    along = np.minimum(*np.broadcast_arrays(above, below))
    inside = np.minimum.outer(np.broadcast_to(along, height), np.broadcast_to(aside, width))
    weight = np.clip(inside / ABOUT, 0, 1).astype(np.float32)[..., None]
    made = still.copy()
    made[y0:y1, x0:x1] = weight * part + (1 - weight) * still[y0:y1, x0:x1]
    return made


class Masks:
    """People in white, the place in black: how much of each pixel they cover."""

    def __init__(self, mi: Any, studio: Studio) -> None:
        self.mi = mi
        scene: dict[str, Any] = {
            "type": "scene",
            "integrator": {"type": "aov", "aovs": "white:albedo"},
            "sensor": studio._sensor(),
        }
        for number, (mesh, _) in enumerate(walked_place().parts):
            scene[f"place{number}"] = _plain(mi, mesh)
        for number, mesh in enumerate(_people(0.0)):
            scene[f"part{number}"] = _plain(mi, mesh, white=True)
        self.scene = mi.load_dict(scene)
        self.params = mi.traverse(self.scene)

    def at(self, time_s: float, samples: int = 8) -> Floats:
        """Coverage (H, W) at the finer size."""
        for number, mesh in enumerate(_people(time_s)):
            self.params[f"part{number}.vertex_positions"] = mesh.vertices.astype(np.float32).ravel()
        self.params.update()
        return np.clip(np.array(self.mi.render(self.scene, spp=samples))[..., 1], 0, 1).astype(np.float32)


def _plain(mi: Any, mesh: Mesh, white: bool = False) -> Any:
    properties = mi.Properties()
    colour = {"type": "rgb", "value": 1.0 if white else 0.0}
    properties["bsdf"] = mi.load_dict({"type": "twosided", "inner": {"type": "diffuse", "reflectance": colour}})
    shape = mi.Mesh("thing", len(mesh.vertices), len(mesh.faces), props=properties)
    values = mi.traverse(shape)
    values["vertex_positions"] = mesh.vertices.astype(np.float32).ravel()
    values["faces"] = mesh.faces.astype(np.uint32).ravel()
    values.update()
    return shape


def filmed(finer: Floats, moved_px: Floats) -> Floats:
    """A finer picture with its margin as a sensor's pixels gather it, moved by parts of a pixel."""
    shift = np.array([[1, 0, moved_px[0] * FINER], [0, 1, moved_px[1] * FINER]], np.float32)
    size = (finer.shape[1], finer.shape[0])
    shifted = cv2.warpAffine(finer, shift, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    height, width = finer.shape[0] // FINER, finer.shape[1] // FINER
    small = cv2.resize(shifted, (width, height), interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(small[MARGIN:-MARGIN, MARGIN:-MARGIN])


def vignetted(linear: Floats) -> Floats:
    """As `photograph.exposed` has it, for the picture without its margin."""
    y, x = np.mgrid[0 : linear.shape[0], 0 : linear.shape[1]]
    height, width = linear.shape[:2]
    off = np.hypot(x + 0.5 - width / 2, y + 0.5 - height / 2) / np.hypot(width / 2, height / 2)
    return np.asarray(linear * (1 - 0.16 * off**2)[..., None], np.float32)


def coded(linear: Floats, seed: int | None) -> NDArray[np.uint8]:
    """Codes of a frame's light, with a sensor's noise unless there is no seed."""
    noisy = linear if seed is None else sensed(linear, np.random.default_rng(seed))
    return np.asarray(encode_srgb(noisy) * 255 + 0.5, np.uint8)


def write_film(frames: list[NDArray[np.uint8]], path: Path, crf: int | None, sound: Floats | None = None) -> None:
    """A film of frames: VP9 at a quality, or lossless (None), tagged Rec. 709, with its sound."""
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream("ffv1" if crf is None else "libvpx-vp9", rate=RATE)
        stream.width, stream.height = frames[0].shape[1], frames[0].shape[0]
        grey = frames[0].ndim == 2
        stream.pix_fmt = "gray" if grey and crf is None else "yuv420p" if crf is not None else "bgr0"
        if crf is not None:
            stream.options = {"crf": str(crf), "b": "0", "cpu-used": "1", "row-mt": "1"}
            context = stream.codec_context
            context.color_primaries, context.color_trc, context.colorspace, context.color_range = 1, 1, 1, 1
        voice: Any = container.add_stream("libopus", rate=48000, layout="mono") if sound is not None else None
        for number, codes in enumerate(frames):
            frame = av.VideoFrame.from_ndarray(codes, format="gray" if grey else "rgb24")
            if crf is not None:
                frame = frame.reformat(
                    format="yuv420p",
                    src_colorspace="ITU709",
                    dst_colorspace="ITU709",
                    src_color_range=2,
                    dst_color_range=1,
                )
                frame.colorspace, frame.color_range = 1, 1
            frame.pts, frame.time_base = number, Fraction(1, RATE)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
        if voice is not None and sound is not None:
            for number in range(0, len(sound), 960):
                part = av.AudioFrame.from_ndarray(sound[None, number : number + 960], format="flt", layout="mono")
                part.sample_rate, part.pts, part.time_base = 48000, number, Fraction(1, 48000)
                container.mux(voice.encode(part))
            container.mux(voice.encode(None))


def steps_heard() -> Floats:
    """What is heard: wind, and a soft knock at every step."""
    rng = np.random.default_rng(9)
    count = 48000 * SECONDS
    wind = cv2.GaussianBlur(rng.normal(size=(1, count)).astype(np.float32), (0, 0), 60)[0] * 0.25
    for walker in WALKERS:
        for moment in np.arange(0.1, SECONDS, 0.69 / walker.speed_m_s):
            at = int(moment * 48000)
            knock = rng.normal(size=2400).astype(np.float32) * np.exp(-np.arange(2400, dtype=np.float32) / 300)
            wind[at : at + 2400] += 0.12 * knock[: len(wind[at : at + 2400])]
    return wind.astype(np.float32)


@click.command()
@click.option("--samples", default=6, show_default=True, help="A pixel of the finer size, where people are.")
@click.option("--frames", default=RATE * SECONDS, show_default=True)
@click.option("--every", default=1, show_default=True, help="Only each so many-th frame, to try it out.")
@click.option("--out", type=click.Path(path_type=Path), default=DATA, help="Folder to write to.")
@click.option("--whole", type=click.Path(path_type=Path), help="A folder for all of it without loss, to measure by.")
def main(samples: int, frames: int, every: int, out: Path, whole: Path | None) -> None:
    """Film the sample take: the take, its empty plate, who is in it, and the take with the model really there."""
    mi = load_renderer_quietly()
    out.mkdir(parents=True, exist_ok=True)
    numbers = list(range(0, frames, every))
    still = {name: Set(mi, name == "truth", people=False).light(STILL_SAMPLES) for name in ("take", "truth")}
    plate = coded(vignetted(filmed(still["take"], shake(0))), None)
    cv2.imwrite(str(out / f"{NAME}.plate.jpg"), plate[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 94])
    takes: dict[str, list[NDArray[np.uint8]]] = {"take": [], "truth": [], "mattes": []}
    there = {"take": Set(mi, with_model=False), "truth": Set(mi, with_model=True)}
    masks = Masks(mi, there["take"].studio)
    for number in numbers:
        for name, stage in there.items():
            stage.move_to(number / RATE)
            light = still[name]
            for crop in (stage.touched(walker, number / RATE) for walker in WALKERS):
                if crop[0] < crop[2] and crop[1] < crop[3]:
                    light = laid_over(light, stage.light(samples, crop), crop)
            light = filmed(light, shake(number))
            light = vignetted(light) * cloud(number, light.shape[:2])
            takes[name].append(coded(light, seed=1000 + number))
        takes["mattes"].append((filmed(masks.at(number / RATE), shake(number)).clip(0, 1) * 255 + 0.5).astype(np.uint8))
        print(f"{NAME}: frame {number + 1} of {frames}", end="\r", file=sys.stderr)
    told = {**truth_of(Studio(mi, walked_place()), NAME), "photograph": f"{NAME}.webm", "rate": RATE}
    told |= {"with_model": f"{NAME}.truth.webm", "plate": f"{NAME}.plate.jpg", "passers": f"{NAME}.mattes.mkv"}
    told["shake_px"] = [np.round(shake(number), 4).tolist() for number in numbers]
    (out / f"{NAME}.json").write_text(json.dumps(told, indent=1) + "\n")
    write_film(takes["take"], out / f"{NAME}.webm", 13, steps_heard())
    write_film(takes["truth"], out / f"{NAME}.truth.webm", 20)
    write_film(takes["mattes"], out / f"{NAME}.mattes.mkv", None)  # who is in front is judged by less than a code
    if whole:
        whole.mkdir(parents=True, exist_ok=True)
        for name, pictures in takes.items():
            write_film(pictures, whole / f"{NAME}.{name}.mkv", None)
        cv2.imwrite(str(whole / f"{NAME}.plate.png"), plate[..., ::-1])


if __name__ == "__main__":
    main()
