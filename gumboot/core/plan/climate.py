"""Design temperatures where nobody knows better: a guess from where a place lies and how high, on
the safe side, and always marked as one.
"""

from __future__ import annotations

from typing import NamedTuple

LAPSE_C_KM = 6.5  # International Standard Atmosphere, ISO 2533
LAPSE_HOT_C_KM = 2.0  # high plains are hardly cooler by day: common practice, from memory


class Land(NamedTuple):
    """A stretch of land by degrees north and east, with its lowest temperature at its first degree
    of latitude away from the equator and at the sea's height, what it falls by for each further
    one, and how high in m it lies where nobody says.
    """

    north: tuple[float, float]
    east: tuple[float, float]
    cold_c: float
    falls_c: float
    high_m: float = 0.0


# Means of each year's lowest (ASHRAE), from memory, the colder side of each; the first that holds.
LANDS = (
    Land((32, 60), (-130, -121.4), 5.0, 0.95),  # the Pacific coast of North America
    Land((31, 49), (-121.4, -114.5), -3.0, 0.95, 700),  # between its ranges
    Land((31, 55), (-114.5, -102), -5.6, 1.62, 1000),  # its mountains and high plains
    Land((30, 60), (-121.4, -60), -4.0, 1.62, 200),  # its inland
    Land((15, 31), (-108, -96), 9.0, 0.8, 1900),  # the plateau of Mexico
    Land((45, 60), (-11, 4), -10.0, 0.4),  # the isles and Atlantic coasts of Europe
    Land((57, 66), (4, 9), -12.0, 0.6),  # the coast of Norway
    Land((56, 66), (9, 32), -20.0, 1.4),  # the North
    Land((45, 57), (4, 16), -15.0, 0.4, 300),  # the middle of Europe
    Land((45, 57), (16, 45), -20.0, 1.0),  # its east
    Land((39, 43), (-7, -1), -5.0, 1.0, 700),  # the plateau of Spain
    Land((35, 45), (-10, 15), -1.0, 1.0),  # Europe's south
    Land((35, 45), (15, 30), -6.0, 1.2),  # the Balkans
    Land((30, 42), (30, 62), -2.0, 1.2, 1200),  # Anatolia and Iran
    Land((28, 40), (75, 102), 0.0, 1.2, 3000),  # Tibet
    Land((40, 66), (45, 127), -22.0, 1.9),  # Asia inland
    Land((-4, 14), (34, 42), 18.0, 0.0, 1800),  # the highlands of East Africa
    Land((-31, -22), (24, 32), 2.0, 0.8, 1500),  # the highveld
    Land((-31, -21), (118, 148), 2.0, 0.8, 400),  # inland Australia
    Land((-24, 6), (-79, -65), 18.0, 0.2, 2600),  # the Andes
    Land((-56, -24), (-180, 180), 2.0, 0.8),  # beyond the southern tropic
)
HOT = (  # °C in the hottest hours of deserts, by degrees north and east: ASHRAE 2 %, from memory
    ((31, 37), (-118, -110), 43.0),
    ((15, 33), (-12, 35), 45.0),
    ((15, 36), (35, 62), 47.0),
    ((22, 33), (62, 78), 44.0),
)


def guessed_c(
    latitude_deg: float, altitude_m: float | None, longitude_deg: float | None = None
) -> dict[str, float]:
    """Guesses in °C of the lowest temperature, the hottest air at the array, and at the wall.

    By the stretch of land that a place lies in, at its usual height where none is known. Elsewhere,
    or where its longitude is not known, the lowest falls by 1.1 °C a degree of latitude from 18 °C
    near the equator. The hottest is 40 °C up to 35° and falls by 0.4 °C a degree beyond; more in
    deserts. Common practice, from memory; replaced by any known value.

    >>> guessed_c(40, 0)
    {'t_min_c': -17.0, 't_roof_c': 38.0, 't_wall_c': 38.0}
    >>> guessed_c(51.5, 20, -2.6)["t_min_c"], guessed_c(45, 250, -93.3)["t_min_c"]
    (-12.7, -29.9)
    """
    away, high = abs(latitude_deg), altitude_m or 0.0
    cold = min(18.0, 27.0 - 1.1 * away)
    hot = 40.0 - 0.4 * max(0.0, away - 35.0)
    if longitude_deg is not None:
        at = (latitude_deg, longitude_deg)
        if land := next((x for x in LANDS if _inside(at, x.north, x.east)), None):
            south, north = land.north
            first = 0.0 if south < 0 < north else min(abs(south), abs(north))
            cold = land.cold_c - land.falls_c * (away - first)
            high = land.high_m if altitude_m is None else high
        hot = max(hot, *(c if _inside(at, north, east) else hot for north, east, c in HOT))
    km = max(0.0, high) / 1000
    warm = round(max(15.0, hot - LAPSE_HOT_C_KM * max(0.0, altitude_m or 0.0) / 1000), 1)
    low = round(max(-60.0, cold - LAPSE_C_KM * km), 1)
    return {"t_min_c": low, "t_roof_c": warm, "t_wall_c": warm}


def _inside(at: tuple[float, float], north: tuple[float, float], east: tuple[float, float]) -> bool:
    return north[0] <= at[0] <= north[1] and east[0] <= at[1] <= east[1]
