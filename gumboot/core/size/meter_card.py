"""The meter card: what a string's open-circuit voltage should be now, and what a reading says.

    V_now = n · V_oc · (1 + beta·(T_cell − 25) + a·ln(G / 1000))

A whole module more or less shows as a step of 1/n; reversed polarity as the sign; two strings
crossed as each other's
expected value.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given, solve
from gumboot.core.basis.formula import Formula
from gumboot.core.kit import Module
from gumboot.core.size.strings import GAMMA_ASSUMED, RISE_C, T_STC

LIGHT_LEAST = 100.0  # W/m²: below it the reading says little, common practice
BAND_MEASURED, BAND_AIR = (
    0.05,
    0.07,
)  # IEC 62446-1 6.4 compares within 5 %; more when the cells' temperature is guessed from the air
A_LIGHT = given(
    "a",
    0.05,
    "",
    "Rise of V_oc with the logarithm of light",
    "form of IEC 60891; value found over pvlib's open crystalline module set",
)

NOW = Formula(
    "V_now",
    "n * V_oc * (1 + beta * (T_cell - T_STC) + a * log(G / 1000))",
    "V",
    "Open-circuit voltage now",
    "IEC 60891",
    doubt=MEMORY,
).knowing(T_STC, A_LIGHT)
CELL = Formula("T_cell", "T_air + dT * G / 1000", "°C", "Cell temperature", COMMON_PRACTICE)

Said = Literal["good", "reversed", "short", "over", "crossed", "dark", "off"]


@dataclass(frozen=True, slots=True)
class Weather:
    """What was read on site: irradiance in the array's plane in W/m²; air, and if measured cell,
    temperature in °C.
    """

    irradiance_w_m2: float
    air_c: float
    cell_c: float | None = None


@dataclass(frozen=True, slots=True)
class Expected:
    """What a string should show, and the band around it as a fraction."""

    letter: str
    modules: int
    v_now: Figure
    band: float

    @property
    def low(self) -> float:
        """The least good reading in V."""
        return self.v_now.n * (1 - self.band)

    @property
    def high(self) -> float:
        """The highest good reading in V."""
        return self.v_now.n * (1 + self.band)

    def holds(self, volts: float) -> bool:
        """Whether a reading lies in the band."""
        return self.low <= volts <= self.high


@dataclass(frozen=True, slots=True)
class Verdict:
    """What one reading says, in a word and a sentence."""

    letter: str
    said: Said
    why: str


def expected(
    letter: str, modules: int, mounting: str, module: Module, weather: Weather
) -> Expected:
    """Expected open-circuit voltage in V under the light and temperature typed. IEC 60891,
    simplified: no series resistance at open circuit.
    """
    n = given("n", modules, "", "Modules in series", "plan")
    if module.optimizer:
        one = given("V_off", module.optimizer.off_v, "V", "One until it may work", "its sheet")
        name = f"String {letter}, open, off"
        off = solve("V_now", "V", name, "n * V_off", n, one, source="optimizer's sheet")
        return Expected(letter, modules, off, 0.5 / modules)
    v_oc = given("V_oc", module.v_oc_v, "V", "Open-circuit voltage", "module sheet")
    slope = next(
        (x for x in (module.beta_voc_per_c, module.gamma_vmp_per_c) if x is not None), GAMMA_ASSUMED
    )
    beta = given("beta", slope, "1/°C", "Temperature coefficient of V_oc", "module sheet")
    g = given("G", weather.irradiance_w_m2, "W/m²", "Light in the array's plane", "read on site")
    if weather.cell_c is not None:
        t_cell, band = (
            given("T_cell", weather.cell_c, "°C", "Cell temperature", "read on site"),
            BAND_MEASURED,
        )
    else:
        air = given("T_air", weather.air_c, "°C", "Air temperature", "read on site")
        rise = given(
            "dT", RISE_C[mounting], "°C", f"Cell above air in full sun, {mounting}", COMMON_PRACTICE
        )
        t_cell, band = (
            CELL.figure(air, rise, g),
            BAND_AIR,
        )
    now = NOW.figure(n, v_oc, beta, t_cell, g, name=f"String {letter}, open, now")
    return Expected(letter, modules, now, band)


def judge(
    card: Mapping[str, Expected], readings: Mapping[str, float], irradiance_w_m2: float
) -> list[Verdict]:
    """What each reading in V says, all strings of the card looked at together."""
    return [
        _beside(card[k], volts, card, readings)
        or _verdict(card[k], volts, card, readings, irradiance_w_m2)
        for k, volts in readings.items()
        if k in card
    ]


ONE_MODULE = 0.6  # of a module beside the strings' own median is a module: common practice


def _beside(
    e: Expected, volts: float, card: Mapping[str, Expected], readings: Mapping[str, float]
) -> Verdict | None:
    """A string that is within its band and yet a module short beside the others: they were read in
    the same light. None where it is not, or where nothing stands beside it.
    """
    others = sorted(
        abs(v) * (e.v_now.n / e.modules) / (card[k].v_now.n / card[k].modules) / card[k].modules
        for k, v in readings.items()
        if k in card and k != e.letter and card[k].holds(abs(v))
    )
    if not others or not e.holds(abs(volts)) or volts < 0:
        return None
    middle = (
        others[len(others) // 2] if len(others) % 2 else sum(others[len(others) // 2 - 1 :][:2]) / 2
    )
    off = abs(volts) / middle - e.modules
    if off > -ONE_MODULE and not (off > ONE_MODULE and len(others) > 1):
        return None
    n = round(abs(volts) / middle)
    words = f"beside the other strings it reads like {n}, {e.modules} are planned"
    return Verdict(e.letter, "short" if off < 0 else "over", words)


def _verdict(
    e: Expected,
    volts: float,
    card: Mapping[str, Expected],
    readings: Mapping[str, float],
    light: float,
) -> Verdict:
    if light < LIGHT_LEAST:
        return Verdict(
            e.letter, "dark", f"too little light to tell: wait for {LIGHT_LEAST:g} W/m² or more"
        )
    back = "swap + and − before anything is plugged in" if volts < 0 else ""
    size = abs(volts)
    if e.holds(size):
        alone = sum(k in card for k in readings) < 2
        blind = (
            f"; a band of {e.band:.0%} does not show one of {e.modules} missing: read another"
            " string beside it, or the cells' own temperature"
            if alone and e.band * e.modules >= ONE_MODULE
            else ""
        )
        return Verdict(
            e.letter,
            "reversed" if back else "good",
            back or f"{e.low:.0f} to {e.high:.0f} V is expected{blind}",
        )
    also = f"; it is reversed too: {back}" if back else ""
    other = next(
        (
            x
            for k, x in card.items()
            if k != e.letter
            and (x.modules != e.modules or not x.holds(e.v_now.n))
            and x.holds(size)
            and e.holds(abs(readings.get(k, 0.0)))
        ),
        None,
    )
    if other:
        return Verdict(
            e.letter, "crossed", f"with string {other.letter}: each reads as the other should{also}"
        )
    step = e.v_now.n / e.modules
    n = round(size / step)
    if (
        n >= 1
        and n != e.modules
        and abs(size - n * step) <= max(e.band * n * step, 0.5 * step) * 0.999
    ):
        miss = abs(n - e.modules)
        words = (
            f"{miss} module{'s' if miss > 1 else ''} {'short' if n < e.modules else 'over'}: it"
            f" reads like {n}, {e.modules} are planned"
        )
        like = next((x for k, x in card.items() if k != e.letter and _reads_like(x, n, step)), None)
        hint = f"; or it is string {like.letter} under a wrong label" if like else ""
        return Verdict(e.letter, "short" if n < e.modules else "over", f"{words}{hint}{also}")
    return Verdict(
        e.letter,
        "off",
        f"{size:.0f} V is not what any count of modules gives: an open connector, shade, or a wrong"
        f" module{also}",
    )


def _reads_like(x: Expected, modules: int, step_v: float) -> bool:
    """Whether a string has so many modules, of so many V each now."""
    return x.modules == modules and abs(x.v_now.n / x.modules - step_v) < 0.02 * step_v
