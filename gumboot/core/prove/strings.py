"""What a string shows now, in the light there is: open volts and shorted amperes, with how far off
they may be; and the light and warmth that both hang on.

    V_now = n · V_oc · (1 + beta·(T_cell − 25) + a·ln(G / 1000))        IEC 60891, simplified
    I_now = I_sc · G / 1000 · (1 + alpha·(T_cell − 25))
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, given
from gumboot.core.basis.formula import Formula
from gumboot.core.kit import Module
from gumboot.core.plan import Plan, PvString
from gumboot.core.prove.band import Band, Known, combined, limits
from gumboot.core.prove.due import DEAD, Due
from gumboot.core.size.meter_card import CELL, LIGHT_LEAST, NOW, Expected
from gumboot.core.size.strings import GAMMA_ASSUMED, RISE_C, T_STC, StringDesign

ALPHA = 0.0005  # rise of shorted current a degree, crystalline silicon: common practice
SHEET = 0.03  # a module's tolerance on volts and amperes: common practice of sheets
LIGHT_OFF, CELL_OFF_C, AIR_OFF_C = 0.05, 2.0, 6.0  # of what is read: common practice
METER = 0.005  # of a multimeter on direct volts: common practice of its class
CLAMP = 0.02  # of a DC clamp, and one ampere's fifth beside: common practice
CLAMP_PLAIN_A = 0.2
SUN = 1367.0  # no array sees more for long: solar constant, W/m²

SHORTED = Formula(
    "I_now",
    "I_sc * G / 1000 * (1 + alpha * (T_cell - T_STC))",
    "A",
    "Short-circuit current now",
    "IEC 60891",
    doubt=MEMORY,
).knowing(T_STC)


@dataclass(frozen=True, slots=True)
class Sky:
    """What was read of light in the array's plane, W/m², and of the cells' or the air's warmth,
    °C; None where nobody read it.
    """

    light: float | None = None
    cell_c: float | None = None
    air_c: float | None = None

    @property
    def known(self) -> bool:
        """Whether it is enough to expect anything by."""
        warm = self.cell_c is not None or self.air_c is not None
        return warm and self.light is not None and self.light >= LIGHT_LEAST


def light_of(sky: Sky) -> Known:
    """The light as read."""
    g = given("G", sky.light or 0.0, "W/m²", "Light in the array's plane", "read on site")
    return limits(g, LIGHT_OFF)


def cell_of(sky: Sky, mounting: str) -> Known:
    """The cells' warmth: read, or from the air."""
    if sky.cell_c is not None:
        t = given("T_cell", sky.cell_c, "°C", "Cell temperature", "read on a cell's back")
        return limits(t, plain=CELL_OFF_C)
    air = given("T_air", sky.air_c or 0.0, "°C", "Air temperature", "read on site")
    rise = given(
        "dT", RISE_C[mounting], "°C", f"Cell above air in full sun, {mounting}", COMMON_PRACTICE
    )
    return limits(CELL.figure(air, rise, light_of(sky).figure), plain=AIR_OFF_C)


def open_volts(s: StringDesign, planned: PvString, sky: Sky) -> Band:
    """A string's open volts now."""
    name = f"String {s.letter}, open, now"
    return open_of(s.modules, s.module, cell_of(sky, planned.mounting), light_of(sky), name)


def open_of(modules: int, module: Module, cell: Known, light: Known, name: str = "") -> Band:
    """Open volts of so many modules in series."""
    slope = next(
        (x for x in (module.beta_voc_per_c, module.gamma_vmp_per_c) if x is not None), GAMMA_ASSUMED
    )
    n = given("n", modules, "", "Modules in series", "plan")
    v = given("V_oc", module.v_oc_v, "V", "Open-circuit voltage", "module sheet")
    beta = given("beta", slope, "1/°C", "Temperature coefficient of V_oc", "module sheet")
    inputs = (Known(n), limits(v, SHEET), limits(beta, 0.1), cell, light)
    meter = METER * modules * module.v_oc_v / 3**0.5
    return combined(NOW, *inputs, name=name, reading=meter)


def shorted_amps(s: StringDesign, planned: PvString, sky: Sky) -> Band:
    """A string's shorted amperes now."""
    name = f"String {s.letter}, shorted, now"
    all_rows = s.module.model_copy(update={"i_sc_a": s.rows * s.module.i_sc_a})
    return shorted_of(all_rows, cell_of(sky, planned.mounting), light_of(sky), name)


def shorted_of(module: Module, cell: Known, light: Known, name: str = "") -> Band:
    """Shorted amperes of a module, or of any number in series."""
    i = given("I_sc", module.i_sc_a, "A", "Short-circuit current", "module sheet")
    alpha = given("alpha", ALPHA, "1/°C", "Temperature coefficient of I_sc", COMMON_PRACTICE)
    clamp = (CLAMP * module.i_sc_a + CLAMP_PLAIN_A) / 3**0.5
    inputs = (limits(i, SHEET), limits(alpha, 0.6), cell, light)
    return combined(SHORTED, *inputs, name=name, reading=clamp)


LIGHTS = (100.0, 150.0, 200.0, 300.0, 400.0, 600.0, 800.0, 1000.0, 1200.0, 1400.0)
CELLS = (-20.0, 0.0, 20.0, 40.0, 60.0, 80.0)


def skies(module: Module) -> dict[str, object]:
    """The bands of one module over light and warmth, for a page that has no signal: (low, high) of
    its open volts and shorted amperes, a row a light, a column a warmth. A page reads between them.
    """

    def of(band: Callable[[Known, Known], Band]) -> list[list[list[float]]]:
        return [
            [
                [round(x, 3) for x in (b.low, b.high)]
                for c in CELLS
                for b in (band(cell_of(Sky(g, c), "roof"), light_of(Sky(g, c))),)
            ]
            for g in LIGHTS
        ]

    return {
        "light": LIGHTS,
        "cell": CELLS,
        "open": of(lambda cell, light: open_of(1, module, cell, light)),
        "short": of(lambda cell, light: shorted_of(module, cell, light)),
    }


METHOD_LIGHT = (
    "The sensor flat in the array's own plane, unshaded.",
    "Read once it stands still; then the strings, within a quarter of an hour.",
)


def string_dues(plan: Plan, strings: tuple[StringDesign, ...], sky: Sky) -> Iterator[Due]:
    """Light and warmth first, then amperes of each string; its volts are read in Wake, and judged
    again here.
    """
    if not strings:
        return
    yield Due(
        "sky.light",
        DEAD,
        "Light in the array's plane",
        "light",
        "irradiance meter, to 1500 W/m²",
        METHOD_LIGHT,
        "No clouds passing.",
        "IEC 62446-1 6.4",
        least=LIGHT_LEAST,
        most=1500.0,
        expects=f"{LIGHT_LEAST:g} W/m² or more, steady",
        place="array-" + strings[0].letter,
    )
    yield Due(
        "sky.cell",
        DEAD,
        "Warmth of a cell",
        "celsius",
        "contact thermometer",
        ("The sensor on the back of a module, between its middle and its edge.",),
        "At the same time as the light.",
        "IEC 62446-1 6.4",
        least=-40.0,
        most=95.0,
        expects="as it is; the air plus up to 35 °C in sun",
        place="array-" + strings[0].letter,
    )
    for s in strings:
        planned = next(p for p in plan.strings if p.letter == s.letter)
        yield _volts(s, planned, sky)
        if not s.module.optimizer:  # they let nothing through until their inverter bids them
            yield _amps(s, planned, sky)


def _volts(s: StringDesign, planned: PvString, sky: Sky) -> Due:
    own = s.module.optimizer
    band = open_volts(s, planned, sky) if sky.known and not own else None
    low, high = (band.low, band.high) if band else s.open_v
    says = f"{low:.0f} to {high:.0f} V" if band else s.open_says
    together = "Every string within a quarter of an hour of the light; they are compared."
    each = f"Each module shows {own.off_v:g} V until the unit bids it work." if own else together
    return Due(
        f"string.{s.letter}.open",
        DEAD,
        f"String {s.letter}: open volts, by today's light",
        "volt",
        "multimeter, 1000 V DC",
        (
            "Plus to plus: a minus in front means reversed.",
            each,
        ),
        s.parted,
        "IEC 62446-1 6.4",
        who="a trained person",
        hazard="Live in light: insulated gloves, leads with shrouds.",
        place=f"array-{s.letter}",
        expects=says if band or own else f"{says}; closer once the light is read",
        band=band,
        least=low,
        most=high,
        problem="low_voc",
        probes=("string +", "string −"),
    )


def _amps(s: StringDesign, planned: PvString, sky: Sky) -> Due:
    band = shorted_amps(s, planned, sky) if sky.known else None
    shorted = s.rows * s.module.i_sc_a
    high = shorted * SUN / 1000
    least, most = (band.low, band.high) if band else (0.05 * shorted, high)
    says = f"{least:.1f} to {most:.1f} A"
    return Due(
        f"string.{s.letter}.short",
        DEAD,
        f"String {s.letter}: shorted amperes",
        "amp",
        "I-V tester, or a shorting box rated for the string with a DC clamp",
        (
            "Only by a device made for it: never by hand across two connectors.",
            "Where none is there: running amperes by a clamp, and a note.",
        ),
        s.parted,
        "IEC 62446-1 6.5",
        who="a licensed person",
        hazard="An arc of direct current does not go out by itself.",
        place=f"array-{s.letter}",
        expects=says if band else f"{says}; closer once the light is read",
        band=band,
        least=least,
        most=most,
        problem="low_isc",
        probes=("string +", "string −"),
    )


def card_of(letter: str, modules: int, band: Band) -> Expected:
    """A string's open volts as the meter card judges strings together."""
    return Expected(letter, modules, band.expected, band.off.n / band.expected.n)
