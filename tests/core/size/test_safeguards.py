"""Residual-current devices, shutdowns, surge protection, and what the utility can push into a
short:
by the books' own arithmetic.
"""

from datetime import date

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.codes import iec
from gumboot.core.kit import Catalogue
from gumboot.core.land.placards import list_placards
from gumboot.core.network.currents import greatest_current
from gumboot.core.network.house import fewest_on_a_line
from gumboot.core.plan import Plan
from gumboot.core.size.utility_fault import resistance_ohm
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN
from gumboot.drawings.one_line import one_line
from gumboot.exports.materials import materials
from tests.designs import design
from tests.shapes import other

BOOK = catalogue()
RCD = "residual-current device"


def made(document, **changes):
    d = design(Plan.model_validate(other(document, **changes)), BOOK)
    return d, {f.key: f for f in (*d.findings, *d.duties)}


def click(d, key, n=0):
    f = next(f for f in d.findings if f.key == key)
    plan = apply(d.plan.model_dump(mode="json"), f.cures[n].changes)
    again = design(Plan.model_validate(plan), BOOK)
    return again, {f.key: f for f in (*again.findings, *again.duties)}


TT = {"supply__earthing": "TT", "supply__electrode": "own"}


def device(at="main-panel", **more):
    return {"kind": RCD, "at": at, "trip_ma": 300, "type": "B", **more}


def test_on_tt_a_device_stands_ahead_or_it_is_a_stop():
    """60364-4-41 411.5: no breaker clears an earth fault through two electrodes."""
    d, found = made(MOSSBANK_TERRACE, safeguards=[], **TT)
    assert found["rcd.tt"].level == "stop"
    cured, after = click(d, "rcd.tt")
    assert "rcd.tt" not in after
    (new,) = cured.plan.safeguards
    # the unit's maker is silent, so type B; delayed, so that those behind it trip first
    assert (new.type, new.trip_ma, new.delayed) == ("B", 300, True)
    assert "rcd.tt" not in made(MOSSBANK_TERRACE, safeguards=[])[1]  # TN-C-S


@pytest.mark.parametrize(
    ("ohms", "trip_ma", "volts", "stops"),
    [
        (199, 300, 59.7, True),
        (166, 300, 49.8, False),
        (167, 300, 50.1, True),
        (100, 500, 50.0, False),
        (1666, 30, 49.98, False),
    ],
)
def test_touch_voltage(ohms, trip_ma, volts, stops):
    """R_A · I_Δn ≤ 50 V: 199 Ω and 300 mA are 59.7 V (411.5.3)."""
    guards = [device(trip_ma=trip_ma)]
    if ohms > 200:
        with pytest.raises(ValueError, match="less than or equal to 200"):
            made(MOSSBANK_TERRACE, safeguards=guards, supply__loop_ohm=ohms, **TT)
        return
    d, found = made(MOSSBANK_TERRACE, safeguards=guards, supply__loop_ohm=ohms, **TT)
    assert ("rcd.0.touch" in found) == stops
    if stops:
        assert found["rcd.0.touch"].figures[0].n == pytest.approx(volts)
        cured, after = click(d, "rcd.0.touch")
        assert "rcd.0.touch" not in after and cured.plan.safeguards[0].trip_ma == 100


@pytest.mark.parametrize(
    ("declared", "fitted", "stops"),
    [
        ("A", "A", False),
        ("A", "AC", True),
        (None, "A", True),
        (None, "B", False),
        ("A", "F", False),
    ],
)
def test_type_by_the_units_declaration(declared, fitted, stops):
    """712.530.3: by the maker's declaration, else type B."""
    document = SALTINGS_BARN if declared else MOSSBANK_TERRACE
    d, found = made(document, safeguards=[device(type=fitted)])
    assert d.inverter.residual == declared and ("rcd.0.type" in found) == stops
    if stops:
        assert "rcd.0.type" not in click(d, "rcd.0.type")[1]


def test_type_b_does_not_stand_behind_another():
    """531.3: direct current that the one ahead allows blinds it, and it the one behind."""
    pair = [device(type="A"), device(at="grid-1", type="B")]
    d, found = made(SALTINGS_BARN, safeguards=pair)
    assert found["rcd.0.blind"].level == "stop"
    assert "rcd.0.blind" not in click(d, "rcd.0.blind")[1]
    alone = made(SALTINGS_BARN, safeguards=[device(at="grid-1", type="B")])[1]
    assert not any(k.endswith(".blind") for k in alone)


@pytest.mark.parametrize(("plate", "level"), [(True, None), (None, "duty"), (False, "stop")])
def test_power_passes_a_device_both_ways_only_if_it_is_made_for_it(plate, level):
    """BS 7671 530.3.201, from memory. Behind the loads' board power goes one way."""
    rows = [
        x.model_copy(update={"both_ways": plate})
        if getattr(x, "role", "") == "residual-current"
        else x
        for x in BOOK.entries.values()
    ]
    shelf = Catalogue(rows)

    def of(at):
        plan = other(SALTINGS_BARN, safeguards=[device(at=at, type="A")])
        d = design(Plan.model_validate(plan), shelf)
        return {f.key: f for f in (*d.findings, *d.duties)}

    found = of("grid-1").get("rcd.0.direction")
    assert (found.level.value if found else None) == level
    assert "rcd.0.direction" not in of("loads-panel")


def test_power_goes_one_way_to_a_unit_that_never_feeds_the_grid():
    rows = [
        x.model_copy(update={"both_ways": False})
        if getattr(x, "role", "") == "residual-current"
        else x.model_copy(update={"feeds_grid": False})
        if x.kind == "inverter"
        else x
        for x in BOOK.entries.values()
    ]
    plan = other(SALTINGS_BARN, safeguards=[device(at="grid-1", type="A")])
    d = design(Plan.model_validate(plan), Catalogue(rows))
    assert d.circuits and "rcd.0.direction" not in {f.key for f in d.findings}


def test_a_device_is_drawn_bought_made_off_labelled_and_tried():
    d, found = made(SALTINGS_BARN)
    assert found["rcd.0.trips"].asked.most == 500 and found["rcd.1.trips"].asked.most == 300
    svg = one_line(d)
    assert "S1 RCD 300 mA type A delayed" in svg and ">S1 S3<" in svg
    bill = {i.what: i.count for i in materials(d)}
    assert bill["residual-current device, type A, 300 mA, 63 A"] == 1
    screws = [t for t in d.terminations if "RCD 300 mA" in t.terminal]
    assert len(screws) == 8 and all(t.torque.n == 2.5 for t in screws)  # four poles, both sides
    placards = {p.id: p for p in list_placards(d, date(2026, 1, 1))}
    assert placards["rcd-test"].count == 2


@pytest.mark.parametrize("mounting", ["roof", "rack"])
def test_no_label_of_rapid_shutdown_without_the_equipment(mounting):
    """690.12 is for arrays on a building and for conductors that enter one; its label is true or is
    not there.
    """
    strings = [{**s, "mounting": mounting} for s in HERON_SLIP["strings"]]
    d, found = made(HERON_SLIP, safeguards=[], strings=strings)
    ids = {p.id for p in list_placards(d, date(2026, 1, 1))}
    assert found["pv.rapid-shutdown"].level == "stop" and "rapid-shutdown" not in ids
    cured, after = click(d, "pv.rapid-shutdown")
    duty = after["pv.rapid-shutdown"]
    assert duty.level == "duty" and duty.asked.most == 30  # V, 690.12(B)(1)
    assert "rapid-shutdown" in {p.id for p in list_placards(cured, date(2026, 1, 1))}


def test_a_field_whose_conductors_enter_only_an_equipment_shed_needs_none():
    strings = [{**s, "mounting": "rack"} for s in HERON_SLIP["strings"]]
    d, _ = made(HERON_SLIP, safeguards=[], strings=strings)
    _, after = click(d, "pv.rapid-shutdown", 1)
    assert "pv.rapid-shutdown" not in after
    shed = {"site__building": "equipment only"}
    assert "pv.rapid-shutdown" in made(HERON_SLIP, safeguards=[], **shed)[1]  # on its roof


def test_storage_at_a_dwelling_is_shut_down_from_outside():
    """706.15(A), one- and two-family dwellings."""
    d, found = made(JUNIPER_CUT, safeguards=[{"kind": "rapid shutdown", "at": "array"}])
    assert found["storage.emergency"].level == "stop"
    cured, after = click(d, "storage.emergency")
    assert after["storage.emergency"].level == "duty"
    assert "emergency-shutdown" in {p.id for p in list_placards(cured, date(2026, 1, 1))}
    assert "storage.emergency" not in click(d, "storage.emergency", 1)[1]
    assert "storage.emergency" not in made(SALTINGS_BARN)[1]  # the other book asks for none


@pytest.mark.parametrize(
    ("kiloamps", "stops"), [(9.9, False), (10.1, True), (22.0, True), (None, False)]
)
def test_breakers_at_the_service_break_what_the_utility_pushes(kiloamps, stops):
    """110.9: 10 kA breakers in the main panel; nothing of the job lies before them."""
    amps = kiloamps and kiloamps * 1000
    d, found = made(HERON_SLIP, supply__fault_a=amps)
    assert ("main-panel.breaks" in found) == stops
    assert ("supply.fault" in found) == (amps is None)
    if amps:
        at = d.figures["fault.main-panel/breaker 1"]
        assert at.n == pytest.approx(amps)


def test_what_an_old_breaker_breaks_is_read_on_it():
    """The main breaker stood there before: nobody knows its rating until it is read."""
    _, found = made(HERON_SLIP, supply__fault_a=9900)
    duty = found["supply.fault.unread"]
    assert "Main breaker, Main panel; " in duty.says and duty.asked.least == 9900
    assert not duty.asked.within(6000) and duty.asked.within(10_000)
    assert "supply.fault.unread" not in made(HERON_SLIP, supply__fault_a=None)[1]


def test_conductors_take_from_the_fault():
    """I = U / (U / I_0 + R): 230 V, 6 kA, 4 mm² over its length at 20 °C: one line, for a short
    between all three is the greatest (IEC 60909-0), and by hand of two units on one line there and
    back.
    """
    d, _ = made(SALTINGS_BARN)
    feeder = next(s for s in d.circuits if s.id == "loads")
    way = [s for s in d.circuits if s.id in ("changeover", "loads")]
    ohms = sum(4.61 / 1000 * s.conditions.run.length_m for s in way)
    assert all(s.size == "4 mm²" for s in way) and feeder.circuit.load.body == "loads-panel"
    at = d.figures["fault.loads-panel/main"]
    assert at.n == pytest.approx(230 / (230 / 6000 + ohms), rel=1e-3)
    terrace, _ = made(MOSSBANK_TERRACE)
    out = next(s for s in terrace.circuits if s.circuit.power_factor and not s.circuit.three_phase)
    cold = iec.resistance(out.size).n / 1000
    assert resistance_ohm(out) == pytest.approx(2 * cold * out.conditions.run.length_m)


@pytest.mark.parametrize(
    ("sheet", "amps"),
    [
        ({"ac_max_a": 16.7, "leg_max_w": None}, 16.7),
        ({"ac_max_a": None, "leg_max_w": None}, 1.1 * 10_000 / (3**0.5 * 400)),
        ({"ac_max_a": 16, "leg_max_w": 4000}, 4000 / (400 / 3**0.5)),
    ],
)
def test_design_current_of_a_unit(sheet, amps):
    """60364-7-712: the maker's greatest, else 1.1 × 14.4 = 15.9 A; 4 kW on one leg, 17.3 A."""
    unit = BOOK.inverters["marram-t10"].model_copy(update=sheet)
    book = Plan.model_validate(SALTINGS_BARN).book
    assert greatest_current(unit, book).n == pytest.approx(amps)


def test_the_device_carries_what_the_main_lets_by_or_it_is_said():
    """A device of 63 A is no device for a main of 80 A; the next larger of the shelf is taken."""
    d, found = made(MOSSBANK_TERRACE, safeguards=[device()], supply__main_breaker_a=80)
    assert d.network.guards[0].device.up_to_a == 125 and "guard.0.device" not in found
    small = next(
        x.id
        for x in BOOK.devices
        if (x.role, x.residual, x.trip_ma, x.up_to_a) == ("residual-current", "B", 300, 63)
        and x.supply == MOSSBANK_TERRACE["supply"]["kind"]
    )
    d, found = made(MOSSBANK_TERRACE, safeguards=[device(device=small)], supply__main_breaker_a=80)
    assert "63 A; 80 A" in found["guard.0.device"].says
    assert "guard.0.device" not in click(d, "guard.0.device")[1]
    d, found = made(MOSSBANK_TERRACE, safeguards=[device()], supply__main_breaker_a=160)
    assert "no RCD 300 mA type B for 160 A" in found["guard.0.device"].says


@pytest.mark.parametrize("wrong", [{"trip_ma": 30}, {"type": "B"}, {"kind": "surge protection"}])
def test_a_chosen_device_that_is_another_than_the_plan_says(wrong):
    shelf = next(
        x.id
        for x in BOOK.devices
        if (x.role, x.residual, x.trip_ma) == ("residual-current", "A", 300)
        and x.supply == MOSSBANK_TERRACE["supply"]["kind"]
    )
    guards = [{**device(type="A", device=shelf), **wrong}]
    d, found = made(MOSSBANK_TERRACE, safeguards=guards)
    assert found["guard.0.device"].level == "stop"
    assert "guard.0.device" not in click(d, "guard.0.device")[1]


def test_off_grid_a_device_is_tried_all_the_same():
    off = {"supply__kind": "off-grid", "supply__main_breaker_a": None}
    _, found = made(SALTINGS_BARN, **off)
    assert "rcd.0.trips" in found and "rcd.tt" not in found


def test_a_unit_silent_about_its_fault_current_is_not_trusted_to_trip_a_breaker():
    quiet = [e.model_copy(update={"fault_a": None}) for e in BOOK.inverters.values()]
    rest = [*BOOK.gateways.values(), *BOOK.packs.values(), *BOOK.modules.values()]
    shelf = Catalogue([*quiet, *rest, *BOOK.devices, *BOOK.conductors])
    d = design(Plan.model_validate(other(SALTINGS_BARN, safeguards=[])), shelf)
    said = next(f for f in d.findings if f.key == "loop.islanded")
    assert said.level == "check" and "not on their sheet" in said.says


@pytest.mark.parametrize(("units", "lines", "amps"), [(3, "", 44), (6, "", 88), (2, "L1 L1", 88)])
def test_single_phase_units_push_into_a_short_of_their_own_line_only(units, lines, amps):
    """44 A each: three on three phases leave one to a line-to-earth short, two on L1 both."""
    wish = {"supply__kind": "three-phase 400/230 V", "kit__inverters": units, "kit__packs": units}
    plan = Plan.model_validate(other(MOSSBANK_TERRACE, **wish, kit__lines=lines))
    assert BOOK.inverters[plan.kit.inverter].fault_a == 44
    assert 44 * fewest_on_a_line(plan, BOOK.inverters[plan.kit.inverter]) == amps
    whole = Plan.model_validate(other(SALTINGS_BARN, kit__inverters=2))
    assert fewest_on_a_line(whole, BOOK.inverters[whole.kit.inverter]) == 2
