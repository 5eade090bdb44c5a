"""Made-up passers-by: simple bodies that walk, their feet on the ground, in any moment of their stride."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lithopos.samples import meshes
from lithopos.samples.meshes import Array, Mesh
from lithopos.samples.places import Colour, Material

BODY_M = 1.906  # from the ground to the top of the hair
STRIDE_M = 1.38  # two steps
STEPS = 12  # rings of a limb: as many at any moment, so that its triangles stay the same

__all__ = ["WALKERS", "Walker"]


@dataclass(frozen=True)
class Walker:
    """Somebody who walks straight on: from one point of the ground to another [m] at a speed, and their clothes.

    Attributes
    ----------
    coat : how far down a coat reaches, as a share of the legs; 0: none.
    """

    name: str
    start: tuple[float, float]
    end: tuple[float, float]
    speed_m_s: float
    height_m: float
    upper: Colour
    lower: Colour
    hair: Colour
    coat: float = 0.0
    begin: float = 0.0  # where in the stride

    @property
    def materials(self) -> dict[str, Material]:
        """By the names that `parts` gives."""
        worn = {"upper": self.upper, "lower": self.lower, "hair": self.hair, "skin": (0.42, 0.26, 0.18)}
        made = {f"{self.name} {part}": Material(colour, roughness=0.95) for part, colour in worn.items()}
        return {**made, f"{self.name} shoes": Material((0.03, 0.025, 0.022), roughness=0.5, specular=0.4)}

    def at(self, time_s: float) -> Array:
        """Where on the ground (2,) they are [m]."""
        way = np.subtract(self.end, self.start)
        return np.asarray(self.start) + way / np.linalg.norm(way) * self.speed_m_s * time_s

    def parts(self, time_s: float) -> list[tuple[Mesh, str]]:
        """Their body at a time, in the world; the same triangles at any time."""
        way = np.subtract(self.end, self.start)
        phase = 2 * np.pi * (self.begin + self.speed_m_s * time_s / STRIDE_M)
        x, y = self.at(time_s)
        turn = float(np.degrees(np.arctan2(way[1], way[0])))
        share = self.height_m / BODY_M
        stood = [(mesh.transformed(np.eye(3) * share), f"{self.name} {part}") for mesh, part in _body(phase, self.coat)]
        return [(mesh.moved((float(x), float(y), 0.0), turn), material) for mesh, material in stood]


def _limb(ends: list[Array], radii: list[float]) -> Mesh:
    """A round limb through joints, thick as told at each, rounded at both ends."""
    joints, wide = np.array(ends, float), np.array(radii)
    along = np.linspace(0, len(joints) - 1, STEPS * (len(joints) - 1) + 1)
    path = np.stack([np.interp(along, np.arange(len(joints)), joints[:, i]) for i in range(3)], 1)
    thick = np.interp(along, np.arange(len(joints)), wide)
    tips = [np.sqrt(np.clip(1 - np.linspace(1, 0, 5)[:-1] ** 2, 0, 1)), np.linspace(1, 0, 5)[:-1]]
    first, last = path[0] - path[1], path[-1] - path[-2]
    first, last = first / np.linalg.norm(first), last / np.linalg.norm(last)
    head = path[0] + first * (tips[1] * thick[0])[:, None]
    foot = path[-1] + last * (tips[1] * thick[-1])[::-1, None]
    path = np.concatenate([head, path, foot])
    thick = np.concatenate([tips[0] * thick[0], thick, (tips[0] * thick[-1])[::-1]])
    return meshes.tube(path, np.maximum(thick, 0.002), 20)


def _swung(length: float, angle: float) -> Array:
    """A bone that hangs down, swung forwards (x) by an angle."""
    return length * np.array([np.sin(angle), 0.0, -np.cos(angle)])


def _leg(phase: float, side: float) -> tuple[list[Array], Mesh]:
    """Hip, knee and ankle about the hip's height, and the shoe."""
    swing = 0.46 * np.sin(phase)
    bend = 0.12 + 0.62 * max(0.0, float(np.cos(phase))) ** 1.5
    hip = np.array([0.0, side * 0.095, 0.0])
    knee = hip + _swung(0.44, swing + 0.06)
    ankle = knee + _swung(0.43, swing - bend)
    tip = swing - bend * 0.8
    shoe = meshes.bevelled_box((0.27, 0.095, 0.085), 0.03, 3).moved((0.065, 0, -0.04))
    turn = np.array([[np.cos(tip), 0, -np.sin(tip)], [0, 1, 0], [np.sin(tip), 0, np.cos(tip)]])
    return [hip, knee, ankle], shoe.transformed(turn, ankle.tolist())


def _body(phase: float, coat: float) -> list[tuple[Mesh, str]]:
    """A body `BODY_M` high that walks towards +x, its lowest shoe on the ground."""
    legs = [_leg(phase, 1.0), _leg(phase + np.pi, -1.0)]
    hips = -min(float(shoe.vertices[:, 2].min()) for _, shoe in legs)
    up = np.array([0.0, 0.0, hips])
    found: list[tuple[Mesh, str]] = []
    for joints, shoe in legs:
        found.append((_limb([up + joint for joint in joints], [0.098, 0.066, 0.046]), "lower"))
        found.append((shoe.moved(tuple(up)), "shoes"))
    chest, neck = up + [0.03, 0, 0.4], up + [0.03, 0, 0.6]
    trunk = _limb([up + [0, 0, -0.02], up + [0.01, 0, 0.2], chest, neck], [0.155, 0.15, 0.19, 0.07])
    flat = np.diag([0.68, 1.0, 1.0])
    found.append((trunk.transformed(flat), "upper"))
    if coat > 0:
        hem = 0.75 * coat
        skirt = [(0.152, 0.22), (0.165, 0.0), (0.2 + 0.05 * coat, -hem), (0.19, -hem - 0.005), (0.0, -hem - 0.004)]
        found.append((meshes.lathe(skirt, 32, sharp=True).transformed(np.diag([0.85, 1.0, 1.0]), up.tolist()), "upper"))
    for side, other in ((1.0, np.pi), (-1.0, 0.0)):
        swing = 0.42 * np.sin(phase + other)
        shoulder = up + [0.03, side * 0.205, 0.5]
        elbow = shoulder + _swung(0.29, swing) + [0, side * 0.03, 0]
        wrist = elbow + _swung(0.26, swing + 0.35)
        found.append((_limb([shoulder, elbow, wrist], [0.06, 0.047, 0.038]), "upper"))
        found.append((_limb([wrist, wrist + _swung(0.13, swing + 0.4)], [0.036, 0.026]), "skin"))
    found.append((_limb([neck, neck + [0.015, 0, 0.1]], [0.052, 0.052]), "skin"))
    head = _limb([neck + [0.03, 0, 0.14], neck + [0.03, 0, 0.22]], [0.085, 0.095])
    found.append((head, "skin"))
    found.append((_limb([neck + [0.005, 0, 0.18], neck + [0.01, 0, 0.24]], [0.095, 0.102]), "hair"))
    return found


# Who crosses the court in the sample take: one before the bench, with a shadow that sweeps over its foot, one behind.
WALKERS = (
    Walker(
        "Dorrit",
        (-2.75, -2.15),
        (2.4, -1.15),
        1.3,
        1.84,
        (0.36, 0.05, 0.035),
        (0.03, 0.035, 0.06),
        (0.05, 0.03, 0.01),
        0.55,
    ),
    Walker(
        "Halm",
        (4.4, 2.72),
        (-0.6, 2.72),
        1.24,
        1.97,
        (0.05, 0.12, 0.16),
        (0.15, 0.12, 0.08),
        (0.25, 0.2, 0.15),
        0.0,
        0.3,
    ),
)
