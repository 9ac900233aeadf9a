"""Design temperatures where nobody knows better: a guess from latitude and altitude, on the safe
side, and always marked as one.
"""

from __future__ import annotations

LAPSE_C_KM = 6.5  # International Standard Atmosphere, ISO 2533


def guessed_c(latitude_deg: float, altitude_m: float) -> dict[str, float]:
    """Guesses in °C of the lowest temperature, the hottest air at the array, and at the wall.

    The lowest falls by 1.1 °C a degree of latitude from 20 °C near the equator (the inland side of
    each latitude, so that coasts are
    milder); the hottest is 40 °C up to 35° and falls by 0.4 °C a degree beyond. Common practice,
    from memory; replaced by any known value.

    >>> guessed_c(40, 0)
    {'t_min_c': -17.0, 't_roof_c': 38.0, 't_wall_c': 38.0}
    """
    away = abs(latitude_deg)
    higher = LAPSE_C_KM * max(0.0, altitude_m) / 1000
    cold = min(20.0, 27.0 - 1.1 * away) - higher
    hot = 40.0 - 0.4 * max(0.0, away - 35.0) - higher
    return {
        "t_min_c": round(max(-60.0, cold), 1),
        "t_roof_c": round(max(15.0, hot), 1),
        "t_wall_c": round(max(15.0, hot), 1),
    }
