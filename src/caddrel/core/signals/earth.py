"""Distances on the earth."""

from __future__ import annotations

from math import asin, cos, radians, sin, sqrt

# The mean radius of the IUGG, kilometres.
RADIUS_KM = 6371.0088


def great_circle_km(here: tuple[float, float], there: tuple[float, float]) -> float:
    """Return the great-circle distance of two points by the haversine formula.

    Parameters
    ----------
    here, there
        Latitude and longitude in degrees.
    """
    lat1, lon1, lat2, lon2 = (radians(x) for x in (*here, *there))
    half = sin((lat2 - lat1) / 2) ** 2 + cos(lat1) * cos(lat2) * sin((lon2 - lon1) / 2) ** 2
    return 2 * RADIUS_KM * asin(min(1.0, sqrt(half)))
