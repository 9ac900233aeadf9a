"""The simulated plant, over Modbus: it wakes as its network says, in its time; interlocks hold; a
wrong act breaks what is in it; and it misbehaves as it is told to.
"""

import socket
import time

import pytest
from pymodbus.client import ModbusTcpClient

from gumboot.catalogue import catalogue
from gumboot.core.design import design
from gumboot.core.link.bms import heard
from gumboot.core.plan import Plan
from gumboot.core.wake.states import REVERSED
from gumboot.demo.plans import HERON_SLIP, MOSSBANK_TERRACE, TERN_HOLLOW
from gumboot.devices import bms_client, plant_client
from gumboot.devices.networks import DeviceFault
from gumboot.devices.plant import (
    BROKEN,
    DARK,
    FOLLOWS,
    FORMS,
    GRID,
    WAITS,
    WAKING,
    WHOLE,
    YARD,
    Running,
    Yard,
)
from tests.shapes import other

OWN = ["127.0.0.0/8"]


def free():
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


def made(document):
    return design(Plan.model_validate(document), catalogue())


@pytest.fixture
def mossbank():
    port = free()
    d = made(other(MOSSBANK_TERRACE, linking__unit_at=f"127.0.0.1:{port}"))
    yard = Yard(d, quick=1000)
    with Running(yard, port):
        yield yard, lambda shows: plant_client.read(d.plan.linking, d.inverter, 1, shows, OWN)


def until(read, shows, value):
    for _ in range(1500):
        if read(shows) == value:
            return True
        time.sleep(0.02)
    return False


def test_it_wakes_act_after_act(mossbank):
    """Dark, waking, its own voltage, watching the grid, with the grid: each by the walk's acts."""
    yard, read = mossbank
    assert read("status") == DARK and read("output L1 V") == 0
    seen = []
    for a in yard.way.up.acts:
        assert yard.move(a.k, a.closing)
        time.sleep(0.12)
        now = read("status")
        seen += [now] if now not in seen[-1:] else []
    assert [s for s in seen if s not in (WAKING, WAITS)] == [DARK, FORMS, FOLLOWS]
    assert until(read, "status", FOLLOWS)
    assert read("output L1 V") == pytest.approx(230, abs=3)
    assert read("N to PE V") < 5 and read("frequency Hz") == 50


def test_levers_are_moved_over_the_wire_and_interlocks_hold():
    port = free()
    yard = Yard(made(HERON_SLIP), quick=1000)
    number = yard.plant.number
    grid, inverter = number["transfer-switch/grid"], number["transfer-switch/inverter"]
    with Running(yard, port):
        client = ModbusTcpClient("127.0.0.1", port=port)
        assert client.connect()
        assert not client.write_register(inverter, 1, device_id=YARD).isError()
        assert client.read_holding_registers(inverter, count=1, device_id=YARD).registers == [1]
        assert client.write_register(grid, 1, device_id=YARD).isError(), "its interlock"
        assert client.write_register(150, 1, device_id=YARD).isError()
        assert client.write_register(0, 1, device_id=1).isError(), "what it measures is its own"
        assert not client.write_register(1004, 120, device_id=1).isError(), "a line of its menu"
        assert yard.menus[0].values["charge_a"] == 120
        assert not client.write_register(GRID, 0, device_id=YARD).isError() and not yard.grid
        client.close()


def test_the_act_that_destroyed_one_breaks_it_here():
    """The main closed on a panel that the inverter feeds, by loose breakers."""
    d = made(other(HERON_SLIP, backup__changeover="loose breakers"))
    yard = Yard(d, quick=1e6)
    for a in yard.way.up.acts:
        yard.move(a.k, True)
    assert yard.does(0, yard.settled()) != BROKEN
    yard.move(yard.plant.number["transfer-switch/grid"], True)
    assert yard.does(0, yard.settled()) == BROKEN and yard.registers(0)[12]
    yard.whole()
    assert yard.does(0, yard.settled()) != BROKEN
    assert WHOLE != GRID


def test_a_reversed_string_breaks_the_unit_it_is_closed_on():
    yard = Yard(made(HERON_SLIP), quick=1e6, wrong="string A reversed")
    for a in yard.way.up.acts:
        assert yard.does(0, yard.settled()) != BROKEN or yard.broken[0] & REVERSED
        yard.move(a.k, True)
    assert yard.broken[0] & REVERSED
    two = Yard(made(TERN_HOLLOW), quick=1e6, wrong="string A reversed")
    for a in two.way.up.acts:
        two.move(a.k, True)
    first, second = two.registers(0), two.registers(1)
    assert first[0] == BROKEN != second[0] and first[10] < 0 < second[10]


def test_its_packs_are_heard_on_can_once_their_levers_are_closed(monkeypatch):
    """By the pack's own DBC, through an slcan adapter, as a real bus is heard."""
    monkeypatch.setattr(bms_client, "LISTEN_S", 0.8)
    monkeypatch.setattr(bms_client, "TRY_S", 0.5)
    d = made(TERN_HOLLOW)
    yard = Yard(d, quick=1000, wrong="pack 2 low 1.6")
    with Running(yard, free(), can=0) as plant:
        at = f"127.0.0.1:{plant.bus.server.server_address[1]}"
        for n in (1, 2):
            yard.move(yard.plant.number[f"pack-{n}/own"], True)
        time.sleep(0.5)
        frames, rate = bms_client.listen(at, OWN, 500_000)
    found = heard(frames, d.pack.dbc, [1, 2, 3])
    assert rate == 500_000 and [p.address for p in found.packs] == [1, 2]
    first, second = (p.values["volts"] for p in found.packs)
    assert first - second == pytest.approx(1.6, abs=0.1)
    assert any("3" in s for s in found.says), "the third is silent"


def test_it_misbehaves_as_told():
    d = made(TERN_HOLLOW)
    k = made(TERN_HOLLOW).wake.way.plant.number["pack-2/own"]
    low = Yard(d, wrong="pack 2 low 1.6")
    assert low.between(k) == pytest.approx(1.6, abs=0.2) and Yard(d).between(k) < 0.2
    yard = Yard(d, quick=1e6, wrong="unit 1 asleep; no bond; no grid")
    for a in yard.way.up.acts:
        yard.move(a.k, True)
    yard.registers(0), yard.registers(1)
    time.sleep(0.01)
    first, second = yard.registers(0), yard.registers(1)
    assert first[0] == WAKING and second[0] == FORMS
    assert second[8] > 500, "neutral floats"
    assert first[5] == second[5] == 0, "no grid"
    for bad in ("pack two low", "fire", "string 1 reversed"):
        with pytest.raises(ValueError, match="nothing that can be wrong"):
            Yard(d, wrong=bad)
    with pytest.raises(ValueError, match="kit is not known"):
        Yard(made(other(TERN_HOLLOW, kit__inverter="gone")))


def test_what_does_not_answer_is_said(mossbank):
    yard, _ = mossbank
    linking, unit = yard.job.plan.linking, yard.unit
    away = linking.model_copy(update={"unit_at": f"127.0.0.1:{free()}"})
    with pytest.raises(DeviceFault, match="does not answer"):
        plant_client.read(away, unit, 1, "status", OWN)
    with pytest.raises(DeviceFault, match="not on a network"):
        plant_client.read(linking, unit, 1, "status", ["10.0.0.0/8"])
    with pytest.raises(DeviceFault, match="names no register"):
        plant_client.read(linking, unit, 1, "output L3 V", OWN)
    with pytest.raises(DeviceFault, match=r"no register|stopped answering"):
        plant_client.read(linking, unit, 5, "status", OWN)
