"""Two lines of a 208Y/120 V service, as flats have: ANSI C84.1 has 208 V between its lines."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.codes import nec
from gumboot.core.network.currents import line_voltage, output_current
from gumboot.core.plan import Plan
from gumboot.core.size.conductors import RULES
from gumboot.core.size.utility_fault import HOT_OVER_COLD, resistance_ohm
from tests.designs import design
from tests.shapes import SHAPES, other

KIND = "two lines of 208Y/120 V"
SHELF = catalogue()
FLAT = SHAPES["two lines of a 208 V service"]


def of(**changes):
    return design(Plan.model_validate(other(FLAT, **changes)), SHELF)


def test_currents_are_by_the_volts_between_the_lines():
    """6.9 kW / 208 V = 33.2 A, where 240 V would give 28.8 A; drops are parts of 208 V."""
    unit = SHELF.inverters["marram-s7"]
    assert output_current(unit).n == pytest.approx(6900 / 208)
    assert line_voltage(KIND, unit).n == 208


def test_its_neutral_counts_in_a_raceway():
    """NEC 310.15(E)(2), from memory: of two lines and the neutral of a wye system the neutral
    carries about what the lines do. Of split phase it does not, balanced (E)(1).
    """
    rules = RULES["nec-2023"]
    ways = {"flat": of(), "house": design(Plan.model_validate(SHAPES["one bank for all"]), SHELF)}
    counted = {
        k: {rules.carrying(s.circuit) for s in d.circuits if s.circuit.power_factor}
        for k, d in ways.items()
    }
    assert counted == {"flat": {3}, "house": {2}}
    shared = {k: {**r, "raceway": "A"} for k, r in FLAT["runs"].items() if "feeder" in k}
    both = of(runs={**FLAT["runs"], **shared})
    rows = {s.id: s.conditions.together for s in both.circuits}
    assert rows["grid-feeder"] == rows["backup-feeder"] == 6


def test_devices_of_split_phase_stand_there():
    """Slash-rated 120/240 V devices serve where no line has more than 120 V to ground (NEC 240.85,
    from memory); a device of 208 V lines alone would not stand on 240 V.
    """
    d = of()
    devices = [x.device for x in d.network.places if x.device and x.role.startswith("ac")]
    assert devices and all(x.serves(KIND) for x in devices)
    assert not [f for f in d.findings if f.key.startswith("kit.device")]
    lower = devices[0].model_copy(update={"supply": KIND})
    assert lower.serves(KIND) and not lower.serves("split-phase 120/240 V")


def test_a_short_is_reckoned_above_that_between_lines_and_that_to_neutral():
    """By phasors: 208 V over two impedances of the utility's and two conductors, or 120 V over one
    and line and neutral; a breaker has to break the greater.
    """
    d = of(supply__fault_a=10_000.0)
    far = next(s for s in d.circuits if s.id == "grid-1")
    shorts = [f for f in d.figures.values() if f.symbol == "I_k" and "Prospective" in f.name]
    assert shorts and {x.value for f in shorts for x in f.inputs if x.symbol == "U"} == {120}
    cold = nec.dc_resistance(far.size).n / 304.8 / HOT_OVER_COLD
    z, r = 120 / 10_000, cold * far.conditions.run.length_m
    said = 120 / (z + resistance_ohm(far))
    least = max(3**0.5 * 120 / (2 * z + 2 * r), 120 / (z + 2 * r))
    assert least <= said <= 2 / 3**0.5 * least + 1e-6


def test_it_is_offered_a_unit_and_no_stop_stands_on_it():
    d = of()
    assert not [f.key for f in d.findings if f.level.value == "stop"]
    wrong = of(kit__inverter="marram-s8")
    assert [f.key for f in wrong.findings if f.key == "supply.kind"]
