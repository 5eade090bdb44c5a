"""How light from all around is turned: by angles, or by pointing at the same things in it and in the photograph."""

from __future__ import annotations

import numpy as np

from lithopos.core.arrays import Array

__all__ = ["angles_of", "rotation_of", "turned_by"]


def rotation_of(turn_deg: float, pitch_deg: float, roll_deg: float) -> Array:
    """(3, 3) from a panorama's own directions to the world's: about x by roll, then y by pitch, then z by turn."""
    (ct, cp, cr), (st, sp, sr) = (f(np.radians([turn_deg, pitch_deg, roll_deg])) for f in (np.cos, np.sin))
    about_z = np.array([[ct, -st, 0], [st, ct, 0], [0, 0, 1]])
    about_y = np.array([[cp, 0, sp], [0, 1, 0], [-sp, 0, cp]])
    about_x = np.array([[1, 0, 0], [0, cr, -sr], [0, sr, cr]])
    return np.asarray(about_z @ about_y @ about_x)


def angles_of(rotation: Array) -> tuple[float, float, float]:
    """Turn, pitch and roll [deg] of a rotation."""
    turn = np.arctan2(rotation[1, 0], rotation[0, 0])
    pitch = np.arcsin(np.clip(-rotation[2, 0], -1, 1))
    roll = np.arctan2(rotation[2, 1], rotation[2, 2])
    turn_deg, pitch_deg, roll_deg = (float(np.degrees(angle)) for angle in (turn, pitch, roll))
    return turn_deg, pitch_deg, roll_deg


def turned_by(ways: Array, rays: Array, pitch_deg: float = 0.0, roll_deg: float = 0.0) -> tuple[Array, float]:
    """The rotation that brings directions of a panorama onto those of the photograph, and how far they stay apart.

    Two or more fix all of it (Wahba's problem by singular values: Markley 1988, Attitude determination using vector
    observations and the singular value decomposition); one turns it about the vertical only.

    Parameters
    ----------
    ways, rays : (N, 3) unit vectors, in the panorama's own frame and in the world.
    pitch_deg, roll_deg : how it is tilted, where one pair must leave that as it is.

    Returns
    -------
    rotation, off_deg : (3, 3) and the root mean square angle that is left.
    """
    if len(ways) == 1:
        own = rotation_of(0.0, pitch_deg, roll_deg) @ ways[0]
        turn = np.arctan2(rays[0, 1], rays[0, 0]) - np.arctan2(own[1], own[0])
        return rotation_of(float(np.degrees(turn)), pitch_deg, roll_deg), 0.0
    u, _, vt = np.linalg.svd(rays.T @ ways)
    rotation = u @ np.diag([1.0, 1.0, np.linalg.det(u) * np.linalg.det(vt)]) @ vt
    apart = np.arccos(np.clip((rays * (ways @ rotation.T)).sum(1), -1, 1))
    return rotation, float(np.degrees(np.sqrt((apart**2).mean())))
