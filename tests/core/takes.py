"""Made-up takes with their truth: a paved court, somebody who walks through with a shadow, wind, a cloud, noise."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.blend.grain import KNOTS, Grain

RATE = 25

Codes = NDArray[np.uint8]
Floats = NDArray[np.float32]


def encode(linear: Floats) -> Floats:
    """IEC 61966-2-1, written here on its own."""
    x = np.clip(linear, 0, 1)
    return np.where(x <= 0.0031308, 12.92 * x, 1.055 * x ** (1 / 2.4) - 0.055).astype(np.float32)


def even_grain(codes: float) -> Grain:
    """Noise of so many codes at every brightness, each pixel's its own."""
    alone = np.zeros((3, 5, 5), np.float32)
    alone[:, 2, 2] = 1
    return Grain(np.full((len(KNOTS), 3), codes, np.float32), alone, np.eye(3, dtype=np.float32), 1000)


@dataclass
class MadeTake:
    """Frames (N, H, W, 3) with the truth of each."""

    frames: list[Codes]
    place: Floats  # linear, at the first frame's light, without anybody
    alphas: list[Floats]
    shifts: list[tuple[float, float]]
    gains: list[float]
    feet: list[tuple[float, float]]


def court(height: int, width: int) -> Floats:
    """Linear light of a paved court with a wall: joints, stains, fine texture."""
    rng = np.random.default_rng(4)
    y, x = np.mgrid[:height, :width].astype(np.float32)
    rough = cv2.GaussianBlur(rng.normal(size=(height, width)).astype(np.float32), (0, 0), 1.2)
    stains = cv2.GaussianBlur(rng.normal(size=(height, width)).astype(np.float32), (0, 0), 14) * 10
    grey = 0.34 + 0.05 * rough + 0.05 * stains
    joint = (np.abs(((x + 0.3 * y) / width * 9) % 1 - 0.5) > 0.47) | (np.abs((y / height * 7) % 1 - 0.5) > 0.46)
    grey = np.where(joint, grey * 0.55, grey)
    grey = np.where(y < height * 0.3, 0.5 + 0.03 * rough + 0.04 * stains, grey)
    grey = cv2.GaussianBlur(grey.astype(np.float32), (0, 0), 0.7)
    return np.clip(grey[..., None] * np.array([1.05, 0.98, 0.86], np.float32), 0.02, 0.9)


def made_take(
    count: int = 30, size: tuple[int, int] = (240, 160), noise: float = 0.006, shake_px: float = 0.8, cloud: float = 0.1
) -> MadeTake:
    """A take of somebody red who walks from left to right, their shadow beside them."""
    width, height = size
    place = court(height + 16, width + 16)
    rng = np.random.default_rng(7)
    made = MadeTake([], place[8:-8, 8:-8], [], [], [], [])
    fine = 4
    for number in range(count):
        shift = (0.0, 0.0)
        if number:
            shift = (shake_px * np.sin(1.7 * number), 0.6 * shake_px * np.cos(2.3 * number) - 0.6 * shake_px)
        gain = 1 - cloud * number / max(1, count - 1)
        x, y = width * (-0.1 + 1.15 * number / (count - 1)) + 8, height * 0.62 + 8
        shade, body = (np.zeros(((height + 16) * fine, (width + 16) * fine), np.uint8) for _ in range(2))
        centre = (round(x * fine), round(y * fine))
        cv2.ellipse(shade, (centre[0] + 18 * fine, centre[1] + 22 * fine), (22 * fine, 6 * fine), 0, 0, 360, 255, -1)
        cv2.ellipse(body, centre, (8 * fine, 26 * fine), 0, 0, 360, 255, -1)
        soft = [cv2.resize(one, None, fx=1 / fine, fy=1 / fine, interpolation=cv2.INTER_AREA) for one in (shade, body)]
        shadow, alpha = (one.astype(np.float32) / 255 for one in soft)
        lit = place * (1 - shadow[..., None] * np.array([0.68, 0.66, 0.6], np.float32))
        red = (
            np.array([0.4, 0.07, 0.05], np.float32) * (0.8 + 0.2 * np.sin(np.arange(place.shape[0]) / 3))[:, None, None]
        )
        light = (alpha[..., None] * red + (1 - alpha[..., None]) * lit) * gain
        move = np.array([[1, 0, shift[0]], [0, 1, shift[1]]], np.float32)
        light, alpha = (cv2.warpAffine(one, move, one.shape[1::-1], flags=cv2.INTER_CUBIC) for one in (light, alpha))
        light, alpha = light[8:-8, 8:-8], np.clip(alpha[8:-8, 8:-8], 0, 1)
        seen = encode(light.astype(np.float32)) + rng.normal(scale=noise, size=light.shape)
        made.frames.append(np.clip(seen * 255 + 0.5, 0, 255).astype(np.uint8))
        made.alphas.append(alpha)
        made.shifts.append((float(shift[0]), float(shift[1])))
        made.gains.append(gain)
        made.feet.append((x - 8 + shift[0], y - 8 + 26 + shift[1]))
    return made


def write_take(frames: list[Codes], path: Path, *, sound: bool = False, times_ms: list[int] | None = None) -> Path:
    """A film without loss, at even times or at given ones, perhaps with sound."""
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream("ffv1", rate=RATE)
        stream.height, stream.width = frames[0].shape[:2]
        stream.pix_fmt = "bgr0"
        if times_ms:
            stream.codec_context.time_base = Fraction(1, 1000)
        voice: Any = container.add_stream("libopus", rate=48000, layout="mono") if sound else None
        for number, codes in enumerate(frames):
            frame = av.VideoFrame.from_ndarray(codes, format="rgb24").reformat(format="bgr0")
            frame.pts = times_ms[number] if times_ms else number
            frame.time_base = Fraction(1, 1000) if times_ms else Fraction(1, RATE)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
        if voice is not None:
            heard = np.sin(np.arange(48000 * len(frames) // RATE) * 0.05).astype(np.float32)[None]
            for begin in range(0, heard.shape[1], 960):
                part = av.AudioFrame.from_ndarray(np.ascontiguousarray(heard[:, begin : begin + 960]), "flt", "mono")
                part.sample_rate, part.pts, part.time_base = 48000, begin, Fraction(1, 48000)
                container.mux(voice.encode(part))
            container.mux(voice.encode(None))
    return path


def camera_of(width: int, height: int, down_deg: float = 11.0) -> dict[str, Any]:
    """A known camera, 1.7 m up, that looks along y and a little down."""
    angle = np.radians(down_deg)
    right, forward = np.array([1.0, 0, 0]), np.array([0, np.cos(angle), -np.sin(angle)])
    rotation = np.stack([right, np.cross(forward, right), forward])
    size = {"width": width, "height": height}
    told = {"focal_px": 0.95 * width, "rotation": rotation.tolist(), "camera_position": [0.0, -5.0, 1.7]}
    return {"kind": "known", "image": size, **told}


def take_document(take: str, count: int, size: tuple[int, int], model: str, **changes: Any) -> dict[str, Any]:
    """A shot of a made-up take, its sun set by hand, with a model a little behind who walks."""
    width, height = size
    stood = {"id": "m1", "file": model, "name": "Box", "position_m": [0.1, 0.4, 0.0]}
    return {
        "format": 4,
        "name": "Walk",
        "photograph": {"file": "frame.png", "width": width, "height": height},
        "take": {"file": take, "frames": count, "last": count - 1},
        "camera": camera_of(width, height),
        "models": [stood],
        "sun": {"kind": "hand", "azimuth_deg": 220.0, "elevation_deg": 45.0},
        "output": {"samples": 8},
        **changes,
    }
