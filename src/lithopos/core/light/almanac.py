"""Where the sun stood: from date, time and place, and back from the sun to the time.

Meeus, Astronomical Algorithms (1998): the sun's place (chapter 25, 0.01°), nutation in longitude and obliquity
(chapter 22, the low-accuracy terms), sidereal time (equation 12.4), horizontal coordinates (13.5, 13.6) and parallax
in altitude (chapter 40); refraction by Sæmundsson (equation 16.4) at 1010 hPa and 10 °C.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta, tzinfo
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import numpy as np
from numpy.typing import ArrayLike
from tzfpy import get_tz

from lithopos.core.arrays import Array
from lithopos.core.errors import InputError

_J2000 = datetime(2000, 1, 1, 12, tzinfo=UTC)
_DELTA_T_S = 69.0  # of terrestrial over universal time, in these years; a minute more moves the sun by 0.0007°
_PARALLAX_DEG = 8.794 / 3600
_MINUTES = 24 * 60

__all__ = ["PossibleTime", "sun_position", "times_of", "zone_of"]


@dataclass(frozen=True)
class PossibleTime:
    """A moment at which the sun stood at a height, and its compass direction then, clockwise from north [deg]."""

    at: datetime
    azimuth_deg: float


def sun_position(at: datetime, latitude_deg: float, longitude_deg: float) -> tuple[float, float]:
    """The sun's azimuth, clockwise from north, and its elevation above the horizon as it is seen [deg].

    Parameters
    ----------
    at : with a zone.
    latitude_deg, longitude_deg : north and east are positive.
    """
    if at.tzinfo is None:
        raise InputError("time", "has no time zone")
    days = (at - _J2000) / timedelta(days=1)
    azimuth, elevation = _positions(np.array([days]), latitude_deg, longitude_deg)
    return float(azimuth[0]), float(elevation[0])


def times_of(
    elevation_deg: float, day: date, zone: tzinfo, latitude_deg: float, longitude_deg: float
) -> list[PossibleTime]:
    """The moments of a day, at most two, at which the sun stood at a height above the horizon.

    Parameters
    ----------
    zone : the day's zone, in which the moments are told.
    """
    midnight = datetime.combine(day, time(), zone)
    start = (midnight - _J2000) / timedelta(days=1)
    minutes = np.arange(_MINUTES + 1, dtype=float)
    _, seen = _positions(start + minutes / _MINUTES, latitude_deg, longitude_deg)
    above = seen - elevation_deg
    found = []
    for first in np.flatnonzero(np.sign(above[:-1]) * np.sign(above[1:]) < 0):
        # Within a minute the height goes straight.
        share = above[first] / (above[first] - above[first + 1])
        passed = timedelta(minutes=float(minutes[first] + share))
        at = (midnight.astimezone(UTC) + passed).astimezone(zone)
        found.append(PossibleTime(at, sun_position(at, latitude_deg, longitude_deg)[0]))
    return found


def zone_of(name: str | None, latitude_deg: float, longitude_deg: float) -> tuple[tzinfo, str]:
    """A time zone, and its name: the named one, or the one at a place.

    Parameters
    ----------
    name : of the zones' database, `Europe/Lisbon`, or an offset, `+02:00`.

    Raises
    ------
    InputError
        If there is no such zone.
    """
    called = name or get_tz(longitude_deg, latitude_deg) or "UTC"
    try:
        if called[:1] in "+-":
            offset = datetime.strptime(called, "%z").tzinfo
            if offset is not None:
                return offset, called
        return ZoneInfo(called), called
    except (ValueError, ZoneInfoNotFoundError, OSError) as error:
        raise InputError("zone", f"{called!r} is no time zone; give one such as Europe/Lisbon or +02:00") from error


def _positions(days: Array, latitude_deg: float, longitude_deg: float) -> tuple[Array, Array]:
    """Azimuth and elevation [deg] for days since J2000 (N,), universal time."""
    centuries = (days + _DELTA_T_S / 86400) / 36525
    right_ascension, declination, equinoxes = _place_in_the_sky(centuries)
    # Mean sidereal time (12.4) with the equation of the equinoxes.
    t = days / 36525
    sidereal = 280.46061837 + 360.98564736629 * days + 0.000387933 * t**2 - t**3 / 38710000 + equinoxes
    hour = np.radians((sidereal + longitude_deg) % 360) - right_ascension
    phi = np.radians(latitude_deg)
    south = np.cos(hour) * np.sin(phi) - np.tan(declination) * np.cos(phi)
    azimuth = np.degrees(np.arctan2(np.sin(hour), south)) + 180
    true = np.degrees(np.arcsin(np.sin(phi) * np.sin(declination) + np.cos(phi) * np.cos(declination) * np.cos(hour)))
    true = true - _PARALLAX_DEG * np.cos(np.radians(true))
    return azimuth % 360, true + _refraction_deg(true)


def _place_in_the_sky(t: Array) -> tuple[Array, Array, Array]:
    """Right ascension, declination [rad] and the equation of the equinoxes [deg] at Julian centuries since J2000."""
    longitude = 280.46646 + 36000.76983 * t + 0.0003032 * t**2
    anomaly = np.radians(357.52911 + 35999.05029 * t - 0.0001537 * t**2)
    centre = (
        (1.914602 - 0.004817 * t - 0.000014 * t**2) * np.sin(anomaly)
        + (0.019993 - 0.000101 * t) * np.sin(2 * anomaly)
        + 0.000289 * np.sin(3 * anomaly)
    )
    node = np.radians(125.04452 - 1934.136261 * t)
    moon = np.radians(218.3165 + 481267.8813 * t)
    sun = np.radians(longitude)
    nutation = (
        -17.20 * np.sin(node) - 1.32 * np.sin(2 * sun) - 0.23 * np.sin(2 * moon) + 0.21 * np.sin(2 * node)
    ) / 3600
    tilted = (9.20 * np.cos(node) + 0.57 * np.cos(2 * sun) + 0.10 * np.cos(2 * moon) - 0.09 * np.cos(2 * node)) / 3600
    obliquity = np.radians(23.4392911 - 0.0130042 * t - 1.64e-7 * t**2 + tilted)
    seen = np.radians(longitude + centre + nutation - 20.4898 / 3600)
    right_ascension = np.arctan2(np.cos(obliquity) * np.sin(seen), np.cos(seen))
    return right_ascension, np.arcsin(np.sin(obliquity) * np.sin(seen)), nutation * np.cos(obliquity)


def _refraction_deg(true_deg: ArrayLike) -> Array:
    """How much higher than it is a thing above the horizon is seen [deg]; nothing far below it."""
    height = np.asarray(true_deg, float)
    lifted = 1.02 / 60 / np.tan(np.radians(height + 10.3 / (height + 5.11)))
    return np.where(height > -1, lifted, 0.0)
