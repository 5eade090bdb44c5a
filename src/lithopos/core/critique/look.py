"""The last look: what of a shot differs from what its photograph shows, by how much it gives the picture away.

Each line is told in a figure and weighed in just noticeable differences, so that unlike things can be put in one order:
1 is where somebody who looks for it begins to see it. What counts as one is a rule of thumb of vision (a ΔE2000 of 2.3:
Mahy, Van Eycken & Oosterlinck 1994, DOI 10.1002/col.5080190207; a sixth of a stop) or, for edges and angles, what was
seen on made-up photographs. It never blocks; a line can be set aside.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from itertools import combinations
from typing import Literal

import numpy as np
from pydantic import BaseModel

from lithopos.core.arrays import Array
from lithopos.core.blend.blend import BlendAnswer
from lithopos.core.blend.grade import graded, is_plain
from lithopos.core.blend.sharpness import PIXEL_SIGMA
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.colour import delta_e_2000, linear_to_Lab
from lithopos.core.composite.scope import Scope
from lithopos.core.composite.whites import Whites
from lithopos.core.derive import Derived
from lithopos.core.light.strengths import SIGMA_NAMED
from lithopos.core.shot import Grade, Placed, Shot

# One just noticeable difference each.
STOPS, DELTA_E, GAP_PX, WIDTH_SHARE, GRAIN_CODES = 0.17, 2.3, 0.7, 0.2, 0.4
TURN_DEG, LENGTH_SHARE, SOFT_STOPS, FRINGE_PX, HALO_SHARE, WHITES_DELTA_E = 1.5, 0.06, 0.6, 0.35, 0.03, 9.0
SHADE = 0.2  # of sunlit light, in the shade of a clear day
SUN_SIGMA_DEG = 2.5  # stated uncertainty of a sun that shows beside marked shadows
BODY_M, BESIDE_M = 0.35, 1.6  # where its body, and ground that it does not touch, mostly are
BURNT_SHARE, TIMES_BURNT = 0.01, 3.0  # of what is rendered, and beside what is around it
COARSE = 1.25  # pixels of the picture to one of a print, from where on it is seen
BOXES = 0.5  # things fill their boxes to about so much: what boxes share may be free
NAMED_STOPS = 2 * SIGMA_NAMED / np.log(2)  # by which ground of one name may be darker or brighter, two deviations
MIRRORING = ("metal", "metallic paint", "glass", "water")
GUESSED = 0.9  # of what may well be right
SHOWN = 1.0  # from here on a line is told as giving the picture away

Step = Literal["perspective", "place", "light", "contact", "blend", "deliver"]
Code = Literal[
    "contact",
    "shadow direction",
    "shadow length",
    "shadow softness",
    "shadow tone",
    "shadow tint",
    "exposure",
    "colour",
    "contrast",
    "saturation",
    "whites",
    "sharpness",
    "grain",
    "fringes",
    "halos",
    "burnt out",
    "coarse print",
    "cut through",
    "stray light",
    "guessed camera",
    "guessed sun",
    "guessed light",
    "guessed reflections",
]

__all__ = ["SHOWN", "LookLine", "Seen", "last_look"]


class LookLine(BaseModel):
    """Something that was compared and differs.

    Attributes
    ----------
    says : in words with its figure.
    weight : in just noticeable differences; from 1 on it gives the picture away.
    step : where it is mended.
    at, beside : pixels of the photograph to look at: on the model, and what it is compared with.
    aside : the word with which it was set aside; None where it was not.
    """

    code: Code
    says: str
    weight: float
    step: Step
    at: tuple[float, float] | None = None
    beside: tuple[float, float] | None = None
    aside: str | None = None


@dataclass(frozen=True)
class Seen:
    """What is known besides the shot.

    Attributes
    ----------
    told : what was measured of the photograph.
    whites, scope : of the newest picture, if there is one.
    pixels : width and height of pictures by their files.
    metres : sizes of models by their files, as they come.
    """

    told: BlendAnswer | None = None
    whites: Whites | None = None
    scope: Scope | None = None
    pixels: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    metres: Mapping[str, tuple[float, float, float]] = field(default_factory=dict)


def last_look(shot: Shot, facts: Derived, seen: Seen) -> list[LookLine]:
    """All that differs, what gives the picture away most first."""
    told = seen.told
    lines = [*_contact(shot, facts), *_shadow(shot, facts), *_tones(shot, facts), *_whites(seen.whites, shot)]
    lines += [*_burnt(seen.scope), *_prints(shot, facts, seen), *_crossing(shot, facts, seen)]
    lines += [*(_texture(shot, told) if told else []), *_guesses(shot, facts)]
    foot, body, ground = _on_the_model(shot, facts)
    shadow = _marked_shadow(shot)
    words = {one.id: one.word for one in shot.set_aside}
    for line in lines:
        grounded = "shadow" in line.code or line.code == "contact"
        line.at = line.at or (foot if grounded else body)
        line.beside = line.beside or (shadow if grounded else ground)
        line.aside = words.get(line.code.replace(" ", "-"))
    return sorted(lines, key=lambda line: (line.aside is not None, -line.weight))


Place = tuple[float, float] | None


def _on_the_model(shot: Shot, facts: Derived) -> tuple[Place, Place, Place]:
    """The first shown model's foot, a place on its body, and the photograph's ground beside it, in the picture."""
    shown = next((one for one in shot.models if not one.hidden and one.on is None), None)
    if shown is None or facts.camera is None:
        return None, None, None
    camera, stands = pinhole_of(facts.camera), np.array(shown.position_m, float)
    aside = camera.rotation[0] * [1, 1, 0]
    places = camera.project(np.array([stands, stands + [0, 0, BODY_M], stands + BESIDE_M * aside]))
    foot, body, ground = ((float(x), float(y)) if np.isfinite([x, y]).all() else None for x, y in places)
    return foot, body, ground


def _marked_shadow(shot: Shot) -> tuple[float, float] | None:
    """A shadow of the photograph that was marked."""
    return next((one.tip for one in shot.gnomons), None)


def _contact(shot: Shot, facts: Derived) -> Iterator[LookLine]:
    if facts.camera is None or not facts.metric:
        return
    camera = pinhole_of(facts.camera)
    for placed in shot.models:
        base = facts.bases.get(placed.id)
        if placed.hidden or base is None:
            continue
        gap_m = placed.position_m[2] - base
        away = float(np.linalg.norm(np.array(placed.position_m) - camera.position))
        pixels = abs(gap_m) * camera.focal_px / max(away, 0.1)
        if abs(gap_m) > 5e-4:
            does = "floats" if gap_m > 0 else "is sunk"
            says = f"{placed.name or placed.id} {does} by {abs(gap_m) * 1000:.0f} mm, {pixels:.1f} px in the picture"
            x, y = camera.project(np.array([placed.position_m], float))[0]
            yield LookLine(code="contact", says=says, weight=pixels / GAP_PX, step="contact", at=(float(x), float(y)))


def _shadow(shot: Shot, facts: Derived) -> Iterator[LookLine]:
    shines = shot.lit_by != "room" and shot.sky.cover < 1 and shot.sun.strength > 0
    if facts.sun_shown is not None and facts.sun is not None and shines:
        shown, marked = np.array(facts.sun_shown), np.array(facts.sun.direction)
        turn = _azimuth_deg(shown) - _azimuth_deg(marked)
        turn = (turn + 180) % 360 - 180
        if abs(turn) > 0.2:
            says = f"The model’s shadow is turned by {abs(turn):.1f}° from the marked ones"
            yield LookLine(code="shadow direction", says=says, weight=abs(turn) / TURN_DEG, step="light")
        longer = _length(shown) / _length(marked) - 1
        if abs(longer) > 0.01:
            word = "longer" if longer > 0 else "shorter"
            says = f"It is {abs(longer):.0%} {word} for its height than the marked ones"
            yield LookLine(code="shadow length", says=says, weight=abs(longer) / LENGTH_SHARE, step="light")
    measured = facts.softness.diameter_deg if facts.softness else None
    if measured and shines and facts.softness_deg > 0:
        stops = abs(float(np.log2(facts.softness_deg / measured)))
        if stops > 0.05:
            word = "softer" if facts.softness_deg > measured else "harder"
            says = f"Its edge is {2**stops:.1f} times {word} than the photograph’s"
            yield LookLine(code="shadow softness", says=says, weight=stops / SOFT_STOPS, step="light")
    measured_shade, in_shade, _ = _by_hand(shot, facts)
    stops = float(np.log2(1 / measured_shade) - shot.contact.shadow * np.log2(1 / in_shade))
    if abs(stops) > 0.02:
        word, by_light = "lighter" if stops > 0 else "darker", in_shade != measured_shade
        says = (
            f"It is {abs(stops):.1f} stops {word} than {'what was measured of the light' if by_light else 'computed'}"
        )
        step: Step = "light" if by_light else "contact"
        yield LookLine(code="shadow tone", says=says, weight=abs(stops) / STOPS, step=step)
    if shot.contact.warmth:
        stops = shot.contact.warmth * float(np.log2(1 / SHADE))
        off = _delta_e(np.full(3, 0.1), np.full(3, 0.1) * 2.0 ** np.array([stops / 2, 0, -stops / 2]))
        word = "warmer" if stops > 0 else "cooler"
        says = f"It is {word} than computed by ΔE {off:.0f}"
        yield LookLine(code="shadow tint", says=says, weight=off / DELTA_E, step="contact")


def _by_hand(shot: Shot, facts: Derived) -> tuple[float, float, float]:
    """What the shade has of the light as it was measured, what it has with strengths by hand, and the light by then."""
    if shot.lit_by != "day" or shot.sky.cover > 0:
        return SHADE, SHADE, 1.0
    told = facts.balance
    shade = float(np.clip(np.mean(told.shade) / np.mean(told.white), 0.01, 1)) if told else SHADE
    sky = max(shot.sky.strength * shade, 1e-3)
    whole = sky + shot.sun.strength * (1 - shade)
    return shade, sky / whole, whole


def _azimuth_deg(way: Array) -> float:
    return float(np.degrees(np.arctan2(way[1], way[0])))


def _length(way: Array) -> float:
    """Of a shadow beside its height."""
    return float(np.hypot(way[0], way[1]) / max(way[2], 1e-3))


def _tones(shot: Shot, facts: Derived) -> Iterator[LookLine]:
    """The model's grade beside the place's; the whole's is shared by both."""
    model, place = shot.blend.model, shot.blend.place
    by_light = shot.exposure.stops + float(np.log2(_by_hand(shot, facts)[2]))
    stops = by_light + model.exposure_stops - place.exposure_stops
    if abs(stops) > 0.01:
        word = "brighter" if stops > 0 else "darker"
        step: Step = "light" if by_light else "blend"
        says = f"The model is {abs(stops):.1f} stops {word} than measured"
        yield LookLine(code="exposure", says=says, weight=abs(stops) / STOPS, step=step)
    parts: list[tuple[Code, set[str], str]] = [
        ("colour", {"warmth", "tint"}, "White on it is off by ΔE {:.0f} from white beside it"),
        ("saturation", {"saturation"}, "Its colours differ in saturation by ΔE {:.0f}"),
        ("contrast", {"contrast", "curve", "lift", "gamma", "gain"}, "Its tones differ by ΔE {:.0f}"),
    ]
    for code, fields, says in parts:
        ours, theirs = (Grade(**one.model_dump(include=fields)) for one in (model, place))
        if is_plain(ours) and is_plain(theirs):
            continue
        chart = _GREYS if code != "saturation" else _COLOURS
        off = max(_delta_e(graded(colour, ours), graded(colour, theirs)) for colour in chart)
        if off > 0.3:
            yield LookLine(code=code, says=says.format(off), weight=off / DELTA_E, step="blend")


_GREYS = [np.full(3, grey, np.float32) for grey in (0.08, 0.2, 0.5)]
_COLOURS = [np.array(one, np.float32) for one in ((0.4, 0.2, 0.1), (0.1, 0.25, 0.4), (0.2, 0.35, 0.15))]


def _delta_e(one: Array | np.ndarray, other: Array | np.ndarray) -> float:
    return float(delta_e_2000(linear_to_Lab(one), linear_to_Lab(other)))


def _whites(whites: Whites | None, shot: Shot) -> Iterator[LookLine]:
    if whites is None or whites.delta_e is None or not whites.rendered or not whites.photographed:
        return
    says = f"The lightest neutral that is rendered and that of the photograph are ΔE {whites.delta_e:.0f} apart"
    size = (shot.photograph.width, shot.photograph.height) if shot.photograph else (1, 1)
    at, beside = ((one.at[0] * size[0], one.at[1] * size[1]) for one in (whites.rendered, whites.photographed))
    # They may be of different things: only a wide difference tells anything.
    weight = max(whites.delta_e - WHITES_DELTA_E, 0) / (4 * DELTA_E)
    if weight > 0:
        yield LookLine(code="whites", says=says, weight=weight, step="light", at=at, beside=beside)


def _burnt(scope: Scope | None) -> Iterator[LookLine]:
    """Light that no code holds, where around it there is little of it."""
    if scope is None or scope.rendered is None or scope.around is None:
        return
    ours, theirs = (one.clipped for one in (scope.rendered, scope.around))
    if ours > BURNT_SHARE and ours > TIMES_BURNT * theirs:
        says = f"{ours:.0%} of what is rendered is burnt out, {theirs:.1%} of what is around it"
        yield LookLine(code="burnt out", says=says, weight=ours / (3 * BURNT_SHARE), step="light")


def _prints(shot: Shot, facts: Derived, seen: Seen) -> Iterator[LookLine]:
    """Prints whose picture has fewer pixels than they take in the delivered one."""
    if facts.camera is None or not facts.metric:
        return
    camera = pinhole_of(facts.camera)
    for placed in shot.models:
        for one in placed.prints.values():
            pixels = seen.pixels.get(one.file)
            away = float(np.linalg.norm(np.array(placed.position_m) - camera.position))
            if pixels is None or placed.hidden or away < 0.1:
                continue
            across = one.width_mm / 1000 * camera.focal_px / away * shot.output.scale
            coarse = across / pixels[0]
            if coarse > COARSE:
                says = f"{one.name or 'A print'} has {pixels[0]} pixels and is drawn {across:.0f} wide"
                yield LookLine(code="coarse print", says=says, weight=float(np.log2(coarse)) / 0.5, step="place")


def _crossing(shot: Shot, facts: Derived, seen: Seen) -> Iterator[LookLine]:
    """Things that stand in each other, by their boxes; such as one carries, or lean, are left out."""
    if facts.camera is None or not facts.metric:
        return
    camera = pinhole_of(facts.camera)
    boxes = [
        (placed, _footprint(placed, size), placed.position_m[2], placed.position_m[2] + size[2] * placed.size)
        for placed in shot.models
        if (size := seen.metres.get(placed.file)) and not (placed.hidden or placed.on or placed.lean_deg or placed.pose)
    ]
    for (one, foot, low, high), (other, beside, below, above) in combinations(boxes, 2):
        deep = min(_overlap(foot, beside), high - below, above - low)
        if deep < 2e-3:
            continue
        away = float(np.linalg.norm(np.array(one.position_m) - camera.position))
        says = f"{one.name or one.id} and {other.name or other.id} cut through each other, by their boxes {deep:.2f} m"
        weight = BOXES * deep * camera.focal_px / max(away, 0.1) / GAP_PX / 4
        x, y = camera.project((np.array([one.position_m]) + [other.position_m]) / 2)[0]
        yield LookLine(code="cut through", says=says, weight=weight, step="place", at=(float(x), float(y)))


def _footprint(placed: Placed, size: tuple[float, float, float]) -> Array:
    """The corners (4, 2) of a thing's box on the ground."""
    half = np.array([size[0], size[1]]) * placed.size / 2
    turn = np.radians(placed.turn_deg)
    rotation = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half
    return np.asarray(corners @ rotation.T + placed.position_m[:2])


def _overlap(one: Array, other: Array) -> float:
    """How deep two convex outlines (N, 2) lie in each other, below 0 where they do not: by separating axes."""
    edges = np.concatenate([np.roll(outline, -1, 0) - outline for outline in (one, other)])
    axes = np.column_stack([-edges[:, 1], edges[:, 0]]) / np.linalg.norm(edges, axis=1, keepdims=True)
    ours, theirs = one @ axes.T, other @ axes.T
    return float(np.minimum(ours.max(0) - theirs.min(0), theirs.max(0) - ours.min(0)).min())


def _texture(shot: Shot, told: BlendAnswer) -> Iterator[LookLine]:
    blend = shot.blend
    if blend.softness_px is not None and told.softness_px is not None:
        ours, theirs = (float(np.hypot(PIXEL_SIGMA, one)) for one in (blend.softness_px, told.softness_px))
        share = ours / theirs - 1
        if abs(share) > 0.02:
            word = "softer" if share > 0 else "crisper"
            says = f"What is rendered is {abs(share):.0%} {word} than the photograph"
            yield LookLine(code="sharpness", says=says, weight=abs(share) / WIDTH_SHARE, step="blend")
    if blend.grain != 1 and told.grain:
        codes = (blend.grain - 1) * float(np.mean(told.grain))
        word = "grainier" if codes > 0 else "smoother"
        says = f"What is rendered is {word} than the photograph by {abs(codes):.1f} codes"
        yield LookLine(code="grain", says=says, weight=abs(codes) / GRAIN_CODES, step="blend")
    fringe = (blend.fringes - 1) * max(abs(told.red_px), abs(told.blue_px))
    if fringe:
        says = f"Its colour fringes differ by {abs(fringe):.1f} px in a corner"
        yield LookLine(code="fringes", says=says, weight=abs(fringe) / FRINGE_PX, step="blend")
    halo = (blend.halos - 1) * told.halo
    if halo:
        word = "more" if halo > 0 else "less"
        says = f"Its edges are sharpened {word} than the photograph’s, by {abs(halo):.0%} of a step"
        yield LookLine(code="halos", says=says, weight=abs(halo) / HALO_SHARE, step="blend")
    if blend.black > told.darkest:
        off = _delta_e(np.full(3, told.darkest), np.full(3, blend.black))
        says = f"Nothing rendered is darker than {blend.black:.1%}; the photograph goes down to {told.darkest:.1%}"
        yield LookLine(code="stray light", says=says, weight=off / DELTA_E, step="blend")


def _guesses(shot: Shot, facts: Derived) -> Iterator[LookLine]:
    """What rests on little: it may be right."""
    if facts.camera and facts.camera.trust == "poor":
        says = "The camera rests on too little: another edge would tell it better"
        yield LookLine(code="guessed camera", says=says, weight=1.5, step="perspective")
    if facts.sun and shot.sun.kind == "gnomons":
        sigma = max(facts.sun.sigma_deg.values(), default=0.0)
        if sigma > SUN_SIGMA_DEG / 2:
            says = f"The sun is known to ± {2 * sigma:.1f}°: another shadow would tell it better"
            yield LookLine(code="guessed sun", says=says, weight=sigma / SUN_SIGMA_DEG, step="light")
    shown = [one for one in shot.models if not one.hidden]
    if shown and not shot.patches and shot.lit_by != "panorama":
        says = (
            f"How bright the light is rests on the ground’s name: ±\u00a0{NAMED_STOPS:.1f} stops; patches would tell it"
        )
        yield LookLine(code="guessed light", says=says, weight=GUESSED, step="light")
    mirroring = [one for one in shown if any(way.kind in MIRRORING for way in one.surfaces.values())]
    if mirroring and shot.lit_by != "panorama":
        name = mirroring[0].name or mirroring[0].id
        says = f"{name} mirrors what the photograph does not show: a panorama of the place would tell it"
        yield LookLine(code="guessed reflections", says=says, weight=GUESSED, step="light")
