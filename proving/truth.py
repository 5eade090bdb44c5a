"""The truth test: composites from noisy marks alone, against the pictures with the model really there."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.colour import decode_srgb, delta_e_2000, linear_to_Lab
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Model
from lithopos.core.reading.ask import read_model
from lithopos.core.render.render import render_shot
from lithopos.core.shot import Shot, load_shot

SAMPLES = Path(__file__).parents[1] / "src/lithopos/samples/data"
NAMES = ("cloister-yard", "sea-terrace")


def marked_shot(name: str, noise_px: float = 0.7, seed: int = 0) -> Shot:
    """A shot from a sample's marks alone, each marked coordinate off by normal noise."""
    return marked_shot_of(json.loads((SAMPLES / f"{name}.json").read_text()), noise_px, seed)


def marked_shot_of(truth: dict[str, Any], noise_px: float = 0.7, seed: int = 0) -> Shot:
    """The same from the truth of any made-up photograph."""
    rng = np.random.default_rng(seed)

    def off(points: Any) -> Any:
        return (np.asarray(points, float) + rng.normal(scale=noise_px, size=np.shape(points))).tolist()

    yardstick = truth["yardstick"]
    top = _top_below(truth)
    return load_shot(
        {
            "name": truth["name"],
            "photograph": {"file": truth["photograph"], **truth["image"]},
            "edges": [
                {"id": f"e{i}", "run": edge["family"], "points": off(edge["points"])}
                for i, edge in enumerate(truth["edges"])
            ],
            "lengths": [
                {
                    "id": "y1",
                    "from": off(yardstick["from"]),
                    "to": off(yardstick["to"]),
                    "metres": yardstick["metres"],
                }
            ],
            "origin": off(truth["origin"]),
            "gnomons": [{"id": f"g{i}", **{k: off(v) for k, v in g.items()}} for i, g in enumerate(truth["gnomons"])],
            "models": [
                {
                    "id": "m",
                    "file": truth["model"]["file"],
                    "position_m": truth["model"]["position"],
                    "turn_deg": truth["model"]["turn_deg"],
                    "level": top,
                }
            ],
            "ground": {"material": truth["ground_material"]},
            "proxies": [
                {"id": f"p{i}", **{k: off(v) if k in ("points", "top") else v for k, v in proxy.items()}}
                for i, proxy in enumerate(truth.get("proxies", []))
            ],
            "mattes": [
                {"id": f"o{i}", **{k: off(v) if k in ("points", "foot") else v for k, v in matte.items()}}
                for i, matte in enumerate(truth.get("mattes", []))
            ],
        }
    )


def _top_below(truth: dict[str, Any]) -> str | None:
    """The box on whose top the model stands, as the shot names it."""
    boxes = [f"p{i}" for i, proxy in enumerate(truth.get("proxies", [])) if proxy["kind"] == "box"]
    return boxes[0] if truth.get("level_m") and boxes else None


@dataclass(frozen=True)
class Score:
    """PSNR [dB] of encoded values over the ground that the model truly changes, and the model's colour."""

    name: str
    bare_db: float
    composite_db: float
    model_delta_e: float
    changed_share: float
    untouched_differ: int


def score(name: str, samples: int = 64, seed: int = 0) -> tuple[Score, Picture]:
    """Render a sample at its full size from noisy marks and compare with the truth."""
    shot = marked_shot(name, seed=seed)
    photograph = read_picture(SAMPLES / f"{name}.jpg")
    truth = read_picture(SAMPLES / f"{name}.truth.jpg")
    steps = list(render_shot(shot, photograph, _model, quality="master", scale=1.0, samples=samples, seed=seed))
    made = steps[-1].picture
    assert made
    body = model_mask(name, photograph, truth)
    change = np.abs(photograph.encoded - truth.encoded).max(-1)
    near = cv2.GaussianBlur(change, (0, 0), 2.0) > 0.012
    ground = near & ~cv2.dilate(body.astype(np.uint8), np.ones((7, 7), np.uint8)).astype(bool)
    colours = [linear_to_Lab(decode_srgb(picture.encoded)[body].mean(0)) for picture in (made, truth)]
    untouched = ~cv2.dilate(near.astype(np.uint8), np.ones((201, 201), np.uint8)).astype(bool)
    return Score(
        name,
        psnr(photograph, truth, ground),
        psnr(made, truth, ground),
        float(delta_e_2000(*colours)),
        float(ground.mean()),
        int(np.count_nonzero((made.codes != photograph.codes).any(-1) & untouched)),
    ), made


@cache
def _model(file: str) -> Model:
    model: Model = read_model(SAMPLES / file)
    return model


def model_mask(name: str, photograph: Picture, truth: Picture) -> NDArray[np.bool_]:
    """Pixels that the true model fills, from the true camera and the model's own triangles."""
    told = json.loads((SAMPLES / f"{name}.json").read_text())
    camera, place = told["camera"], told["model"]
    rotation, centre = np.array(camera["rotation"]), np.array(camera["camera_position"])
    angle = np.radians(place["turn_deg"])
    turn = np.array([[np.cos(angle), -np.sin(angle), 0], [np.sin(angle), np.cos(angle), 0], [0, 0, 1]])
    mask = np.zeros(photograph.codes.shape[:2], np.uint8)
    size = np.array([told["image"]["width"], told["image"]["height"]]) / 2
    for part in _model(place["file"]).parts:
        seen = (part.vertices @ turn.T + place["position"] - centre) @ rotation.T
        pixels = seen[:, :2] / seen[:, 2:] * camera["focal_px"] + size - 0.5
        for triangle in np.round(pixels[part.faces] * 16).astype(np.int32):
            cv2.fillConvexPoly(mask, triangle, 1, shift=4)
    assert truth.codes.shape == photograph.codes.shape
    return mask.astype(bool)


def psnr(one: Picture, two: Picture, where: NDArray[np.bool_]) -> float:
    """Peak signal to noise [dB] of encoded values over some pixels."""
    square = float(np.mean((one.encoded[where] - two.encoded[where]) ** 2))
    return -10 * float(np.log10(square))
