"""What the array gives, by pvlib: sun, sky, plane, cell, module, inverter.

Without a weather file the sky is clear and every component is multiplied by one stated factor: the
year's sum is then right and no day is
dull, so that nights in a row without sun do not show. A TMY3 or EPW file has them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gumboot.core.energy.calendar import STEP_S, Calendar
from gumboot.core.energy.clearness import daily
from gumboot.core.kit import Catalogue
from gumboot.core.plan import Plan, Site

Series = NDArray[np.float64]
# soiling, mismatch, wiring, connections, ageing: the sum of PVWatts version 5, NREL/TP-6A20-62641,
# table 2
LOSSES = 0.14
ETA_INVERTER = 0.96  # nominal, the same report
GAMMA_POWER = -0.0035  # of power a °C, crystalline silicon: common practice, from memory
AEROSOL, WATER_CM = (
    (0.15, 0.1),
    1.5,
)  # optical depth at 380 and 500 nm, water in the air: a clear day inland, common practice
NOCT_RISE = {
    "roof": (20.0, 4.0),
    "rack": (25.0, 6.84),
}  # heat loss a plane, W/m²K and with wind: Faiman 2008 for a rack; a roof has less, from memory


@dataclass(frozen=True, eq=False)
class Weather:
    """A year of hourly weather in standard time, each of shape (8760,): W/m² global, direct normal,
    diffuse; air °C; wind m/s.
    """

    ghi: Series
    dni: Series
    dhi: Series
    air_c: Series
    wind: Series


@dataclass(frozen=True, eq=False)
class Face:
    """Modules that face one way: W at standard conditions, degrees. controller: the charge
    controller that they are on, from 1; 0 where they are on none.
    """

    watts: float
    tilt_deg: float
    azimuth_deg: float
    mounting: str
    controller: int = 0


def faces_of(plan: Plan, catalogue: Catalogue) -> list[Face]:
    """Strings that face alike, those of each charge controller apart; and, last, the array of each
    PV inverter beside the units.
    """
    sums: dict[tuple[float, float, str, int], float] = {}
    for s in plan.strings:
        key = (s.tilt_deg, s.azimuth_deg, s.mounting, s.controller)
        module = catalogue.modules.get(plan.module_of(s) or "")
        sums[key] = sums.get(key, 0.0) + s.count * (module.p_max_w if module else 0.0)
    faces = [Face(w, *key) for key, w in sums.items()]
    beside = (
        Face(pv.array_w or pv.power_w, pv.tilt_deg, pv.azimuth_deg, "roof")
        for pv in plan.kit.pv_inverters
    )
    return [*faces, *beside]


def sky(
    site: Site, cal: Calendar, weather: Weather | None, climate_factor: float, year_no: int = 0
) -> Any:
    """A pandas table of ghi, dni, dhi in W/m², air °C, wind m/s and the sun's place for each step's
    middle. Without weather the days of the job's own synthetic year, or of another one.

    Raises ValueError when the site has no latitude.
    """
    table = _bare(site, cal, weather)
    return table if weather else clouded(table, site, climate_factor, year_no)


def clouded(clear: Any, site: Site, climate_factor: float, year_no: int = 0) -> Any:
    """A clear sky's table under the days of a synthetic year: the job's own, or another one."""
    seed = f"{site.name} {site.latitude_deg}{f' {year_no}' if year_no else ''}"
    days = np.repeat(daily(climate_factor, seed), 96)[: len(clear)]
    out = clear.copy()
    for k in ("ghi", "dni", "dhi"):
        out[k] *= days
    return out


def clear_sky(site: Site, cal: Calendar) -> Any:
    """The table of a year without a cloud. Raises ValueError when the site has no latitude."""
    return _bare(site, cal, None)


def _bare(site: Site, cal: Calendar, weather: Weather | None) -> Any:
    import pandas as pd
    import pvlib

    if site.latitude_deg is None:
        raise ValueError("no latitude")
    middle = pd.to_datetime(cal.start + STEP_S // 2, unit="s", utc=True)
    longitude = site.longitude_deg if site.longitude_deg is not None else cal.offset_s / 240
    place = pvlib.location.Location(site.latitude_deg, longitude, altitude=site.altitude_m or 0.0)
    sun = place.get_solarposition(middle)
    if weather is None:
        pressure, extra = (
            pvlib.atmosphere.alt2pres(site.altitude_m or 0.0),
            pvlib.irradiance.get_extra_radiation(middle),
        )
        airmass = pvlib.atmosphere.get_relative_airmass(sun.apparent_zenith)
        bird = pvlib.clearsky.bird(
            sun.apparent_zenith, airmass, *AEROSOL, WATER_CM, pressure=pressure, dni_extra=extra
        )
        table = (
            pd.DataFrame({k: bird[k] for k in ("ghi", "dni", "dhi")}).fillna(0.0).clip(lower=0.0)
        )
        table["air"], table["wind"] = assumed_air(site, cal), 1.0
    else:
        hourly = {
            "ghi": weather.ghi,
            "dni": weather.dni,
            "dhi": weather.dhi,
            "air": weather.air_c,
            "wind": weather.wind,
        }
        table = pd.DataFrame({k: np.repeat(v, 4) for k, v in hourly.items()}, index=middle)
    return table.join(sun[["apparent_zenith", "azimuth"]].set_axis(middle))


def assumed_air(site: Site, cal: Calendar) -> Series:
    """Air temperature in °C where no weather is given: a yearly and a daily wave between the site's
    coldest and hottest. Common practice.
    """
    mean, swing = (site.t_min_c + site.t_roof_c) / 2 + 3, (site.t_roof_c - site.t_min_c) / 4
    hour = (cal.start + cal.offset_s) % 86400 / 3600
    day = np.arange(len(cal.start)) / 96
    north = 1.0 if (site.latitude_deg or 0) >= 0 else -1.0
    return np.asarray(
        mean
        + north * swing * np.cos(2 * np.pi * (day - 201) / 365)
        + 5 * np.cos(2 * np.pi * (hour - 15) / 24)
    )


def face_power(face: Face, table: Any, cal: Calendar) -> Series:
    """AC power in W of a face before the inverter's limit, each step: plane by Hay and Davies, cell
    by Faiman, module by PVWatts.
    """
    import pvlib

    extra = pvlib.irradiance.get_extra_radiation(table.index)
    plane = pvlib.irradiance.get_total_irradiance(
        face.tilt_deg,
        face.azimuth_deg,
        table.apparent_zenith,
        table.azimuth,
        table.dni,
        table.ghi,
        table.dhi,
        dni_extra=extra,
        model="haydavies",
    ).poa_global.fillna(0.0)
    u0, u1 = NOCT_RISE[face.mounting]
    cell = pvlib.temperature.faiman(plane, table.air, table.wind, u0, u1)
    dc = pvlib.pvsystem.pvwatts_dc(plane, cell, face.watts, GAMMA_POWER)
    return np.asarray(np.maximum(0.0, np.asarray(dc, float)) * (1 - LOSSES) * ETA_INVERTER)
