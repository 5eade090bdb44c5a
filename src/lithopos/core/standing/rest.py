"""How a thing comes to rest: on which of its sides it stays, how far it falls, how far it leans until it touches.

A body stays on a side of its convex hull when its centre of mass is plumb above that side (statics). Falling and
leaning are stopped at the first touch by conservative advancement: no point can move farther in a step than the
distance that is left, so that nothing is passed (Mirtich 1996, "Impulse-based Dynamic Simulation of Rigid Body
Systems", section 2.3). Distances between triangle meshes come from a collision library.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import fcl
import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import ConvexHull, QhullError, cKDTree
from scipy.spatial.transform import Rotation

from lithopos.core.arrays import Array
from lithopos.core.errors import NoAnswer
from lithopos.core.geometry.model import Model

TOUCHING_M = 0.00005  # a gap that counts as contact
SAME_SIDE_RAD = float(np.radians(13.0))
SIDES_TOLD = 8
MOST_STEPS = 2000

__all__ = [
    "Body",
    "Lean",
    "Side",
    "body_of",
    "centre_of_mass",
    "fall_m",
    "is_held",
    "lean_until_touch",
    "meets",
    "over",
    "sides",
]


@dataclass(frozen=True)
class Side:
    """A way in which a model stays lying.

    Attributes
    ----------
    pose : from upright, (w, x, y, z).
    share : of all ways to be let go of, those that end like this, roughly: how much of a sphere about the centre of
        mass the side fills.
    name : in plain words.
    """

    pose: tuple[float, float, float, float]
    share: float
    name: Literal["upright", "on its side", "upside down", "askew"]


@dataclass(frozen=True)
class Body:
    """Triangles in the world, for asking distances."""

    vertices: Array
    faces: NDArray[np.int64]
    found: Any


@dataclass(frozen=True)
class Lean:
    """How far a thing was leant, the gap that is left [m], and whether it stays so."""

    lean_deg: float
    gap_m: float
    held: bool


def sides(vertices: Array, mass: Array) -> list[Side]:
    """The ways in which a body stays lying on a level plane, likeliest first.

    Parameters
    ----------
    vertices : (N, 3) as the model is upright.
    mass : (3,) its centre of mass.
    """
    try:
        hull = ConvexHull(vertices)
    except (QhullError, ValueError):
        return [Side((1.0, 0.0, 0.0, 0.0), 1.0, "upright")]  # flat as a sheet
    reach = float(np.ptp(vertices, axis=0).max())
    found: list[tuple[float, Array]] = []
    for normal, points in _flat_sides(hull, reach):
        if _stays(points, normal, mass, reach):
            share = sum(_solid_angle(tri - mass) for tri in _fan(points, normal)) / (4 * np.pi)
            found.append((share, normal))
    told = [Side(_pose_onto(normal), share, _name(normal)) for share, normal in _rounded(found)]
    return sorted(told, key=lambda side: -side.share)[:SIDES_TOLD]


def _rounded(found: list[tuple[float, Array]]) -> list[tuple[float, Array]]:
    """Sides that pass into each other, as those round a barrel do, as one: the largest, with the share of all."""
    if not found:
        return []
    shares, normals = np.array([share for share, _ in found]), np.array([normal for _, normal in found])
    # Of unit vectors: so far apart as their ends are.
    pairs = cKDTree(normals).query_pairs(2 * np.sin(SAME_SIDE_RAD / 2), output_type="ndarray")
    near = coo_matrix((np.ones(len(pairs)), pairs.T), shape=(len(normals), len(normals)))
    _, groups = connected_components(near, directed=False)
    result = []
    for number in range(int(groups.max()) + 1):
        mine = np.nonzero(groups == number)[0]
        # Of equally large ones that which needs the least turn.
        best = mine[np.lexsort((normals[mine, 2], -np.round(shares[mine], 6)))[0]]
        result.append((float(shares[mine].sum()), normals[best]))
    return result


def _flat_sides(hull: ConvexHull, reach: float) -> list[tuple[Array, Array]]:
    """The hull's faces, those in one plane together: outward normals (3,) and the points (N, 3) of each side."""
    keys = np.round(np.column_stack([hull.equations[:, :3] * 2000, hull.equations[:, 3] / reach * 2000])).astype(int)
    _, groups = np.unique(keys, axis=0, return_inverse=True)
    order = np.argsort(groups.ravel(), kind="stable")
    result = []
    for mine in np.split(order, np.cumsum(np.bincount(groups.ravel()))[:-1]):
        normal = hull.equations[mine, :3].mean(0)
        points = hull.points[np.unique(hull.simplices[mine])]
        result.append((normal / np.linalg.norm(normal), points))
    return result


def _stays(points: Array, normal: Array, mass: Array, reach: float) -> bool:
    """Whether a centre of mass is plumb above a side, by a hair more than its edge."""
    flat = _in_plane(normal)
    corners, at = points @ flat.T, flat @ mass
    middle = corners.mean(0)
    if np.linalg.norm(at - middle) > np.linalg.norm(corners - middle, axis=1).max():
        return False  # told cheaply: round hulls have thousands of sides
    return _inside(corners, at, 1e-4 * reach)


def _in_plane(normal: Array) -> Array:
    """Two unit vectors square to a normal, (2, 3)."""
    beside = np.eye(3)[int(np.argmin(np.abs(normal)))]
    first = np.cross(normal, beside)
    first = first / np.linalg.norm(first)
    return np.stack([first, np.cross(normal, first)])


def _inside(points: Array, at: Array, margin: float) -> bool:
    """Whether a point (2,) lies within the outline of others (N, 2), by a margin."""
    if len(points) == 3:  # round hulls have thousands of sides, and all of them triangles
        sides = np.roll(points, -1, axis=0) - points
        away = sides[:, 0] * (at - points)[:, 1] - sides[:, 1] * (at - points)[:, 0]
        away = away / np.maximum(np.linalg.norm(sides, axis=1), 1e-30)
        return bool((away > margin).all() or (away < -margin).all())
    try:
        outline = ConvexHull(points)
    except (QhullError, ValueError):
        return False
    return bool((outline.equations[:, :2] @ at + outline.equations[:, 2] < -margin).all())


def _fan(points: Array, normal: Array) -> Array:
    """A convex side as triangles about its middle, (N, 3, 3)."""
    flat = points @ _in_plane(normal).T
    middle = points.mean(0)
    order = np.argsort(np.arctan2(*(flat - flat.mean(0)).T))
    ring = points[order]
    return np.stack([np.broadcast_to(middle, ring.shape), ring, np.roll(ring, -1, axis=0)], axis=1)


def _solid_angle(triangle: Array) -> float:
    """Of a triangle seen from the origin (Van Oosterom and Strackee 1983, eq. 8)."""
    a, b, c = triangle
    la, lb, lc = (np.linalg.norm(p) for p in triangle)
    over = abs(float(np.dot(a, np.cross(b, c))))
    under = la * lb * lc + (a @ b) * lc + (a @ c) * lb + (b @ c) * la
    return float(2 * np.arctan2(over, under)) % (2 * np.pi)


def _pose_onto(normal: Array) -> tuple[float, float, float, float]:
    """The least turn that brings a side's outward normal straight down."""
    down = np.array([0.0, 0, -1])
    axis = np.cross(normal, down)
    length = float(np.linalg.norm(axis))
    angle = float(np.arctan2(length, normal @ down))
    axis = axis / length if length > 1e-9 else np.array([1.0, 0, 0])
    w, x, y, z = Rotation.from_rotvec(angle * axis).as_quat(scalar_first=True)
    return float(w), float(x), float(y), float(z)


def _name(normal: Array) -> Literal["upright", "on its side", "upside down", "askew"]:
    down = -float(normal[2])
    if down > 0.99:
        return "upright"
    if down < -0.99:
        return "upside down"
    return "on its side" if abs(down) < 0.15 else "askew"


def centre_of_mass(model: Model) -> Array:
    """The centre of mass (3,) of an even body: of what its faces enclose, or of its hull where they enclose nothing."""
    vertices = np.concatenate([part.vertices for part in model.parts])
    if all(part.closed for part in model.parts):
        starts = np.cumsum([0, *(len(part.vertices) for part in model.parts)])[:-1]
        faces = np.concatenate([part.faces + start for part, start in zip(model.parts, starts, strict=True)])
        volume, mass = _enclosed(vertices[faces])
        if volume > 1e-12:
            return mass
    try:
        hull = ConvexHull(vertices)
    except (QhullError, ValueError):
        return np.asarray(vertices.mean(0))
    triangles = hull.points[hull.simplices]
    middle = hull.points[hull.vertices].mean(0)
    outward = np.einsum("ij,ij->i", _normals(triangles), triangles.mean(1) - middle) > 0
    triangles = np.where(outward[:, None, None], triangles, triangles[:, ::-1])
    return _enclosed(triangles)[1]


def _normals(triangles: Array) -> Array:
    return np.asarray(np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]))


def _enclosed(triangles: Array) -> tuple[float, Array]:
    """Volume and centre of mass of what triangles (N, 3, 3) enclose (divergence theorem, tetrahedra to the origin)."""
    about = triangles.reshape(-1, 3).mean(0)
    corners = triangles - about
    six = np.einsum("ij,ij->i", corners[:, 0], np.cross(corners[:, 1], corners[:, 2]))
    volume = float(six.sum() / 6)
    if abs(volume) < 1e-15:
        return 0.0, np.asarray(about)
    return volume, np.asarray(about + (six[:, None] * corners.sum(1)).sum(0) / 24 / volume)


def body_of(model: Model, matrix: Array) -> Body:
    """A stood model as a body; `matrix` (4, 4) stands it."""
    starts = np.cumsum([0, *(len(part.vertices) for part in model.parts)])[:-1]
    vertices = np.concatenate([part.vertices for part in model.parts]) @ matrix[:3, :3].T + matrix[:3, 3]
    faces = np.concatenate([part.faces + start for part, start in zip(model.parts, starts, strict=True)])
    return _body(vertices, faces)


def _body(vertices: Array, faces: NDArray[np.int64]) -> Body:
    tree = fcl.BVHModel()
    tree.beginModel(len(vertices), len(faces))
    tree.addSubModel(np.ascontiguousarray(vertices, float), np.ascontiguousarray(faces, np.int64))
    tree.endModel()
    return Body(vertices, faces, fcl.CollisionObject(tree, fcl.Transform()))


def _gap(moving: Body, turn: Array, shift: Array, others: list[Body]) -> tuple[float, Array]:
    """The least distance [m] of a moved body from others, and where on the others that is; 0 where they meet."""
    moving.found.setTransform(fcl.Transform(turn, shift))
    least, where = np.inf, np.zeros(3)
    for other in others:
        answer = fcl.DistanceResult()
        gap = fcl.distance(moving.found, other.found, fcl.DistanceRequest(enable_nearest_points=True), answer)
        if gap < least:
            least, where = max(float(gap), 0.0), np.asarray(answer.nearest_points[1], float)
    return least, where


def fall_m(thing: Body, below: list[Body], floor_m: float) -> float:
    """How far a thing goes down [m] until it lies on something; less than 0 where it must be lifted out first.

    Parameters
    ----------
    floor_m : height of the plane below all.
    """
    lowest = float(thing.vertices[:, 2].min())
    under = [other for other in below if _meet_above(thing, other)]
    if not under:
        return lowest - floor_m
    lifted, end = 0.0, floor_m - lowest
    if _gap(thing, np.eye(3), np.zeros(3), under)[0] < TOUCHING_M:  # within something: lifted out over all of it
        lifted = max(max(float(other.vertices[:, 2].max()) for other in under) - lowest + 1e-3, 0.0)
    for _ in range(MOST_STEPS):
        gap, _where = _gap(thing, np.eye(3), np.array([0, 0, lifted]), under)
        if gap < TOUCHING_M:
            break
        lifted -= gap
        if lifted <= end:
            return -end
    return -lifted


def over(thing: Body, other: Body) -> Array:
    """How a thing must be moved (3,) [m] to hang above another: up, and to its middle where it is beside it."""
    low, high = other.vertices.min(0), other.vertices.max(0)
    up = np.array([0, 0, max(float(high[2] - thing.vertices[:, 2].min()) + 1e-3, 0.0)])
    if _meet_above(thing, other):
        return up
    middle = (thing.vertices.min(0) + thing.vertices.max(0)) / 2
    return up + ((low + high) / 2 - middle) * [1, 1, 0]


def meets(thing: Body, shift: Array, other: Body) -> bool:
    """Whether a thing moved by a shift (3,) [m] touches another."""
    return _gap(thing, np.eye(3), shift, [other])[0] < TOUCHING_M


def _meet_above(one: Body, other: Body) -> bool:
    """Whether the boxes of two bodies overlap as seen from above."""
    (a, b), (c, d) = ((body.vertices.min(0)[:2], body.vertices.max(0)[:2]) for body in (one, other))
    return bool((a < d).all() and (c < b).all())


def lean_until_touch(
    upright: Body, pivot: Array, toward: Array, others: list[Body], mass: Array, floor_m: float
) -> Lean | NoAnswer:
    """Lean a thing about its foot until it touches.

    Parameters
    ----------
    upright : the thing as it stands unleant.
    pivot : (3,) the middle of its foot.
    toward : (3,) level unit vector in which its top goes.
    mass : (3,) its centre of mass as it stands.

    Returns
    -------
    Lean or NoAnswer
        The reason, where it meets nothing before it lies flat, or begins within the others.
    """
    axis = np.cross([0.0, 0, 1], toward)
    reach = float(np.linalg.norm(upright.vertices - pivot, axis=1).max())
    angle = 0.0
    for _ in range(MOST_STEPS):
        turn, shift = _leaning(upright, pivot, axis, angle, floor_m)
        gap, where = _gap(upright, turn, shift, others)
        if gap < TOUCHING_M:
            if angle == 0:
                return NoAnswer("it already touches; move it away first, then let it lean")
            held = is_held(upright.vertices @ turn.T + shift, turn @ mass + shift, [where], floor_m)
            return Lean(float(np.degrees(angle)), gap, held)
        # Each point goes round by at most the reach, and up or down with the lowest one by as much again.
        angle += gap / (2 * reach)
        if angle > np.pi / 2:
            return NoAnswer("leaning that way it lies flat before it touches anything; turn it or move it nearer")
    return NoAnswer("it can’t be brought to touch")


def _leaning(upright: Body, pivot: Array, axis: Array, angle: float, floor_m: float) -> tuple[Array, Array]:
    turn = np.asarray(Rotation.from_rotvec(angle * axis).as_matrix())
    shift = pivot - turn @ pivot
    lowest = float((upright.vertices @ turn[2]).min() + shift[2])
    return turn, shift + [0, 0, floor_m - lowest]


def is_held(vertices: Array, mass: Array, contacts: list[Array], floor_m: float) -> bool:
    """Whether a centre of mass is plumb above what holds a body: its lowest points and other contacts."""
    feet = vertices[vertices[:, 2] < floor_m + 2e-4][:, :2]
    points = np.concatenate([feet, *[np.asarray(at)[None, :2] for at in contacts]]) if contacts else feet
    # A line of contact is as wide as the hair that any edge is rounded by.
    hair = 1e-3 * np.array([[1, 0], [-1, 0], [0, 1], [0, -1]])
    return _inside((points[:, None] + hair).reshape(-1, 2), mass[:2], 0.0)
