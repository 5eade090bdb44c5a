"""Who walks where: people followed from frame to frame, their feet on the ground, before or behind the models."""

from __future__ import annotations

from dataclasses import dataclass, replace
from statistics import median
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.footage.front import Front
from lithopos.core.footage.shake import inverse
from lithopos.core.shot import Passing

FEET, HEAD = 0.03, 0.15  # of somebody's height: where they touch the ground; by which it is told where they are
SOLID = 0.5
ALIKE = 0.25  # of the smaller box that two must share, to be the same from frame to frame
ALIKE_SIZE = 0.2  # of the larger box: a speck beside somebody is somebody else
AROUND_S = 4  # frames before and after by which a distance is told
NEAREST_M = 0.2
KNOWN, HIDDEN = 3, 40  # frames in which somebody must have been seen to be followed while they cross; frames of that
STRIDE = 12  # frames by which their way and how far they reach are told
WITHIN = 0.5  # of somebody's box that must lie in another's

__all__ = ["Person", "before_of", "followed", "people_in"]


@dataclass(frozen=True)
class Person:
    """Somebody in a frame.

    Attributes
    ----------
    label : their number in the frame's front; `track` the same in all frames, from 0.
    box : left, upper, right, lower [px].
    foot : where they touch the ground [px]; None where they are cut off below.
    distance_m : of their foot from the camera, level; None where it can't be told.
    side : told by hand; None: as their feet say.
    head_px : x of their uppermost part.
    core : left and right [px] of what surely is theirs while they cross somebody who has the same number then; `box` is
        all that they may reach, each by the way they went; None: they are alone.
    """

    frame: int
    label: int
    box: tuple[int, int, int, int]
    foot: tuple[float, float] | None
    distance_m: float | None = None
    track: int = -1
    side: str | None = None
    head_px: float = 0.0
    core: tuple[int, int] | None = None


def people_in(front: Front, frame: int, camera: Pinhole | None, lies: Array) -> list[Person]:
    """Everybody in a frame, with their distance where a camera is known.

    Parameters
    ----------
    lies : (2, 3) from the plate's pixels, which the camera is for, to the frame's.
    """
    found = []
    # With equality, so that a front that was rounded to codes when it was kept tells the same.
    solid = np.where(front.alpha >= SOLID, front.labels, 0)
    height = solid.shape[0]
    boxes: list[Any] = ndimage.find_objects(solid)  # None for a number that is not there
    for number, box in enumerate(boxes, 1):
        if box is None:  # somebody so small that no pixel is wholly theirs
            continue
        rows, columns = box
        inside = solid[box] == number
        bounds = (columns.start, rows.start, columns.stop, rows.stop)
        lowest, highest = (max(1, round(share * inside.shape[0])) for share in (FEET, HEAD))
        ends = (np.nonzero(part)[1] for part in (inside[-lowest:], inside[:highest]))
        foot_px, head_px = (float(columns.start + x.mean() + 0.5) for x in ends)
        if rows.stop >= height - 1:
            found.append(Person(frame, number, bounds, None, head_px=head_px))
            continue
        foot = (foot_px, float(rows.stop))
        found.append(Person(frame, number, bounds, foot, _distance(foot, camera, lies), head_px=head_px))
    return found


def _distance(foot: tuple[float, float], camera: Pinhole | None, lies: Array) -> float | None:
    if camera is None:
        return None
    back = inverse(lies)
    at = back[:, :2] @ (np.array(foot) - 0.5) + back[:, 2] + 0.5
    ground = camera.ground_points(at[None])[0]
    if not np.isfinite(ground).all():
        return None
    away = float(np.linalg.norm(ground[:2] - camera.position[:2]))
    return away if away > NEAREST_M else None


def followed(frames: list[list[Person]], passings: list[Passing]) -> list[list[Person]]:
    """Everybody with the number of their track, a distance that does not jump, and the side told by hand."""
    tracks: list[list[Person]] = []
    open_: dict[int, Person] = {}
    for people in frames:
        taken: dict[int, Person] = {}
        for person in sorted(people, key=lambda one: -_area(one.box)):
            fitting = [(_alike(person.box, old.box), track) for track, old in open_.items() if track not in taken]
            alike, track = max(fitting, default=(0.0, -1))
            if alike == 0:
                track = len(tracks)
                tracks.append([])
            taken[track] = replace(person, track=track)
        taken |= _crossing(taken, tracks, [track for track in open_ if track not in taken])
        for track, person in taken.items():
            tracks[track].append(person)
        # Somebody who is hidden for a moment goes on.
        open_ = {track: old for track, old in open_.items() if people and people[0].frame - old.frame <= 3} | taken
    made: dict[int, list[Person]] = {people[0].frame: [] for people in frames if people}
    pointed = [(passing, _pointed_at(tracks, passing)) for passing in passings]
    for track, people in enumerate(tracks):
        said = [passing for passing, at in pointed if at == track]
        for number, person in enumerate(people):
            near = people[max(0, number - AROUND_S) : number + AROUND_S + 1]
            told = [one.distance_m for one in near if one.distance_m is not None]
            side = next((one.side for one in said if one.first <= person.frame <= one.last), None)
            made[person.frame].append(replace(person, distance_m=median(told) if told else None, side=side))
    return [made.get(people[0].frame, []) if people else [] for people in frames]


def _crossing(taken: dict[int, Person], tracks: list[list[Person]], missed: list[int]) -> dict[int, Person]:
    """Who of those that are missed should be where another one is seen, and that one, each where they should be.

    While two cross they are one in the picture. Each is as far away then as when they were last seen alone.
    """
    made: dict[int, Person] = {}
    frame = next((one.frame for one in taken.values()), 0)
    for track in missed:
        here = _expected(tracks[track], frame)
        if here is None:
            continue
        for other, seen in taken.items():
            if _shared(here.box, seen.box) >= WITHIN * _area(here.box):
                made[track] = replace(here, label=seen.label)
                if other not in made:
                    there = _expected(tracks[other], frame) or replace(seen, core=(seen.box[0], seen.box[2]))
                    made[other] = replace(there, label=seen.label)
                break
    return made


def _expected(track: list[Person], frame: int) -> Person | None:
    """Where somebody should be in a frame by the way they went when they were last seen alone; None: long ago."""
    alone = [one for one in track if one.core is None][-STRIDE:]
    if len(alone) < KNOWN or frame - alone[-1].frame > HIDDEN:
        return None
    head = np.array([one.head_px for one in alone])
    x = float(np.polyval(np.polyfit([one.frame for one in alone], head, 1), frame))
    boxes = np.array([one.box for one in alone])
    left, right = head - boxes[:, 0], boxes[:, 2] - head
    # A nearer one is at least as wide as when they were narrowest.
    core = round(x - left.min()), round(x + right.min())
    box = (round(x - left.max()), alone[-1].box[1], round(x + right.max()), alone[-1].box[3])
    # Of several frames: in a single one a foot may be lifted.
    told = [one.distance_m for one in alone if one.distance_m is not None]
    distance_m = median(told) if told else None
    return replace(alone[-1], frame=frame, box=box, distance_m=distance_m, head_px=x, core=core)


def _pointed_at(tracks: list[list[Person]], passing: Passing) -> int | None:
    """The track of whom something was told by hand; of those who cross it is who has that pixel, as `_whose` says."""
    x, y = passing.at
    there = [one for people in tracks for one in people if one.frame == passing.frame]
    there = sorted((one for one in there if _within(x, one.box[::2]) and _within(y, one.box[1::2])), key=_away)
    surely = [one for one in there if one.core is None or _within(x, one.core)]
    return next((one.track for one in (*surely, *reversed(there))), None)


def _within(value: float, ends: tuple[int, ...]) -> bool:
    return ends[0] <= value <= ends[1]


def _area(box: tuple[int, int, int, int]) -> int:
    return (box[2] - box[0]) * (box[3] - box[1])


def _shared(a: tuple[int, int, int, int], b: tuple[int, int, int, int]) -> int:
    """What two boxes have in common [px²]."""
    return max(0, min(a[2], b[2]) - max(a[0], b[0])) * max(0, min(a[3], b[3]) - max(a[1], b[1]))


def _alike(a: tuple[int, int, int, int], b: tuple[int, int, int, int]) -> float:
    """How much of what two boxes cover is common to both; 0 where they are not one's in two frames."""
    shared, (less, more) = _shared(a, b), sorted((_area(a), _area(b)))
    same = shared >= ALIKE * less and less >= ALIKE_SIZE * more
    return shared / max(1, less + more - shared) if same else 0.0


def before_of(
    people: list[Person], front: Front, depth_m: Floats, level_m: Floats, corner: tuple[int, int] = (0, 0)
) -> Floats:
    """Whether (H, W) whoever is at a pixel is before the model that is seen there, 1, or behind it, 0.

    Parameters
    ----------
    depth_m : (H, W) how far away the models are seen; 0 where none is.
    level_m : (H, W) which share of a pixel's way is level: a body stands upright over its foot.
    corner : where in the frame, x and y, all of these begin.
    """
    before = np.zeros(front.alpha.shape, np.float32)
    for label in {one.label for one in people}:
        those = sorted((one for one in people if one.label == label), key=_away)
        mine = front.labels == label
        whose = _whose(those, mine.shape, corner) if len(those) > 1 else None
        for place, person in enumerate(those):
            here = mine if whose is None else mine & (whose == place)
            if person.side is not None:
                before[here] = 1.0 if person.side == "before" else 0.0
            elif person.distance_m is None:
                # Cut off below they stand nearer than all that is seen to its foot.
                before[here] = 1.0 if person.foot is None else 0.0
            else:
                before[here & (depth_m * level_m > person.distance_m)] = 1.0
    return before


def _whose(crossing: list[Person], shape: tuple[int, ...], corner: tuple[int, int]) -> NDArray[np.intp]:
    """Whose of people who cross, the nearest first, each pixel (H, W) is.

    A farther one has what they may reach, but for what surely is a nearer one's; the nearest has all the rest.
    """
    whose = np.zeros(shape, np.intp)
    free = np.ones(shape[1], bool)
    x, y = corner
    for place, person in enumerate(crossing):
        left, upper, right, lower = (max(0, one) for one in np.subtract(person.box, (x, y, x, y)).tolist())
        if place:
            part = whose[upper:lower, left:right]
            part[:, free[left:right]] = np.maximum(part[:, free[left:right]], place)
        if person.core:
            free[max(0, person.core[0] - x) : max(0, person.core[1] - x)] = False
    return whose


def _away(person: Person) -> float:
    """How far away somebody is in the order of who hides whom."""
    if person.distance_m is not None:
        return person.distance_m
    return 0.0 if person.foot is None else float("inf")
