"""Proxies as solids: what was drawn on the photograph, by the camera in the world.

The foot of a thing lies on a level plane, so that each of its points is where the ray through its pixel meets that
plane; its height is where the plumb line over a foot comes nearest to the ray through the pixel of its top.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace

import cv2
import numpy as np
from pydantic import BaseModel

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.errors import NoAnswer
from lithopos.core.place.face import Face
from lithopos.core.place.outside import beyond_border, thrower_of
from lithopos.core.place.pane import hung
from lithopos.core.place.rise import bounds_of, heights_at, laid_out
from lithopos.core.shot import Pane, Proxy

LEAST_M = 1e-3  # a solid that is smaller in any of its measures is none
FAR_M = 2000.0
ROUND = 36  # corners of a cylinder's foot
LEAST_RISE = 0.02  # of the sun: below, shadows have no end
NO_OUTLINE = ("shade", "rise")  # kinds whose shadow has no outline that would tell anything

__all__ = ["ProxyAnswer", "Solid", "proxy_answer", "solid_of"]

Point = tuple[float, float, float]


@dataclass(frozen=True)
class Solid:
    """A proxy in the world.

    Attributes
    ----------
    faces : its sides; those of a closed body look outwards, of others towards the camera.
    foot : (N, 3) the foot's corners [m], in turn; of a wall from end to end.
    height_m, size_m : how tall, and how long or wide and how deep it is.
    """

    faces: tuple[Face, ...]
    foot: Array
    height_m: float
    size_m: tuple[float, float]


class ProxyAnswer(BaseModel):
    """Where a proxy stands: its sides' corners and its foot [m], what it measures; or why it can't stand.

    `shadow` is the outline of what it throws onto the plane that it stands on [m], where the sun shines.
    """

    id: str
    faces: list[list[Point]] = []
    foot: list[Point] = []
    shadow: list[Point] = []
    height_m: float | None = None
    size_m: tuple[float, float] | None = None
    reason: str | None = None


def proxy_answer(proxy: Proxy, solid: Solid | NoAnswer, sun: Array | None) -> ProxyAnswer:
    """A proxy's solid in plain figures; `sun` is the unit vector to the sun, where one shines."""
    if isinstance(solid, NoAnswer):
        return ProxyAnswer(id=proxy.id, reason=solid.reason)
    return ProxyAnswer(
        id=proxy.id,
        faces=[_points(face.corners) for face in solid.faces],
        foot=_points(solid.foot),
        shadow=_shadow(solid, sun) if sun is not None and sun[2] > LEAST_RISE and proxy.kind not in NO_OUTLINE else [],
        height_m=solid.height_m,
        size_m=solid.size_m,
    )


def solid_of(proxy: Proxy, camera: Pinhole, base_m: float | None, sun: Array | None) -> Solid | NoAnswer:
    """What was drawn as a solid, or why it is none.

    Parameters
    ----------
    camera : for the photograph's own size.
    base_m : the height of the level that its foot lies on; None: not known yet.
    sun : the unit vector to the sun (3,), where one shines: a shade says by it what throws it.
    """
    if base_m is None:
        return NoAnswer("the level that it stands on has no height yet")
    if proxy.kind == "quad":
        return _quad(proxy, camera, base_m)
    if proxy.kind == "mesh":
        return _mesh(proxy)
    if proxy.kind == "shade":
        return _shade(proxy, camera, base_m, sun)
    if proxy.kind == "rise":
        return _rise(proxy, camera, base_m)
    foot = camera.ground_points(np.array(proxy.points, float), base_m)
    if not np.isfinite(foot).all():
        return NoAnswer("its foot must lie below the horizon")
    if float(np.linalg.norm(foot - camera.position, axis=1).max()) > FAR_M:
        return NoAnswer("its foot lies too near to the horizon: more than 2 km away")
    made = _MADE[proxy.kind](proxy, foot, camera)
    if isinstance(made, Solid) and _within(made, camera.position):
        return NoAnswer("the camera stands inside it")
    return _closed_below(made) if isinstance(made, Solid) and base_m > LEAST_M and proxy.kind != "wall" else made


def _closed_below(solid: Solid) -> Solid:
    """A body on a level: light comes in from below, where on the ground none does. Its bottom comes last."""
    return replace(solid, faces=(*solid.faces, Face(solid.foot[::-1])))


def _shadow(solid: Solid, sun: Array) -> list[Point]:
    """The outline of a solid's shadow on the plane that it stands on; of one that is not convex what holds it."""
    low = float(solid.foot[:, 2].min())
    corners = np.concatenate([face.corners for face in solid.faces])
    fallen = corners - sun * ((corners[:, 2] - low) / sun[2])[:, None]
    hull = cv2.convexHull(fallen[:, :2].astype(np.float32)).reshape(-1, 2)
    return [(float(x), float(y), low) for x, y in hull]


def _points(corners: Array) -> list[Point]:
    return [(float(x), float(y), float(z)) for x, y, z in corners]


def _height(proxy: Proxy, over: Array, camera: Pinhole) -> float | NoAnswer:
    """How tall it is, as typed or as its top says over a point of its foot (3,)."""
    if proxy.height_m is not None:
        return proxy.height_m
    assert proxy.top
    way = camera.rays(np.array([proxy.top], float))[0]
    beside = over - camera.position
    across = 1 - way[2] ** 2
    if across < 1e-9:
        return NoAnswer("its top can’t be told from right above")
    # Where the plumb line over the foot and the ray are nearest to one another.
    rise = float((way[2] * (beside @ way) - beside[2]) / across)
    if float(way @ (beside + [0, 0, rise])) <= 0:
        return NoAnswer("its top lies behind the camera")
    if rise < LEAST_M:
        return NoAnswer("its top must lie above its foot")
    return min(rise, 1000.0)


def _wall(proxy: Proxy, foot: Array, camera: Pinhole) -> Solid | NoAnswer:
    height = _height(proxy, foot[0], camera)
    if isinstance(height, NoAnswer):
        return height
    steps = np.diff(foot, axis=0)
    lengths = np.linalg.norm(steps, axis=1)
    if lengths.min() < LEAST_M:
        return NoAnswer("two of its corners are the same")
    line = foot.copy()
    line[0] -= steps[0] / lengths[0] * proxy.past_m[0]
    line[-1] += steps[-1] / lengths[-1] * proxy.past_m[1]
    faces = [_towards(_upright(a, b, height), camera) for a, b in itertools.pairwise(line)]
    return Solid(tuple(faces), line, height, (float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum()), 0.0))


def _rectangle(proxy: Proxy, foot: Array) -> Array | NoAnswer:
    """The four corners of a foot: its front as drawn, its back square to it; counter-clockwise from above."""
    front = foot[1] - foot[0]
    width = float(np.linalg.norm(front))
    if width < LEAST_M:
        return NoAnswer("its front has no width")
    back = np.array([-front[1], front[0], 0]) / width
    depth = float(back @ (foot[2] - foot[1])) if len(foot) > 2 else 1.0
    if proxy.depth_m is not None:
        depth = float(np.copysign(proxy.depth_m, depth))
    if abs(depth) < LEAST_M:
        return NoAnswer("it has no depth: mark a point of its back")
    a, b = foot[:2] if depth > 0 else foot[1::-1]
    deep = back * depth
    return np.stack([a, b, b + deep, a + deep])


def _box(proxy: Proxy, foot: Array, camera: Pinhole) -> Solid | NoAnswer:
    corners = _rectangle(proxy, _seen_from(foot, camera))
    return corners if isinstance(corners, NoAnswer) else _prism(proxy, corners, foot[0], camera)


def _outline(proxy: Proxy, foot: Array, camera: Pinhole) -> Solid | NoAnswer:
    if _crosses(foot[:, :2]):
        return NoAnswer("its outline crosses itself")
    if abs(_area(foot)) < LEAST_M**2:
        return NoAnswer("its outline holds nothing")
    corners = foot if _area(foot) > 0 else foot[::-1]
    return _prism(proxy, corners, foot[0], camera)


def _cylinder(proxy: Proxy, foot: Array, camera: Pinhole) -> Solid | NoAnswer:
    (x1, y1), (x2, y2), (x3, y3) = foot[:, :2]
    sides = 2 * np.array([[x2 - x1, y2 - y1], [x3 - x1, y3 - y1]])
    squares = np.array([x2**2 + y2**2 - x1**2 - y1**2, x3**2 + y3**2 - x1**2 - y1**2])
    if abs(float(np.linalg.det(sides))) < LEAST_M**2:
        return NoAnswer("the three points of its rim lie on one line")
    middle = np.linalg.solve(sides, squares)
    radius = float(np.hypot(x1 - middle[0], y1 - middle[1]))
    if radius > FAR_M / 10:
        return NoAnswer("the three points of its rim lie almost on one line")
    height = _height(proxy, foot[0], camera)
    if isinstance(height, NoAnswer):
        return height
    angle = np.linspace(0, 2 * np.pi, ROUND, endpoint=False)
    way = np.column_stack([np.cos(angle), np.sin(angle), 0 * angle])
    rim = radius * way + [*middle, foot[0, 2]]
    faces = [Face(rim + [0, 0, height])]
    for n in range(ROUND):
        m = (n + 1) % ROUND
        faces.append(Face(_upright(rim[n], rim[m], height).corners, way[[n, m, m, n]]))
    return Solid(tuple(faces), rim, height, (2 * radius, 2 * radius))


def _steps(proxy: Proxy, foot: Array, camera: Pinhole) -> Solid | NoAnswer:
    flight = _flight(proxy, foot, camera)
    if isinstance(flight, NoAnswer):
        return flight
    corners, height = flight
    deep, rise = (corners[3] - corners[0]) / proxy.count, np.array([0, 0, height / proxy.count])
    a, b = corners[0], corners[1]
    faces, profile = [], [a]
    for n in range(proxy.count):
        low, top = n * rise, (n + 1) * rise
        faces.append(Face(np.stack([a + n * deep + low, b + n * deep + low, b + n * deep + top, a + n * deep + top])))
        faces.append(Face(np.stack([a + n * deep, b + n * deep, b + (n + 1) * deep, a + (n + 1) * deep]) + top))
        profile += [a + n * deep + top, a + (n + 1) * deep + top]
    left = np.stack([*profile, corners[3]])
    faces += [Face(left), Face(left[::-1] + (b - a)), _upright(corners[2], corners[3], height)]
    return Solid(tuple(faces), corners, height, _measures(corners))


def _ramp(proxy: Proxy, foot: Array, camera: Pinhole) -> Solid | NoAnswer:
    flight = _flight(proxy, foot, camera)
    if isinstance(flight, NoAnswer):
        return flight
    corners, height = flight
    a, b, c, d = corners
    up = np.array([0, 0, height])
    faces = [
        Face(np.stack([a, b, c + up, d + up])),
        Face(np.stack([b, c, c + up])),
        Face(np.stack([d, a, d + up])),
        _upright(c, d, height),
    ]
    return Solid(tuple(faces), corners, height, _measures(corners))


def _flight(proxy: Proxy, foot: Array, camera: Pinhole) -> tuple[Array, float] | NoAnswer:
    """Foot and height of what rises from its front to its back."""
    corners = _rectangle(proxy, _seen_from(foot, camera))
    if isinstance(corners, NoAnswer):
        return corners
    behind = min(corners[2:], key=lambda corner: float(np.linalg.norm(corner - foot[1])))
    height = _height(proxy, behind, camera)
    return height if isinstance(height, NoAnswer) else (corners, height)


def _seen_from(foot: Array, camera: Pinhole) -> Array:
    """A foot; one of two points alone in such an order that its back lies behind it as the camera sees it."""
    if len(foot) > 2:
        return foot
    away = foot[0] - camera.position
    front = foot[1] - foot[0]
    return foot if front[0] * away[1] - front[1] * away[0] > 0 else foot[::-1]


def _quad(proxy: Proxy, camera: Pinhole, base_m: float) -> Solid | NoAnswer:
    a, b, c, d = proxy.points
    pane = Pane(id=proxy.id, corners=(a, b, c, d), width_m=proxy.width_m, foot=proxy.foot)
    place = hung(pane, camera)
    if isinstance(place, NoAnswer):
        return place
    corners = place.corners
    if place.scale_from == "guess":
        lowest = camera.ground_points(np.array([d], float), base_m)[0]
        if not np.isfinite(lowest).all():
            return NoAnswer("how far away it is isn’t known: mark the ground plumb below it, or type its width")
        reach = float(np.linalg.norm(lowest - camera.position))
        now = float(np.linalg.norm(corners[3] - camera.position))
        corners = camera.position + (corners - camera.position) * (reach / now)
    face = _towards(Face(corners), camera)
    wide, tall = (float(np.linalg.norm(corners[i] - corners[0])) for i in (1, 3))
    return Solid((face,), corners[[3, 2]], float(np.ptp(corners[:, 2])), (wide, tall))


def _shade(proxy: Proxy, camera: Pinhole, base_m: float, sun: Array | None) -> Solid | NoAnswer:
    if sun is None:
        return NoAnswer("where the sun stands is not known")
    if sun[2] <= LEAST_RISE:
        return NoAnswer("the sun stands too low to tell what throws it")
    drawn = np.array(proxy.points, float)
    if not np.isfinite(camera.ground_points(drawn, base_m)).all():
        return NoAnswer("its outline must lie below the horizon")
    if _crosses(drawn):
        return NoAnswer("its outline crosses itself")
    outline = camera.ground_points(beyond_border(drawn, camera, base_m), base_m)
    if float(np.linalg.norm(outline - camera.position, axis=1).max()) > FAR_M:
        return NoAnswer("its outline lies too near to the horizon: more than 2 km away")
    if abs(_area(outline)) < LEAST_M**2:
        return NoAnswer("its outline holds nothing")
    corners = outline if _area(outline) > 0 else outline[::-1]
    made = thrower_of(corners, camera, sun, proxy.height_m)
    return made if isinstance(made, NoAnswer) else Solid(made.faces, made.foot, made.height_m, _measures(made.foot))


def _rise(proxy: Proxy, camera: Pinhole, base_m: float) -> Solid | NoAnswer:
    places = camera.ground_points(np.array(proxy.points, float), base_m)
    if not np.isfinite(places).all():
        return NoAnswer("its points must lie below the horizon")
    if float(np.linalg.norm(places - camera.position, axis=1).max()) > FAR_M:
        return NoAnswer("its points lie too near to the horizon: more than 2 km away")
    assert proxy.reach_m is not None
    points, heights = places[:, :2], np.array(proxy.heights_m)
    try:
        faces = laid_out(points, heights, proxy.reach_m, base_m)
        under = heights_at(camera.position[None, :2], points, heights, proxy.reach_m)[0]
    except ValueError as error:
        return NoAnswer(str(error))
    if base_m + under >= camera.position[2]:
        return NoAnswer("the camera would stand under it")
    x0, y0, x1, y1 = bounds_of(points, proxy.reach_m)
    foot = np.array([[x0, y0, base_m], [x1, y0, base_m], [x1, y1, base_m], [x0, y1, base_m]])
    return Solid(tuple(faces), foot, float(np.abs(heights).max()), (x1 - x0, y1 - y0))


def _mesh(proxy: Proxy) -> Solid:
    sides = tuple(Face(np.array(corners)) for corners in proxy.sides)
    corners = np.concatenate([side.corners for side in sides])
    low, high = corners.min(0), corners.max(0)
    hull = cv2.convexHull(corners[:, :2].astype(np.float32)).reshape(-1, 2)
    foot = np.column_stack([hull, np.full(len(hull), low[2])]).astype(float)
    wide, deep, tall = (float(value) for value in high - low)
    return Solid(sides, foot, tall, (wide, deep))


def _prism(proxy: Proxy, corners: Array, over: Array, camera: Pinhole) -> Solid | NoAnswer:
    height = _height(proxy, over, camera)
    if isinstance(height, NoAnswer):
        return height
    after = np.roll(corners, -1, axis=0)
    faces = [Face(corners + [0, 0, height]), *(_upright(a, b, height) for a, b in zip(corners, after, strict=True))]
    return Solid(tuple(faces), corners, height, _measures(corners))


def _measures(corners: Array) -> tuple[float, float]:
    """Width and depth: of a rectangle its sides, else of what holds it."""
    if len(corners) == 4:
        return float(np.linalg.norm(corners[1] - corners[0])), float(np.linalg.norm(corners[3] - corners[0]))
    wide, deep = np.ptp(corners[:, :2], axis=0)
    return float(wide), float(deep)


def _upright(a: Array, b: Array, height: float) -> Face:
    """A plumb side over a line of the foot; its outside lies to the right of the way from a to b."""
    up = np.array([0, 0, height])
    return Face(np.stack([a, b, b + up, a + up]))


def _towards(face: Face, camera: Pinhole) -> Face:
    """A face with its outside to the camera."""
    return face if float(face.normal @ (camera.position - face.corners[0])) > 0 else Face(face.corners[::-1])


def _area(foot: Array) -> float:
    """The foot's area, positive where its corners go round counter-clockwise as seen from above [m²]."""
    x, y = foot[:, 0], foot[:, 1]
    return float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)) / 2)


def _crosses(points: Array) -> bool:
    """Whether an outline's sides (of corners (N, 2)) cross one another."""

    def side(a: Array, b: Array, p: Array) -> float:
        return float((b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0]))

    count = len(points)
    for i in range(count):
        a, b = points[i], points[(i + 1) % count]
        for j in range(i + 2, count):
            if (j + 1) % count == i:
                continue
            c, d = points[j], points[(j + 1) % count]
            if side(a, b, c) * side(a, b, d) < 0 and side(c, d, a) * side(c, d, b) < 0:
                return True
    return False


def _within(solid: Solid, point: Array) -> bool:
    """Whether a point lies inside a closed solid: below its top and within its foot."""
    low = float(solid.foot[0, 2])
    if len(solid.foot) < 3 or not low < point[2] < low + solid.height_m:
        return False
    return cv2.pointPolygonTest(solid.foot[:, :2].astype(np.float32), (float(point[0]), float(point[1])), False) > 0


_MADE = {
    "wall": _wall,
    "box": _box,
    "steps": _steps,
    "ramp": _ramp,
    "cylinder": _cylinder,
    "outline": _outline,
}
