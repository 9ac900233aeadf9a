"""Jobs of shapes the demo does not have, with equipment entered as a crew would: one pair for
battery and meter, packs counted from 0, a meter of three lines on one, sheets without pins.
"""

import copy

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.kit import Catalogue, entry
from gumboot.core.plan import Plan
from gumboot.demo import plans
from tests.designs import design

INV = {
    "kind": "inverter",
    "id": "own-h6",
    "maker": "Ownwright",
    "model": "H6",
    "supply": "single-phase 230 V",
    "power_w": 6000,
    "battery_v_min": 40,
    "battery_v_max": 60,
    "charge_max_a": 120,
    "pv_v_max": 600,
    "units_max": 3,
    "trackers": [{"id": "1", "v_min": 120, "v_max": 500, "i_mp_max_a": 14, "i_sc_max_a": 18}],
    "battery": {"i_max_a": 130, "protection_max_a": 160},
    "grid": {"i_max_a": 27, "protection_max_a": 32},
    "backup": {"i_max_a": 27, "protection_max_a": 32},
    "signals": [
        {
            "label": "SIG",
            "serves": ["BMS", "meter"],
            "connector": "pluggable clamps",
            "rows": 2,
            "keyed": "higher numbers",
            "pins": ["5 D+", "6 D−", "14 shield"],
            "protocols": ["own RS 1", "Modbus RTU"],
            "bit_rate": 9600,
            "terminator": "fixed",
            "strip_mm": 6,
            "holds": 2,
            "most": "1 mm²",
        },
        {
            "label": "SIG",
            "serves": ["shutdown"],
            "connector": "pluggable clamps",
            "rows": 2,
            "keyed": "higher numbers",
            "pins": ["7 12 V", "8 12 V return"],
            "supply_a": 2,
            "supply_least_v": 10.5,
            "strip_mm": 6,
        },
        {
            "label": "SIG",
            "serves": ["grid operator"],
            "connector": "pluggable clamps",
            "rows": 2,
            "keyed": "higher numbers",
            "pins": ["9 input 1", "10 input 2", "11 input 3", "12 input 4", "13 input common"],
            "strip_mm": 6,
        },
        {
            "label": "SYNC A",
            "serves": ["parallel out"],
            "connector": "round connector",
            "pins": ["A D+", "B D−"],
            "bit_rate": 115200,
        },
        {
            "label": "SYNC B",
            "serves": ["parallel in"],
            "connector": "round connector",
            "pins": ["A D+", "B D−"],
            "bit_rate": 115200,
        },
        {
            "label": "NET",
            "serves": ["network"],
            "connector": "8P8C",
            "pins": ["1 TX+", "2 TX−", "3 RX+", "6 RX−"],
        },
    ],
    "switches": [
        {
            "label": "MS",
            "sets": "leader",
            "count": 1,
            "patterns": ["leader = 1", "follower = 0", "alone = 1"],
        }
    ],
}
PACK = {
    "kind": "pack",
    "id": "own-p5",
    "maker": "Ownwright",
    "model": "P5",
    "chemistry": "LFP",
    "cells": 16,
    "capacity_ah": 100,
    "discharge_max_a": 100,
    "charge_max_a": 50,
    "bms_v_max": 57.6,
    "bms_v_min": 44.8,
    "parallel_max": 8,
    "breaker_a": 125,
    "addressing": "switches",
    "signals": [
        {
            "label": "A",
            "serves": ["BMS", "chain in"],
            "connector": "8P8C",
            "pins": ["1 D−", "2 D+", "6 enable", "7 enable return"],
            "protocols": ["own RS 1"],
            "bit_rate": 9600,
            "terminator": "switch",
        },
        {
            "label": "B",
            "serves": ["chain out"],
            "connector": "8P8C",
            "pins": ["1 D−", "2 D+", "6 enable", "7 enable return"],
            "protocols": ["own RS 1"],
            "bit_rate": 9600,
            "terminator": "switch",
        },
    ],
    "switches": [
        {"label": "SW", "count": 3, "on": "left", "first": 0, "patterns": ["programming = 111"]},
        {"label": "T", "sets": "terminator", "count": 1, "patterns": ["in = 1", "out = 0"]},
    ],
}
METER = {
    "kind": "meter",
    "id": "own-m3",
    "maker": "Ownwright",
    "model": "M3",
    "lines": 3,
    "ct_out_v": 0.333,
    "bus": "RS-485",
    "address": 2,
    "bit_rate": 9600,
    "signals": [
        {
            "label": "BUS",
            "serves": ["meter"],
            "connector": "screw clamps",
            "pins": ["21 D+", "22 D−"],
            "protocols": ["Modbus RTU"],
            "bit_rate": 9600,
            "terminator": "jumper",
            "strip_mm": 8,
            "torque_nm": 0.5,
        },
        {
            "label": "CT",
            "serves": ["CT"],
            "connector": "pluggable clamps",
            "pins": ["1 CT 1 S1", "2 CT 1 S2", "3 CT 2 S1", "4 CT 2 S2", "5 CT 3 S1", "6 CT 3 S2"],
            "strip_mm": 6,
            "cures": ["direction", "phases"],
        },
        {
            "label": "V",
            "serves": ["voltage taps"],
            "connector": "screw clamps",
            "pins": ["11 sense L1", "12 sense L2", "13 sense L3", "14 sense N"],
            "strip_mm": 8,
            "torque_nm": 0.6,
        },
    ],
    "switches": [{"label": "ADR", "count": 3, "first": 1}],
}
CT = {
    "kind": "ct",
    "id": "own-ct",
    "maker": "Ownwright",
    "model": "CT100",
    "primary_a": 100,
    "out_v": 0.333,
    "arrow": "grid",
}
OLD = {**copy.deepcopy(INV), "id": "own-old", "model": "OLD"}
OLD.pop("signals")
OLD.pop("switches")
OLD["links"] = [
    {
        "name": "BMS link",
        "conductors": "CAN",
        "to": "bank",
        "here": {"label": "CAN", "end": "plug", "form": "8P8C plug"},
        "there": {"label": "IN", "end": "plug", "form": "8P8C plug"},
    },
    {
        "name": "meter",
        "conductors": "RS-485",
        "to": "meter",
        "here": {
            "label": "M",
            "end": "spring",
            "form": "spring clamp",
            "poles": ["A", "B"],
            "strip_mm": 7,
        },
        "there": {
            "label": "meter",
            "end": "screw",
            "form": "screw clamp",
            "poles": ["A", "B"],
            "strip_mm": 7,
            "torque_nm": 0.5,
        },
    },
]
SHELF = [INV, PACK, METER, CT, OLD]


def base(src, **kit):
    d = copy.deepcopy(src)
    d["kit"] |= kit
    d.update(strings=[], walls=[], devices={}, settings={}, fitted={})
    d["safeguards"] = []
    d.setdefault("linking", {})
    return d


M, S = plans.MOSSBANK_TERRACE, plans.SALTINGS_BARN


def jobs():
    a = base(
        M,
        inverter="own-h6",
        pack="own-p5",
        packs=4,
        gateway=None,
        meter="own-m3",
        ct="own-ct",
        existing_pv=None,
    )
    a["linking"] = {"grid_operator": True, "network": "wire"}
    yield "one unit, four packs, meter and bank on one pair", a
    b = base(
        S,
        inverter="own-h6",
        inverters=3,
        pack="own-p5",
        packs=6,
        gateway=None,
        meter="own-m3",
        ct="own-ct",
        banks="one per inverter",
    )
    b["safeguards"] = [{"kind": "emergency shutdown", "at": "outside"}]
    yield "three single-phase units on three lines, a bank each", b
    c = base(M, inverter="own-old", pack="own-p5", packs=1, gateway=None, existing_pv=None)
    yield "an older edition without pins", c
    e = base(M, inverter="own-h6", pack="tidewell-9", packs=2, gateway=None, existing_pv=None)
    yield "unit and pack that share no bus", e
    f = base(
        M, inverter="own-h6", pack="own-p5", packs=8, gateway=None, meter="own-m3", ct="own-ct"
    )
    f["kit"]["inverters"] = 2
    f["linking"] = {
        "router": "10.0.0.1",
        "network": "cellular",
        "addresses": {"inverter-1": "10.0.1.4"},
    }
    yield "two in parallel, eight packs, PV inverter there", f
    g = base(
        S, inverter="marram-t10", pack="saltmarsh-v5", gateway=None, meter="own-m3", ct="own-ct"
    )
    g["kit"]["existing_pv"] = {"power_w": 9000, "side": "grid side", "line": "all"}
    g["linking"] = {"heat_pump": 2, "network": "wireless"}
    yield "three phases with PV on three, wrong pins", g


JOBS = dict(jobs())
KIT = Catalogue([*(entry.validate_python(x) for x in SHELF), *catalogue().entries.values()])


def made(name):
    return design(Plan.model_validate(JOBS[name]), KIT).harness


def found(h, level):
    return [f.key for f in h.found if f.level.value == level]


@pytest.mark.parametrize("name", JOBS)
def test_every_step_is_told_apart_and_every_bus_a_line(name):
    h = made(name)
    assert h.leads and len({s.key for s in h.steps}) == len(h.steps)
    assert all(b.line for b in h.buses)


def test_battery_and_meter_on_one_pair_are_one_bus_with_the_unit_in_the_middle():
    h = made("one unit, four packs, meter and bank on one pair")
    (bus,) = h.buses
    assert [s.body for s in bus.stations] == [
        *(f"pack-{n}" for n in (4, 3, 2, 1)),
        "inverter-1",
        "main-panel",
    ]
    assert h.lead("link-meter").here.twin == ("5", "6"), "two wires in one clamp"
    assert [x for x in found(h, "check") if "middle" in x]
    assert found(h, "stop") == ["link.shared.main-panel"], "the meter and pack 3 are both at 2"


def test_a_meter_of_three_lines_on_one_leaves_the_others_free():
    h = made("one unit, four packs, meter and bank on one pair")
    pins = {x.cable.serves: [c.does for c in x.cable.cores] for x in h.leads}
    assert pins["CT"] == ["CT 1 S1", "CT 1 S2"]
    assert pins["voltage taps"] == ["sense L1", "sense N"]


def test_a_bank_each_has_addresses_of_its_own():
    h = made("three single-phase units on three lines, a bank each")
    per = [[s.means for s in b.settings if s.sets == "address"] for b in h.banks]
    assert per == [["address 0", "address 1"]] * 3
    assert len([x for x in found(h, "check") if x.startswith("link.enable")]) == 1
    assert any(x.startswith("link.contact") for x in found(h, "stop"))


def test_a_sheet_without_pins_is_said_and_its_lead_listed():
    h = made("an older edition without pins")
    assert [x.id for x in h.leads] == ["link-BMS link", "link-meter"]
    assert not h.leads[0].known and h.leads[1].known
    assert found(h, "note") == ["link.pins.link-BMS link"]


def test_no_bus_in_common_and_too_few_switches():
    assert "link.protocol" in found(made("unit and pack that share no bus"), "stop")
    h = made("two in parallel, eight packs, PV inverter there")
    assert "link.address.pack-8" in found(h, "stop"), "111 means being programmed"
    assert "link.net.inverter-1" in found(h, "check")


def test_three_phases_with_pv_on_three_lines():
    h = made("three phases with PV on three, wrong pins")
    assert {x.cable.serves for x in h.leads} >= {"BMS", "meter", "CT", "voltage taps", "heat pump"}
    assert any(s.key == "network.level" for s in h.steps)
