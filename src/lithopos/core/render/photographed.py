"""A place as its photograph tells it: the balance of its light, its receivers, what lies round about."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.known import pinhole_known
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import KnownCamera
from lithopos.core.colour import decode_srgb, luminance
from lithopos.core.derive import SAME_HEIGHT_M, gleam_of_ground
from lithopos.core.exchange.picture import Picture
from lithopos.core.grounds import PROXY_MATERIALS, GroundMaterial
from lithopos.core.light.near import let_in
from lithopos.core.place.balance import (
    GROUND,
    BalanceAnswer,
    balance_of_ground,
    body_of,
    covered_ground,
    read_patches,
)
from lithopos.core.place.daylight import Daylight
from lithopos.core.place.exposure import CLIPPED
from lithopos.core.place.face import Face
from lithopos.core.place.falloff import light_map
from lithopos.core.place.gleaming import balance_beside_gleam
from lithopos.core.place.matched import Around, Matched, ground_matched
from lithopos.core.place.mirrored import mirrored_about, without_mirrored
from lithopos.core.place.near_seen import near_photographed, pixels_of_lights, window_pictures
from lithopos.core.place.others import Other, View, beside
from lithopos.core.place.placelight import PlaceLight, place_light
from lithopos.core.place.planes import Rect, plane_receiver
from lithopos.core.place.projected import material_tint, proxy_receiver
from lithopos.core.place.receiver import Receiver, Sheen
from lithopos.core.place.round_about import RoundAbout
from lithopos.core.place.solids import Solid
from lithopos.core.place.surroundings import surroundings_of
from lithopos.core.shot import Contact, Ground, Proxy, Shot

LOOKED_AT_PIXELS = 4_000_000  # of the photograph, for what it shows of the place
BESIDE_PIXELS = 1_000_000  # of the site's others, of which there may be many; what they fill in is coarse
LEAST_ROUGHNESS, MOST_COAT = 0.02, 2.0  # of the renderer's surface; twice a whole dielectric's coat
UNLIKE = (
    "{} of the site’s other photographs share too little ground with this one to tell how bright they are beside it; "
    "they fill nothing in."
)

ReadPhotograph = Callable[[str], Picture]

__all__ = ["Layout", "Photographed", "ReadPhotograph", "photographed", "sheen_of"]


@dataclass(frozen=True)
class Layout:
    """The height of the main plane [m], and the parts of other levels that models stand on, by height."""

    main_m: float
    levels: tuple[tuple[float, Rect], ...]


@dataclass(frozen=True)
class Photographed:
    """What a photograph tells of its place.

    Attributes
    ----------
    balance : of its light.
    receivers : with the photograph on them.
    around, windows : what it shows round about (see `surroundings_of`), and within each window, by its name.
    unclipped : the receivers are as bright as the place was before the photograph clipped it.
    """

    balance: BalanceAnswer
    receivers: tuple[Receiver, ...]
    around: Floats | None
    windows: dict[str, Floats] = field(default_factory=dict)
    unclipped: bool = False


def photographed(
    shot: Shot,
    photograph: Picture,
    camera: Pinhole,
    layout: Layout,
    day: Daylight,
    stand: Array | None,
    solids: list[tuple[Proxy, Solid]],
    sheen: Sheen,
    read_photograph: ReadPhotograph | None = None,
    here: Around | None = None,
) -> Photographed:
    """Read a place off its photograph.

    Parameters
    ----------
    stand : (N, 2) where things stand [m], for a panorama's light.
    sheen : of the ground.
    read_photograph : gives another photograph of the site by its name; None: they fill nothing in.
    here : a panorama that was taken where things stand.
    """
    assert shot.photograph
    photograph = photograph.at_most(LOOKED_AT_PIXELS)
    camera = camera.sized(photograph.codes.shape[1], photograph.codes.shape[0])
    encoded = photograph.encoded
    linear = decode_srgb(encoded)
    left = light_map(camera, day.falloff) if day.falloff else np.float32(1)
    even = np.asarray(linear / left, np.float32)
    covered = covered_ground(day, camera) if here else None
    matched = ground_matched(even, here, camera, layout.main_m, covered) if here else None
    gleam = gleam_of_ground(shot)

    def ground(shown: Floats) -> BalanceAnswer:
        level = matched.gain if matched else None
        return balance_of_ground(encoded, shown, camera, layout.main_m, day, stand, level)

    if shot.patches:
        whole = camera.sized(shot.photograph.width, shot.photograph.height)
        read = read_patches(shot.patches, photograph, shot.photograph.width)
        balance = balance_beside_gleam(read, whole, day, gleam)
    else:
        balance = ground(linear)
    windows = window_pictures(shot.windows, even, camera.width / shot.photograph.width)
    if matched:
        clipped = encoded.max(-1) >= CLIPPED
        even = matched.restored(even, clipped if covered is None else clipped & ~covered, camera, layout.main_m)
    faces = [face for _, solid in solids for face in solid.faces]
    others, unlike = _others(shot, View(even, camera), faces, read_photograph)
    place = _Place(even, camera, day, solids, others, windows, layout)
    light, around = place.lit(balance)
    body = body_of(even, camera, day)
    if gleam and day.dome is None:
        # What gleaming ground mirrors is traced: told as its own, it would be there twice.
        besides = place.mirrored(balance, light, around, gleam)
        if not shot.patches:
            balance = ground(without_mirrored(linear, besides * left))
            light, around = place.lit(balance)
            besides = place.mirrored(balance, light, around, gleam)
        body = without_mirrored(even, besides)
    if unlike:
        balance = balance.model_copy(update={"notes": [*balance.notes, UNLIKE.format(unlike)]})
    planes = place.planes(balance, light, body, sheen, matched)
    standing = _standing(solids, light, shot.contact) if light else []
    unclipped = matched is not None or day.let_in is not None
    return Photographed(balance, (*planes, *standing), around, windows, unclipped)


@dataclass(frozen=True)
class _Place:
    """A photograph's linear values (H, W, 3) without its lens's falloff, and what is known of the place it shows."""

    linear: Floats
    camera: Pinhole
    day: Daylight
    solids: list[tuple[Proxy, Solid]]
    others: tuple[Other, ...]
    windows: dict[str, Floats]
    layout: Layout

    def lit(self, balance: BalanceAnswer) -> tuple[PlaceLight | None, Floats | None]:
        """The light among the solids, if any stand there, and what lies around, where no panorama tells it."""
        light = None
        if self.solids:
            sides = [(face, material_tint(proxy)) for proxy, solid in self.solids for face in solid.faces]
            faces, tints = [face for face, _ in sides], np.array([tint for _, tint in sides])
            light = place_light(self.linear, self.camera, self.day, balance, faces, tints, self.others)
        if self.day.dome is not None:
            return light, None
        # What shines by itself is no part of what lies about.
        apart = pixels_of_lights(self.day, self.camera)
        if light:
            apart |= light.sight.covered(self.camera.width, self.camera.height)
        from_there = [(View(one.linear, one.camera), _apart(one, self.day)) for one in self.others]
        return light, surroundings_of(self.linear, self.camera, np.array(balance.gain), apart, from_there)

    def mirrored(
        self, balance: BalanceAnswer, light: PlaceLight | None, around: Floats | None, gleam: tuple[float, float]
    ) -> Floats:
        """What gleaming ground mirrors towards the camera, (H, W, 3)."""
        solids, shown = (light.solids, light.radiance) if light else (None, None)
        near = near_photographed(self.day, balance, self.windows)
        about = RoundAbout(self.day, balance, near, solids, shown, around)
        return mirrored_about(self.camera, self.layout.main_m, *gleam, about)

    def planes(
        self,
        balance: BalanceAnswer,
        light: PlaceLight | None,
        body: Floats,
        sheen: Sheen,
        matched: Matched | None,
    ) -> list[Receiver]:
        """The ground, whose own light `body` is, and the levels on which models stand."""
        layout, known = self.layout, balance.reflectances.get(GROUND)
        mean = self.day.ground if known is None else float(luminance(np.array(known)))

        def plane(name: str, height_m: float, only: Rect | None = None, without: tuple[Rect, ...] = ()) -> Receiver:
            is_main = height_m == layout.main_m
            return plane_receiver(
                name,
                body if is_main else self.linear,
                self.camera,
                height_m=height_m,
                mean=mean,
                white=np.array(balance.white, np.float32),
                sheen=sheen,
                only=only,
                without=without,
                light=light,
                others=self.others,
                gain=np.array(balance.gain, np.float32) if self.day.local else None,
                let_in=_let_in(self.day, balance),
                beneath=matched if is_main else None,
            )

        holes = tuple(part for at, part in layout.levels if at < layout.main_m)
        uneven = _uneven(self.solids, layout.main_m)
        levels = [plane(f"level {at:g}", at, part, _uneven(self.solids, at)) for at, part in layout.levels]
        return [plane("ground", layout.main_m, without=(*holes, *uneven)), *levels]


def sheen_of(material: GroundMaterial, chosen: Ground | Proxy, contact: Contact) -> Sheen:
    """A receiver's sheen: its material's, or as it was chosen, as strong and as blurred as contact shall show."""
    coat = material.coat if chosen.coat is None else chosen.coat
    roughness = material.roughness if chosen.roughness is None else chosen.roughness
    return Sheen(
        min(coat * contact.reflection, MOST_COAT), float(np.clip(roughness + contact.blur, LEAST_ROUGHNESS, 1))
    )


def _standing(solids: list[tuple[Proxy, Solid]], light: PlaceLight, contact: Contact) -> list[Receiver]:
    """What stands there, with the photograph on its sides."""
    found, first = [], 0
    for proxy, solid in solids:
        own = sheen_of(PROXY_MATERIALS[proxy.material], proxy, contact)
        found.append(proxy_receiver(proxy, solid, first, light, own))
        first += len(solid.faces)
    return found


def _let_in(day: Daylight, balance: BalanceAnswer) -> Callable[[Array], Floats] | None:
    """What white shows of the sun that comes in by windows, beside where things stand; None if none does."""
    shaft = day.let_in
    if shaft is None:
        return None
    theta = next(np.array(one.strength) for one in balance.lights if one.kind == "sun") / np.pi
    square = theta * np.array(balance.gain) * shaft.irradiance * max(float(shaft.sun[2]), 0.0)

    def here(points: Array) -> Array:
        return np.isfinite(let_in(shaft, points)).astype(float)

    return lambda points: np.asarray((here(points) - here(day.at[None]))[:, None] * square, np.float32)


def _uneven(solids: list[tuple[Proxy, Solid]], at_m: float) -> tuple[Rect, ...]:
    """The parts of a plane in whose place uneven ground lies."""
    feet = [solid.foot for proxy, solid in solids if proxy.is_ground and proxy.receives and proxy.hides]
    here = [foot for foot in feet if abs(foot[0, 2] - at_m) < SAME_HEIGHT_M]
    return tuple((*foot[0, :2].tolist(), *foot[2, :2].tolist()) for foot in here)


def _others(
    shot: Shot, this: View, faces: list[Face], read_photograph: ReadPhotograph | None
) -> tuple[tuple[Other, ...], int]:
    """The site's other photographs, as bright as this one, and how many of them can't be made so."""
    if shot.site is None or read_photograph is None:
        return (), 0
    views = (_view(read_photograph(one.file), one.camera) for one in shot.site.others)
    found = beside(this, views, faces)
    return tuple(one for one in found if one), found.count(None)


def _view(photograph: Picture, camera: KnownCamera) -> View:
    smaller = photograph.at_most(BESIDE_PIXELS)
    height, width = smaller.codes.shape[:2]
    return View(decode_srgb(smaller.encoded), pinhole_known(camera, width, height))


def _apart(other: Other, day: Daylight) -> Mask:
    """What of another photograph is no part of what lies about."""
    covered = other.sight.covered(other.camera.width, other.camera.height)
    return covered | pixels_of_lights(day, other.camera)
