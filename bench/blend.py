"""`python -m bench blend`: grain and sharpness measured on made-up photographs of known ones."""

from __future__ import annotations

import io
from collections.abc import Iterable
from typing import Any

import cv2
import numpy as np
from PIL import Image

from lithopos.core.arrays import Array
from lithopos.core.blend.grain import KNOTS, measured_grain
from lithopos.core.blend.sharpness import measured_sharpness
from lithopos.core.colour import encode_srgb
from lithopos.core.render.engine import load_renderer
from lithopos.samples.court import court
from lithopos.samples.gallery import GALLERIES, gallery
from lithopos.samples.photograph import Studio, gain_of
from lithopos.samples.places import PLACES, Place

SCALE, SAMPLES = 0.5, 64
NAMES = ("cloister-yard", "onto the wall", "polished, by day")
LEVELS = (0.5, 1, 2, 4, 7)  # times the sample program's own noise
FILES: tuple[tuple[str, int | None, int, float], ...] = (
    ("as taken", None, 0, 0.0),
    ("JPEG 96", 96, 0, 0.0),
    ("JPEG 88, colour halved", 88, 2, 0.0),
    ("clumped by 0.7 px", None, 0, 0.7),
)
BLURS = (0.0, 0.5, 0.8, 1.2, 1.8)

__all__ = ["bench_blend"]


def bench_blend(names: Iterable[str] = ()) -> None:
    """Print how far deviations by brightness, correlations and edge spreads are off."""
    mi = load_renderer()
    for name in names or NAMES:
        light = _light(mi, _place(name))
        print(f"blend: {name}")
        for label, quality, halved, clumped in FILES:
            told = [_grain_line(light, level, quality, halved, clumped) for level in LEVELS]
            print(f"  {label:24s}" + "".join(f"{one:>26s}" for one in told), flush=True)
        own = measured_sharpness(_taken(light, 1, 96, 0, 0.0))
        for blur in BLURS[1:]:
            soft = cv2.GaussianBlur(light.astype(np.float32), (0, 0), blur).astype(float)
            found = measured_sharpness(_taken(soft, 1, 96, 0, 0.0))
            if own is None or found is None:
                print(f"  blurred by {blur} px: too few clean edges")
                continue
            true = float(np.hypot(own.sigma_px, _kernel_sigma(blur)))
            across = f"10 to 90 % in {found.across_px:.2f} px, {found.sigma_px / true:.2f} times the true"
            print(f"  blurred by {blur} px: {across}, {found.told_by} edges")


def _kernel_sigma(blur: float) -> float:
    """The deviation of the package's own kernel: sampled at pixels, a small one is narrower than its name."""
    kernel = cv2.getGaussianKernel(31, blur)[:, 0]
    return float(np.sqrt((kernel * np.arange(-15, 16) ** 2).sum()))


def _place(name: str) -> Place:
    return PLACES[name]() if name in PLACES else gallery(name) if name in GALLERIES else court(name)


def _light(mi: Any, place: Place) -> Array:
    """The linear light of a photograph without its noise (H, W, 3)."""
    studio = Studio(mi, place, SCALE)
    return np.clip(studio.radiance(SAMPLES, 1) * gain_of(studio.daylight(), place.camera.exposure), 0, None)


def _taken(light: Array, level: float, quality: int | None, halved: int, clumped: float) -> Any:
    rng = np.random.default_rng(0)

    def draw() -> Array:
        field = rng.normal(size=light.shape)
        field = cv2.GaussianBlur(field, (0, 0), clumped) if clumped else field
        return np.asarray(field / field.std())

    shot = level * (draw() * np.sqrt(light / 9000) + draw() * 0.0009)
    codes = (encode_srgb(light + shot) * 255 + 0.5).astype(np.uint8)
    if quality is None:
        return codes
    file = io.BytesIO()
    Image.fromarray(codes).save(file, "JPEG", quality=quality, subsampling=halved)
    return np.asarray(Image.open(file))


def _grain_line(light: Array, level: float, quality: int | None, halved: int, clumped: float) -> str:
    """Deviation told over true: the median over brightness and channels, how many within 10 %; correlation off by."""
    codes, clean = _taken(light, level, quality, halved, clumped), encode_srgb(light) * 255
    found = measured_grain(codes)
    if found is None:
        return "not told"
    rest = codes - clean
    rough = cv2.GaussianBlur(np.abs(cv2.Laplacian(cv2.GaussianBlur(clean, (0, 0), 1), cv2.CV_32F)).max(-1), (0, 0), 4)
    flat = (rough < np.quantile(rough, 0.3)) & (clean.max(-1) < 240) & (clean.min(-1) > 12)
    ratios = []
    for c in range(3):
        for number, knot in enumerate(KNOTS):
            here = flat & (np.abs(clean[..., c] - knot) < 8)
            if here.sum() > 1500:
                ratios.append(float(found.sigma[number, c]) / rest[here, c].std())
    both, green = flat[:, 1:] & flat[:, :-1], rest[..., 1]
    beside = (green[:, 1:] * green[:, :-1])[both].mean() / (green[flat] ** 2).mean()
    off = float(found.hangs[1, 2, 3]) - float(beside)
    within = np.mean(np.abs(np.array(ratios) - 1) < 0.1)
    return f"{np.median(ratios):.2f} ({within:.0%}), r {off:+.2f}"
