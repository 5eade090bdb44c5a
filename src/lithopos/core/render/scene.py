"""From a shot to what a tracer needs, in plain data: camera, receivers, models, lights, exposure."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.depth import Lens
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.colour import decode_srgb, luminance
from lithopos.core.composite.mattes import distance_of, with_rings
from lithopos.core.derive import (
    Derived,
    base_heights,
    daylight_of,
    derive,
    main_plane_m,
    sharp_sun,
    standing_height,
    walls_of,
)
from lithopos.core.errors import InputError, NoAnswer
from lithopos.core.exchange.graphic import Graphic, ReadGraphic
from lithopos.core.exchange.panorama import Panorama
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Model, Texture
from lithopos.core.grounds import GROUND_MATERIALS
from lithopos.core.light.dome import dome_of
from lithopos.core.light.luminance import clear_white_cd
from lithopos.core.light.near import Near, Shaft, Standing
from lithopos.core.materials.dress import dressed, look_of
from lithopos.core.place.about import SidesSeen, sides_seen
from lithopos.core.place.around import covered_by, kept_out, radiance_in_force, without_solids
from lithopos.core.place.crossing import runs_into
from lithopos.core.place.daylight import Daylight
from lithopos.core.place.matched import Around, laid_over
from lithopos.core.place.near_lights import UNIT
from lithopos.core.place.near_seen import (
    added_lights,
    lamp_factor,
    near_in_force,
    with_windows_read,
)
from lithopos.core.place.pane import BEHIND, hung, pane_model
from lithopos.core.place.planes import level_patch
from lithopos.core.place.receiver import Patch, Receiver, Sheen
from lithopos.core.place.shading import solids_of
from lithopos.core.place.sky_seen import sky_spots
from lithopos.core.place.solids import Solid, solid_of
from lithopos.core.place.surroundings import room_around
from lithopos.core.readiness import missing
from lithopos.core.render.engine import FAST, choose_variant
from lithopos.core.render.parted import lights_parted
from lithopos.core.render.photographed import Layout, Photographed, ReadPhotograph, photographed, sheen_of
from lithopos.core.shot import Blend, Contact, Matte, Pane, Placed, Proxy, Shot
from lithopos.core.standing.placement import Stand, root_of, scale_of, stands, upright

MOST_AWAY_M = 2000.0
MOST_TRIANGLES = 12_000_000  # with all copies
LEAST_OWN_LIGHT = 0.005  # of a shining pane, beside the place's full light: half a code of a mid-tone
LONGEST_LIGHT_M = 30.0
MOST_KEPT_OUT = 0.1  # of a panorama's light, by what stands there, before it is told
BEFORE_WINDOWS = (
    "What stands there keeps out {:.0%} of the panorama’s light: it stands before its windows. Strike out what does, "
    "or light the place by the windows that the photograph shows."
)
WALL_REFLECTANCE = 0.4  # of what a pane hangs on, where nothing is known of it

WITHOUT_SUN = "This machine’s slow renderer leaves out the sun that comes in by windows."
ReadPanorama = Callable[[str], Panorama]

__all__ = [
    "Environment",
    "KnownPlace",
    "Light",
    "ReadPanorama",
    "ReadPhotograph",
    "Scene",
    "StoodModel",
    "SunSky",
    "build_scene",
]


@dataclass(frozen=True)
class StoodModel:
    """A model with the matrix (4, 4) that stands it in the world, and the height of what it stands on [m].

    `casts` tells whether it casts a shadow; `shines_m` how far its own light is seen on the ground [m]; `on_plane`
    whether it stands on the ground or a level, and not on something that stands there.
    """

    name: str
    model: Model
    matrix: Array
    stands_at_m: float = 0.0
    casts: bool = True
    shines_m: float = 0.0
    on_plane: bool = True

    def corners(self) -> Array:
        """The eight corners of its box, (8, 3) [m]."""
        low, high = self.model.bounds()
        grid = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        return np.asarray(grid @ self.matrix[:3, :3].T + self.matrix[:3, 3])


@dataclass(frozen=True)
class SunSky:
    """A clear day's sun and sky; `direction` is the unit vector to the sun, strengths beside that day's.

    `sky_tint` is the strength of the sky by channel, on top; `cover` how far it is overcast.
    """

    direction: tuple[float, float, float]
    sun_strength: float
    sky_strength: float
    sun_width_deg: float
    turbidity: float
    sky_tint: tuple[float, float, float] = (1.0, 1.0, 1.0)
    cover: float = 0.0


@dataclass(frozen=True)
class Surroundings:
    """A clear day's sun and sky, and before them what the photograph shows of the place.

    `seen` (H, W, 4) is its radiance and its weight against the sky, laid out as an `Environment`; `key` tells it.
    """

    day: SunSky
    seen: Floats
    key: str = ""

    def __repr__(self) -> str:
        return f"Surroundings({self.day}, {self.key or id(self.seen)})"


@dataclass(frozen=True)
class Environment:
    """Light from all around: (H, W, 3) linear radiance by longitude and latitude, z up, its middle towards +x.

    `rotation` (3, 3) takes its own directions to the world's; `sun` is the direction to the sun that shines in it, if
    one does, `sun_width_deg` wide; `key` tells its content.
    """

    radiance: Floats
    rotation: Array = field(default_factory=lambda: np.eye(3))
    sun: tuple[float, float, float] | None = None
    key: str = ""
    sun_width_deg: float = 0.53

    def __repr__(self) -> str:
        return f"Environment({self.key or id(self.radiance)}, {self.rotation.round(6).tolist()})"


Light = SunSky | Surroundings | Environment | Near


@dataclass(frozen=True)
class Scene:
    """Everything a tracer needs.

    Attributes
    ----------
    camera : for the picture's size.
    gain : (3,) from the renderer's radiance to the photograph's linear values.
    added : lights that are in the place with the models alone, not in the photograph.
    white : (3,) radiance of level white, lit, where things stand; None: as the far lights give it.
    contact : how strongly contact shows, by hand.
    blend : how the render is blended with the photograph, by hand.
    mattes : what stands in front, drawn in the photograph's own size, with its distance [m], if that is known.
    falloff : which share of the light the lens loses in a corner (`place.falloff`).
    stops : by how much things are brighter by hand; `gain` holds it.
    unclipped : where the photograph is clipped, receivers are as bright as they were before.
    place_key, things_key : tell what the empty place, and the models without their places, are made of: as
        long as they stay, what was traced or loaded of them holds.
    notes : plain sentences on what is doubtful.
    """

    camera: Pinhole
    receivers: tuple[Receiver, ...]
    models: tuple[StoodModel, ...]
    lights: tuple[Light, ...]
    gain: Floats
    place_key: str = ""
    things_key: str = ""
    notes: tuple[str, ...] = field(default=())
    added: tuple[Standing, ...] = ()
    white: Floats | None = None
    contact: Contact = field(default_factory=Contact)
    blend: Blend = field(default_factory=Blend)
    mattes: tuple[tuple[Matte, float | None], ...] = ()
    falloff: float = 0.0
    stops: float = 0.0
    unclipped: bool = False

    @property
    def lens(self) -> Lens | None:
        """The open lens; None where all is sharp."""
        told = self.blend.lens
        return Lens(told.aperture_mm / 2000, told.focus_m) if told and told.aperture_mm > 0 else None

    @property
    def days(self) -> list[SunSky]:
        """The sun and sky among the lights."""
        bare = [light.day if isinstance(light, Surroundings) else light for light in self.lights]
        return [light for light in bare if isinstance(light, SunSky)]

    @property
    def sun(self) -> Array | None:
        """The direction to the sun, if one shines."""
        for day in self.days:
            if day.sun_strength > 0:
                return np.array(day.direction)
        for light in self.lights:
            if isinstance(light, Environment) and light.sun is not None:
                return np.array(light.sun)
        return None

    @property
    def let_in(self) -> Shaft | None:
        """The sunlight that comes in by windows, if any does."""
        return next((light for light in self.lights if isinstance(light, Shaft)), None)


@dataclass
class KnownPlace:
    """What the last scene's photograph told of its place, and what receives there: held while all that stays."""

    key: str = ""
    told: Photographed | None = None
    receivers: tuple[Receiver, ...] = ()


def build_scene(
    shot: Shot,
    photograph: Picture,
    read_model: Callable[[str], Model],
    photograph_key: str = "",
    known: KnownPlace | None = None,
    read_graphic: ReadGraphic | None = None,
    read_panorama: ReadPanorama | None = None,
    read_photograph: ReadPhotograph | None = None,
) -> Scene:
    """The scene of a shot for a photograph of any size (a smaller one for a proof).

    Parameters
    ----------
    photograph : the photograph, or a smaller copy of the same shape.
    read_model : gives the model of a file's name.
    photograph_key : tells the photograph's content for the keys; without it nothing is known again.
    known : the place of the last scene, brought up to date.
    read_graphic : gives a picture by its name; of a film the frame at a time [s].
    read_panorama : gives a panorama by its name.
    read_photograph : gives another photograph of the site by its name; without it they fill nothing in.

    Raises
    ------
    InputError
        If the shot lacks something that a render needs; it says what.
    """
    panorama = _panorama(shot, read_panorama)
    if panorama and shot.panorama and shot.panorama.dome is None:
        own = shot.panorama.model_copy(update={"dome": dome_of(panorama.radiance)})
        shot = shot.model_copy(update={"panorama": own})
    if shot.photograph and shot.photograph.sky is None:
        looked = shot.photograph.model_copy(update={"sky": sky_spots(photograph, shot.photograph.width)})
        shot = shot.model_copy(update={"photograph": looked})
    if shot.windows and shot.photograph:
        windows = with_windows_read(shot.windows, photograph, shot.photograph.width)
        shot = shot.model_copy(update={"windows": windows})
    if any(lamp.kind == "measured" and lamp.photometry is None for lamp in shot.lamps):
        raise InputError("lamps", "names a file of photometry that was not handed to this render")
    facts = derive(shot)
    for lack in missing(shot, facts):
        raise InputError(lack.field, lack.cause)
    assert shot.photograph and facts.camera
    shot = _read(shot, facts, photograph)
    whole = panorama
    shot, facts, panorama, in_it = lights_parted(shot, facts, panorama)
    assert shot.photograph and facts.camera
    to_sun = facts.sun_shown or (0.0, 0.0, 1.0)  # under a whole cover nobody needs to know
    height, width = photograph.codes.shape[:2]
    camera = pinhole_of(facts.camera).sized(width, height)
    graphics = read_graphic or _no_graphics
    models = _stood_models(shot, facts, camera, read_model, graphics)
    layout = _layout(models)
    hanging = _hanging(shot, pinhole_of(facts.camera), facts)
    walls = [_behind(pane, corners, camera) for pane, corners, on_wall in hanging if not (pane.free or on_wall)]
    day = daylight_of(shot, facts)
    day = replace(day, near=in_it) if in_it else day
    sheen = sheen_of(GROUND_MATERIALS[shot.ground.material], shot.ground, shot.contact)
    solids, unstood = _solids(shot, facts)
    unstood += _crossings(models, solids)
    figures = (camera.focal_px, *camera.principal_point, *camera.rotation.ravel(), *camera.position, camera.k1)
    # To a metre: whoever slides a thing a little does not want the whole picture's level to follow.
    feet = sorted({tuple(np.round(thing.matrix[:2, 3]).tolist()) for thing in models})
    stand = np.array(feet) if day.dome is not None and feet else None
    lens = _lens_here(shot, day, layout.main_m) if panorama else None
    made_of = (
        (photograph_key, width, height, figures, layout, sheen),
        (
            day.sun,
            day.turbidity,
            day.ground,
            day.ground_shown,
            day.sky_shown,
            day.lens,
            day.dome,
            day.cover,
            day.room,
            day.at if day.near or day.about else day.surely_lit,
            day.let_in,
        ),
        [one.model_dump(exclude={"name", "strength"}) for one in (*shot.patches, *shot.windows, *shot.lamps)],
        [(wall.name, wall.patches[0].vertices.round(6).tolist()) for wall in walls],
        [(proxy.model_dump(exclude={"name"}), level) for proxy, level in _heights(shot, facts)],
        shot.contact.model_dump(include={"reflection", "blur"}),
        [one.model_dump() for one in shot.site.others] if shot.site and read_photograph else None,
        stand,
        (shot.panorama.file, lens.tolist()) if shot.panorama and lens is not None else None,
        repr(in_it),
    )
    known = known or KnownPlace()
    if not photograph_key or known.key != repr(made_of) or known.told is None:
        here = _taken_here(shot, facts, whole, lens) if whole and lens is not None else None
        told = photographed(shot, photograph, camera, layout, day, stand, solids, sheen, read_photograph, here)
        known.key, known.told, known.receivers = repr(made_of), told, (*told.receivers, *walls)
    told = known.told
    balance = told.balance
    light: Light
    if panorama and shot.panorama and day.dome and facts.around:
        radiance = radiance_in_force(panorama.radiance, shot.panorama, day.dome, balance.sky, facts.softness_deg)
        key = repr((shot.panorama, facts.sun_shown, balance.sky, facts.softness_deg))
        if day.about:
            lens = day.at + [0, 0, shot.panorama.lens_m]
            rotation = facts.around.rotation()
            stands = covered_by(len(radiance), rotation, lens, day.about.solids), rotation, day.sun
            lost = kept_out(radiance, *stands)
            if lost > MOST_KEPT_OUT:
                unstood.append(BEFORE_WINDOWS.format(lost))
            radiance = without_solids(radiance, *stands)
            key += repr((made_of[3:], lens.round(3).tolist()))
        sun = facts.sun_shown if day.dome.sunny else None
        light = Environment(radiance, facts.around.rotation(), sun, key, facts.softness_deg)
    elif day.room:
        strength = np.array(balance.sky) * shot.sky.strength
        light = Environment(room_around(told.around, strength), key=repr((made_of, shot.sky.strength)))
    else:
        sunlight = shot.sun.strength * (1 - shot.sky.cover)
        strengths = sunlight, shot.sky.strength, facts.softness_deg, day.turbidity
        light = SunSky(to_sun, *strengths, balance.sky, shot.sky.cover)
        if told.around is not None:
            light = Surroundings(light, told.around, repr(made_of) if photograph_key else "")
    if day.let_in and choose_variant() != FAST:
        unstood.append(WITHOUT_SUN)
    near = near_in_force(shot, day, balance, told.windows)
    factor = lamp_factor(shot, balance)
    added = added_lights(shot, pinhole_of(facts.camera), factor)
    white = np.array(balance.white) / np.array(balance.gain)
    panes = _panes(hanging, graphics, layout.main_m, _white_cd(shot, facts, white, factor))
    by_hand = [(one.id, one.strength) for one in shot.windows], [(one.id, one.strength) for one in shot.lamps]
    seen_by = by_hand, shot.sun.strength, shot.blend.lens
    return Scene(
        camera,
        known.receivers,
        (*models, *panes),
        (light, *near),
        np.array(balance.gain, np.float32) * np.float32(2**shot.exposure.stops),
        repr((made_of, light, seen_by)) if photograph_key else "",
        repr([_look(thing) for thing in shot.models if not thing.hidden] + [*shot.panes, *shot.lamps, factor]),
        (*balance.notes, *(panorama.notes if panorama else ()), *unstood),
        added,
        np.asarray(white, np.float32) if day.room or shot.windows or shot.lamps else None,
        shot.contact,
        shot.blend,
        tuple((matte, distance_of(matte, pinhole_of(facts.camera))) for matte in shot.mattes if not matte.hidden),
        day.falloff,
        shot.exposure.stops,
        told.unclipped,
    )


def _with_sides(proxy: Proxy, sides: SidesSeen) -> Proxy:
    return proxy.model_copy(update={"seen": sides.colours, "clipped": sides.clipped})


def _read(shot: Shot, facts: Derived, photograph: Picture) -> Shot:
    """The shot with what the photograph says of its proxies and mattes, where a document does not have it."""
    assert shot.photograph and facts.camera
    unread = [proxy for proxy in shot.proxies if not proxy.seen]
    if unread:
        camera = pinhole_of(facts.camera).sized(photograph.codes.shape[1], photograph.codes.shape[0])
        seen = sides_seen(facts.proxies, decode_srgb(photograph.encoded), camera, daylight_of(shot, facts).falloff)
        proxies = [proxy if proxy.seen else _with_sides(proxy, seen[proxy.id]) for proxy in shot.proxies]
        shot = shot.model_copy(update={"proxies": proxies})
    if any(matte.kind == "smart" and not matte.found for matte in shot.mattes):
        width = shot.photograph.width if shot.photograph else photograph.codes.shape[1]
        mattes = [with_rings(matte, photograph.codes, width) for matte in shot.mattes]
        shot = shot.model_copy(update={"mattes": mattes})
    return shot


def _heights(shot: Shot, facts: Derived) -> list[tuple[Proxy, float | None]]:
    """The shot's proxies that stand there, with the heights of what they stand on."""
    bases = base_heights(facts)
    return [(proxy, bases.get(proxy.level)) for proxy in shot.proxies if not proxy.hidden]


def _solids(shot: Shot, facts: Derived) -> tuple[list[tuple[Proxy, Solid]], list[str]]:
    """The shot's proxies as solids, and in words which of them can't stand."""
    assert facts.camera
    found, notes = [], []
    sun = sharp_sun(shot, facts)
    for proxy, base_m in _heights(shot, facts):
        solid = solid_of(proxy, pinhole_of(facts.camera), base_m, sun)
        if isinstance(solid, NoAnswer):
            notes.append(f"{proxy.name or proxy.id} is left out: {solid.reason}.")
        else:
            found.append((proxy, solid))
    return found, notes


def _white_cd(shot: Shot, facts: Derived, white: Array, factor: Floats) -> float:
    """The luminance of white paint in the place's light [cd/m²]."""
    if shot.lit_by == "day":
        sun = np.array(facts.sun_shown) if facts.sun_shown and shot.sun.strength > 0 else None
        return clear_white_cd(sun, shot.sun.strength, shot.sky.strength)
    return max(float(luminance(white / (UNIT * factor))), 1e-3)


def _panorama(shot: Shot, read: ReadPanorama | None) -> Panorama | None:
    """The panorama that lights the shot, if one does."""
    if shot.lit_by != "panorama" or shot.panorama is None:
        return None
    if read is None:
        raise InputError("panorama", f"{shot.panorama.file} was not handed to this render")
    return read(shot.panorama.file)


def _no_graphics(name: str, _time_s: float) -> Graphic:
    raise InputError("file", f"{name} is a picture, and this render was given none")


def _look(placed: Placed) -> tuple[object, ...]:
    """What a thing is made of, wherever it stands, and how many of it there are."""
    return look_of(placed), placed.row.count if placed.row else 1


def _stood_models(
    shot: Shot, facts: Derived, camera: Pinhole, read_model: Callable[[str], Model], graphics: ReadGraphic
) -> list[StoodModel]:
    """All models that are shown, dressed, with their copies."""
    dressings: dict[str, Model] = {}

    def read(placed: Placed) -> Model:
        return read_model(placed.file)

    found: list[StoodModel] = []
    triangles = 0
    for stand in stands(shot.models, read):
        placed = stand.placed
        if placed.id not in dressings:
            came = read(placed)
            dressings[placed.id] = dressed(came, placed, upright(placed, came), scale_of(placed, came), graphics)
        model = dressings[placed.id]
        triangles += model.triangles
        if triangles > MOST_TRIANGLES:
            raise InputError(
                "models",
                f"with all copies come to more than {MOST_TRIANGLES:,} triangles at {placed.name or placed.id}; "
                "take fewer copies",
            )
        found.append(_stood(stand, model, shot, facts, camera))
    return found


def _crossings(models: list[StoodModel], solids: list[tuple[Proxy, Solid]]) -> list[str]:
    """In words, which models stand in what; uneven ground runs through whatever stands on it."""
    standing = [(proxy, solid) for proxy, solid in solids if not proxy.is_ground]
    bodies = [(proxy.name or proxy.id, solids_of(solid.faces, None)) for proxy, solid in standing]
    return [
        f"{thing.name} runs into {name}."
        for name, body in bodies
        for thing in models
        if runs_into(thing.model, thing.matrix, body)
    ]


def _stood(stand: Stand, model: Model, shot: Shot, facts: Derived, camera: Pinhole) -> StoodModel:
    placed = stand.placed
    away = np.linalg.norm(stand.matrix[:3, 3] - camera.position)
    if away > MOST_AWAY_M:
        raise InputError("models", f"{placed.name or placed.id} stands {away / 1000:.1f} km away; bring it nearer")
    root = root_of(placed, shot.models)
    on_plane = root.level is None or any(level.id == root.level for level in shot.levels)
    height = _standing_height(root, facts)
    return StoodModel(placed.name or placed.id, model, stand.matrix, height, on_plane=on_plane)


def _hanging(shot: Shot, camera: Pinhole, facts: Derived) -> list[tuple[Pane, Array, bool]]:
    """Panes that are shown, with their corners (4, 3) [m], and whether they lie on something that stands there."""
    walls = walls_of(shot, facts)
    found = []
    for pane in shot.panes:
        if pane.hidden:
            continue
        place = hung(pane, camera, walls)
        if isinstance(place, NoAnswer):
            raise InputError("panes", f"{pane.name or pane.id} can’t be hung: {place.reason}")
        found.append((pane, place.corners, place.on_wall))
    return found


def _panes(
    hanging: list[tuple[Pane, Array, bool]], graphics: ReadGraphic, main_m: float, white_cd: float
) -> list[StoodModel]:
    """Panes as models that stand where they hang, over the main plane."""
    stood = []
    for pane, corners, _ in hanging:
        graphic = graphics(pane.file, pane.time_s) if pane.file else None
        model = pane_model(pane, corners, graphic, white_cd)
        shines_m = _seen_light_m(pane, model, corners)
        stood.append(StoodModel(pane.name or pane.id, model, np.eye(4), main_m, pane.free, shines_m))
    return stood


def _seen_light_m(pane: Pane, model: Model, corners: Array) -> float:
    """How far from a shining pane its light is more than half a code of a mid-tone [m]."""
    shone = model.materials[0].emission
    if pane.lit == "by the place" or not isinstance(shone, Texture):
        return 0.0
    area = float(np.linalg.norm(np.cross(corners[1] - corners[0], corners[3] - corners[0])))
    bright = float(shone.values.mean())
    # A small Lambertian source of radiance L and area A gives at most L A / d² where white paint has L = 1, E = π.
    return float(min(np.sqrt(bright * area / (np.pi * LEAST_OWN_LIGHT)), LONGEST_LIGHT_M))


def _behind(pane: Pane, corners: Array, camera: Pinhole) -> Receiver:
    """What a pane hangs on: as large as the pane, in the empty place too, so that it casts no shadow of its own."""
    wall = camera.position + (corners - camera.position) * BEHIND
    uv = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])
    patch = Patch(wall, uv, np.array([[0, 2, 1], [0, 3, 2]]), np.full(3, WALL_REFLECTANCE, np.float32))
    return Receiver(f"behind {pane.id}", (patch,), Sheen(0.0, 1.0), receives=False)


def _standing_height(placed: Placed, facts: Derived) -> float:
    """See `standing_height`.

    Raises
    ------
    InputError
        If what it names has no height yet.
    """
    at = standing_height(placed, facts)
    if at is None:
        raise InputError("levels", f"what {placed.name or placed.id} stands on has no height yet")
    return at


def _layout(stood: list[StoodModel]) -> Layout:
    """Which planes receive.

    A level has no borders of its own yet: with nothing on the ground it is a whole plane in the ground's stead;
    beside things on the ground it is the part that its models can change.
    """
    heights = sorted({thing.stands_at_m for thing in stood if thing.on_plane})
    main = main_plane_m(heights)
    levels = []
    for height in heights:
        if height == main:
            continue
        corners = [thing.corners() for thing in stood if thing.on_plane and thing.stands_at_m == height]
        tallest = max(float(np.ptp(part[:, 2])) for part in corners)
        levels.append((height, level_patch(np.concatenate(corners)[:, :2], 1.0 + 1.5 * tallest)))
    return Layout(main, tuple(levels))


def _lens_here(shot: Shot, day: Daylight, height_m: float) -> Array | None:
    """Where a panorama was taken (3,) [m] that was taken where things stand, over dull ground at a height."""
    if day.dome is None or day.gleam or shot.panorama is None or not shot.panorama.here:
        return None
    return np.append(day.foot, height_m + shot.panorama.lens_m)


def _taken_here(shot: Shot, facts: Derived, panorama: Panorama, lens: Array) -> Around:
    assert shot.panorama and facts.around
    return laid_over(panorama.radiance, shot.panorama, facts.around.rotation(), lens)
