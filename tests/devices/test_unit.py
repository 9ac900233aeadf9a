"""The simulated unit's menu over Modbus, read and written by our client and by pymodbus' own; every
value through a register and back; the difference is empty where nothing was changed.
"""

import random
import socket
import time

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pymodbus.client import ModbusTcpClient
from pymodbus.client.mixin import ModbusClientMixin
from sunspec2.modbus.client import SunSpecModbusClientDeviceTCP

from gumboot.catalogue import catalogue
from gumboot.core.kit.menu import MenuRegister
from gumboot.core.plan.linking import Linking
from gumboot.core.set.difference import differences
from gumboot.core.set.settings import Setting
from gumboot.core.set.wire import NotHeld, blocks, decoded, encoded, words_of
from gumboot.devices import menu_client
from gumboot.devices.networks import DeviceFault
from gumboot.devices.unit import POWER, Menu, Running
from tests.core.set.test_menu import line

OWN = ["127.0.0.0/8"]
C6 = catalogue().inverters["marram-c6"]
DATATYPE = ModbusClientMixin.DATATYPE
THEIRS = {
    "int16": DATATYPE.INT16,
    "uint16": DATATYPE.UINT16,
    "int32": DATATYPE.INT32,
    "uint32": DATATYPE.UINT32,
    "float32": DATATYPE.FLOAT32,
}


def free():
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


def at(port):
    return Linking(unit_at=f"127.0.0.1:{port}")


@given(st.sampled_from(sorted(THEIRS)), st.integers(-30000, 30000), st.booleans())
def test_figures_are_held_as_pymodbus_holds_them(type, n, low_first):
    """Signed, of 32 bits, either word first: by pymodbus' own converter."""
    if type.startswith("u"):
        n = abs(n)
    row = line(
        "a", least=-1e5, most=1e5, read_at=MenuRegister(number=0, type=type, low_first=low_first)
    )
    theirs = ModbusClientMixin.convert_to_registers(
        float(n) if type == "float32" else n, THEIRS[type], "little" if low_first else "big"
    )
    assert encoded(row, float(n)) == theirs and decoded(row, theirs) == n


@pytest.mark.parametrize(
    ("row", "value", "words"),
    [
        (line("v", unit="V", read_at=MenuRegister(number=1, scale=0.1)), 58.3, [583]),
        (line("h", read_at=MenuRegister(number=1, scale=0.5, type="int16")), -4.0, [0xFFF8]),
        (line("t", unit="time", read_at=MenuRegister(number=1)), "22:15", [2215]),
        (line("c", options=("a", "b"), read_at=MenuRegister(number=1)), "b", [1]),
        (line("c", options=("a", "b"), values=(50, 60), read_at=MenuRegister(number=1)), "b", [60]),
    ],
)
def test_scales_choices_and_times(row, value, words):
    assert encoded(row, value) == words and decoded(row, words) == value


@pytest.mark.parametrize(
    ("row", "value", "words"),
    [
        (line("v", read_at=MenuRegister(number=1)), 70_000.0, [1, 2]),
        (line("v", read_at=MenuRegister(number=1)), "high", [1, 2]),
        (line("t", unit="time", read_at=MenuRegister(number=1)), "25:00", [2475]),
        (line("c", options=("a", "b"), read_at=MenuRegister(number=1)), "z", [7]),
        (line("n"), 1.0, [1]),
        (line("f", read_at=MenuRegister(number=1, type="float32")), "x", [0x7FC0, 0]),
    ],
)
def test_what_no_register_holds_is_said_and_never_guessed(row, value, words):
    with pytest.raises(NotHeld):
        encoded(row, value)
    with pytest.raises(NotHeld):
        decoded(row, words)


def test_every_line_is_asked_once_in_few_questions():
    rows = blocks(C6.menu)
    asked = [m.id for b in rows for m in b.items]
    assert sorted(asked) == sorted(m.id for m in C6.menu if m.read_at) and len(rows) == 1
    assert all(b.count <= 100 for b in rows)


def test_a_whole_menu_over_the_wire_with_gaps_and_choices():
    """66 lines; ten registers missing in the middle take nothing else with them."""
    gone = {m.id for m in C6.menu if m.read_at and 1020 <= m.read_at.number < 1030}
    for wrong, lacks in (("", set()), ("gap 1020 1030", gone)):
        menu, port = Menu(C6, 0, wrong), free()
        with Running([menu], port):
            found = menu_client.read_menu(at(port), C6, 1, OWN)
        assert set(found.lacking) == lacks and len(gone) == 10
        assert found.values == {k: v for k, v in menu.values.items() if k not in lacks}
        assert all("no such register" in why for why in found.lacking.values())


def item(id):
    return next(m for m in C6.menu if m.id == id)


@pytest.mark.parametrize(
    ("wrong", "id", "value", "says"),
    [
        ("", "absorb_v", 58.3, ""),
        ("refuse absorb_v", "absorb_v", 58.3, "takes no such value"),
        ("clip charge_a 100", "charge_a", 120.0, "120 was written, and 100 stands there"),
        ("round float_v 0.5", "float_v", 53.7, "53.5 stands there"),
        ("", "grid_standard", "off grid, 120/240 V 60 Hz", "no such value"),
    ],
)
def test_a_line_is_written_read_back_and_it_stops_where_one_does_not_take(wrong, id, value, says):
    menu, port = Menu(C6, 0, wrong), free()
    wanted = [(item("tail_a"), 40.0), (item(id), value), (item("warn_v"), 46.9)]
    with Running([menu], port):
        took, stopped = menu_client.write_lines(at(port), C6, 1, wanted, OWN)
    if not says:
        assert stopped is None and [k for k, _ in took] == ["tail_a", id, "warn_v"]
        return
    assert [k for k, _ in took] == ["tail_a"] and stopped[0] == id
    assert says in stopped[1]
    assert menu.values["warn_v"] == 46.8, "nothing after it was written"


def test_a_power_cycle_takes_a_while_and_what_is_forgotten_shows():
    menu, port = Menu(C6, 3.0, "forget cut_v"), free()
    with Running([menu], port):
        menu_client.write_lines(at(port), C6, 1, [(item("cut_v"), 45.0)], OWN)
        first = menu_client.read_menu(at(port), C6, 1, OWN)
        client = ModbusTcpClient("127.0.0.1", port=port)
        assert client.connect() and not client.write_register(POWER, 1, device_id=1).isError()
        client.close()
        time.sleep(0.1)
        with pytest.raises(DeviceFault, match=r"nothing of the menu .* busy: ask again"):
            menu_client.read_menu(at(port), C6, 1, OWN)
        while menu.away:
            pass
        again = menu_client.read_menu(at(port), C6, 1, OWN)
    assert first.values["cut_v"] == 45.0 and again.values["cut_v"] == 44.4


T10 = catalogue().inverters["marram-t10"]


def test_lines_in_sunspec_models_are_read_and_written_by_pysunspec2():
    """The simulated map is made by pysunspec2's own models; it is read once more by its client."""
    menu, port = Menu(T10, 0), free()
    row = {m.id: m for m in T10.menu}
    with Running([menu], port):
        found = menu_client.read_menu(at(port), T10, 1, OWN)
        wanted = [(row["reserve_soc"], 35.0), (row["grid_charge"], "on")]
        took, stopped = menu_client.write_lines(at(port), T10, 1, wanted, OWN)
        theirs = SunSpecModbusClientDeviceTCP(slave_id=1, ipaddr="127.0.0.1", ipport=port)
        theirs.scan()
        seen = theirs.models[124][0]
        assert (seen.MinRsvPct.cvalue, seen.ChaGriSet.cvalue) == (35.0, 1)
        assert theirs.models[1][0].Mn.cvalue == "Marram"
        theirs.close()
    assert found.values["reserve_soc"] == 20.0 and found.values["grid_charge"] == "off"
    assert found.lacking == {} and len(found.values) == sum(m.readable for m in T10.menu)
    assert stopped is None and [k for k, _ in took] == ["reserve_soc", "grid_charge"]
    assert menu.values["reserve_soc"] == 35.0 and menu.values["grid_charge"] == "on"


def test_rtu_frames_over_tcp_carry_lines_and_models_alike():
    menu, port, rtu = Menu(T10, 0), free(), free()
    row = {m.id: m for m in T10.menu}
    linking = Linking(unit_at=f"127.0.0.1:{rtu}", unit_framing="rtu")
    with Running([menu], port, rtu):
        found = menu_client.read_menu(linking, T10, 1, OWN)
        wanted = [(row["reserve_soc"], 40.0), (row["export_w"], 8000.0)]
        took, stopped = menu_client.write_lines(linking, T10, 1, wanted, OWN)
    assert found.lacking == {} and found.values["reserve_soc"] == 20.0
    assert stopped is None and len(took) == 2
    assert (menu.values["reserve_soc"], menu.values["export_w"]) == (40.0, 8000.0)


def test_a_unit_without_models_lacks_those_lines_alone():
    bare = T10.model_copy(update={"menu": tuple(m for m in T10.menu if m.read_at is not None)})
    menu, port = Menu(bare, 0), free()
    with Running([menu], port):
        found = menu_client.read_menu(at(port), T10, 1, OWN)
    assert set(found.lacking) == {"reserve_soc", "grid_charge"}
    assert all("no SunSpec models" in x for x in found.lacking.values()) and found.values


def test_who_is_not_there_is_said():
    port = free()
    with pytest.raises(DeviceFault, match="does not answer"):
        menu_client.read_menu(at(port), C6, 1, OWN)
    with pytest.raises(DeviceFault, match="no registers of its menu"):
        menu_client.read_menu(at(port), C6.model_copy(update={"menu": ()}), 1, OWN)
    with Running([Menu(C6, 0)], port), pytest.raises(DeviceFault, match="inverter 2"):
        menu_client.read_menu(at(port), C6, 2, OWN)  # another unit's number
    for bad in ("burn", "refuse nothing", "clip tail_a"):
        with pytest.raises(ValueError, match="nothing that can be wrong"):
            Menu(C6, wrong=bad)


def some_menu(dice):
    """A random menu that can be read, of every make of line."""
    rows, number = [], 0
    for n in range(dice.randint(1, 14)):
        kind = dice.choice(["figure", "choice", "time"])
        number += dice.randint(0, 12)
        if kind == "choice":
            options = tuple(f"o{k}" for k in range(dice.randint(1, 6)))
            values = tuple(dice.sample(range(200), len(options))) if dice.random() < 0.5 else ()
            row = line(f"l{n}", options=options, values=values, read_at=MenuRegister(number=number))
        elif kind == "time":
            row = line(f"l{n}", unit="time", read_at=MenuRegister(number=number))
        else:
            type = dice.choice(sorted(THEIRS))
            step = dice.choice([0.1, 0.5, 1, 10])
            register = MenuRegister(
                number=number, type=type, scale=step, low_first=dice.random() < 0.5
            )
            row = line(f"l{n}", least=0, most=3000, step=step, unit="V", read_at=register)
        rows.append(row)
        number += words_of(row.read_at)
    return rows


def some_value(dice, m):
    if m.options:
        return dice.choice(m.options)
    if m.unit == "time":
        return f"{dice.randint(0, 23):02d}:{dice.randint(0, 59):02d}"
    return round(dice.randint(0, 300) * m.step, 6)


def setting(m, value):
    return Setting(m.id, "g", m.label, m.unit, value, value, "", m.options, m.least, m.most, m.step)


def test_keyed_read_and_compared_over_ten_thousand_menus():
    """Empty where nothing was changed, exact where one line was."""
    dice = random.Random(18)
    for _ in range(10_000):
        menu = some_menu(dice)
        keyed = {m.id: some_value(dice, m) for m in menu}
        registers = dict[int, int]()
        for m in menu:
            for k, word in enumerate(encoded(m, keyed[m.id])):
                registers[m.read_at.number + k] = word
        read = {}
        for b in blocks(menu):
            words = [registers.get(b.start + k, 0xDEAD) for k in range(b.count)]
            for m in b.items:
                first = m.read_at.number - b.start
                read[m.id] = decoded(m, words[first : first + words_of(m.read_at)])
        settings = [setting(m, keyed[m.id]) for m in menu]
        assert all(x.verdict == "same" for x in differences(menu, settings, read, {}))
        m = dice.choice(menu)
        other = some_value(dice, m)
        found = differences(menu, settings, {**read, m.id: other}, {})
        wrong = [x.setting.id for x in found if x.verdict != "same"]
        assert wrong == ([m.id] if other != keyed[m.id] else [])
