"""Devices are chosen from the shelf for a place, and judged; what is not chosen is proposed."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.kit import Catalogue
from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP
from tests.designs import design
from tests.shapes import other

BOOK = catalogue()


def made(book=BOOK, **changes):
    d = design(Plan.model_validate(other(HERON_SLIP, **changes)), book)
    return d, {f.key: f for f in d.findings}, {p.key: p for p in d.network.places}


def test_what_is_not_chosen_is_the_smallest_that_serves():
    _, _, places = made()
    breaker = places["main-panel.breaker-1"]
    assert not breaker.chosen and breaker.device.up_to_a >= breaker.amps
    smaller = [
        d.up_to_a
        for d in BOOK.devices
        if d.role == "ac-breaker"
        and d.supply == breaker.supply
        and d.up_to_a < breaker.device.up_to_a
    ]
    assert all(a < breaker.amps for a in smaller)


def test_what_is_chosen_stands_there_with_its_terminals():
    d, found, places = made(devices={"main-panel.breaker-1": "breaker-ac-150"})
    assert places["main-panel.breaker-1"].device.id == "breaker-ac-150"
    assert not [k for k in found if k.startswith("device.")]
    s = next(s for s in d.circuits if s.id == "grid-1")
    assert s.circuit.source.terminal("L1").torque_nm == 5.65  # its plate's


@pytest.mark.parametrize(
    ("place", "id", "says"),
    [
        ("dc-bus.inverter-1", "breaker-ac-70", "not what stands there"),
        ("main-panel.breaker-1", "breaker-3-63", "made for three-phase"),
        ("main-panel.breaker-1", "gone", "the shelf has no"),
        ("dc-bus", "bus-48", "carries 100 A"),
    ],
)
def test_a_choice_that_does_not_serve_is_a_stop_that_a_click_takes_back(place, id, says):
    bus = next(d for d in BOOK.devices if d.id == "bus-600")
    small = bus.model_copy(update={"id": "bus-48", "up_to_a": 100})
    rest = [
        *BOOK.inverters.values(),
        *BOOK.packs.values(),
        *BOOK.modules.values(),
        *BOOK.conductors,
        *BOOK.devices,
    ]
    _, found, places = made(Catalogue([*rest, small]), devices={place: id})
    stop = found[f"device.{place}"]
    assert stop.level == "stop" and says in (
        stop.says if says[0].isupper() or "A" in says else stop.says.lower()
    )
    assert stop.cures[0].changes[0].value is None and place in places


def test_a_direct_voltage_above_a_devices_is_not_proposed():
    """57.6 V of the bank: a breaker of 48 V is passed over; chosen, it is a stop."""
    low = [
        d.model_copy(update={"id": f"{d.id}-48", "volts_dc": 48, "up_to_a": d.up_to_a - 5})
        for d in BOOK.devices
        if d.role == "dc-breaker" and d.book in ("nec-2023", "any")
    ]
    rest = [
        *BOOK.inverters.values(),
        *BOOK.packs.values(),
        *BOOK.modules.values(),
        *BOOK.conductors,
        *BOOK.devices,
    ]
    book = Catalogue([*rest, *low])
    _, _, places = made(book)
    assert places["dc-bus.inverter-1"].device.volts_dc == 80
    _, found, _ = made(book, devices={"dc-bus.inverter-1": low[0].id})
    assert "good to 48 V DC" in found["device.dc-bus.inverter-1"].says


def test_a_breaker_for_less_than_stands_between_lines_is_passed_over():
    """240 V between the lines: one good to 120 V is not proposed; chosen, it is a stop."""
    low = [
        d.model_copy(update={"id": f"{d.id}-120", "volts_ac": 120})
        for d in BOOK.devices
        if d.role == "ac-breaker" and d.supply.startswith("split")
    ]
    others = [d for d in BOOK.devices if d.role != "ac-breaker"]
    units = [*BOOK.inverters.values(), *BOOK.packs.values(), *BOOK.modules.values()]
    shelf = Catalogue([*units, *BOOK.conductors, *BOOK.devices, *low])
    _, found, places = made(shelf)
    assert places["main-panel.breaker-1"].device.volts_ac == 240
    _, found, _ = made(shelf, devices={"main-panel.breaker-1": "breaker-ac-150-120"})
    assert "120 V AC; 240 V stand" in found["device.main-panel.breaker-1"].says
    _, found, _ = made(Catalogue([*units, *BOOK.conductors, *others, *low]))
    assert found["kit.device.ac-breaker"].level == "stop"
