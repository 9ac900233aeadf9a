"""The menu filled, its order held. Cell voltages are common practice, from memory: the ranges here
are the second recall.
"""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.clock import NotATime
from gumboot.core.plan import Plan, Work
from gumboot.core.set.settings import SLOT, parse_slot, show_slot, work_keyed
from tests.conftest import altered
from tests.designs import design
from tests.shapes import SHAPES

RANGES = {
    "absorb_v": (3.45, 3.55),
    "float_v": (3.35, 3.40),
    "cut_v": (2.80, 3.00),
    "warn_v": (3.00, 3.10),
    "recover_v": (3.20, 3.25),
}


def sheet(plan):
    return {s.id: s for s in design(plan, catalogue()).settings}


def keys(plan):
    d = design(plan, catalogue())
    return {f.key: f for f in (*d.findings, *d.duties)}


@pytest.mark.parametrize(("id", "band"), RANGES.items())
def test_safety_net_voltages_are_lfp(heron, id, band):
    """51.2 V LFP is 16 cells."""
    assert band[0] * 16 - 0.05 <= sheet(heron)[id].value <= band[1] * 16 + 0.05


def test_every_line_has_its_reason_and_fits_its_menu(heron):
    for s in sheet(heron).values():
        assert s.reason
        assert (
            s.value in s.options
            if s.options
            else s.value == "off"
            if s.unit == SLOT
            else s.least <= s.value <= s.most
        )


def test_current_is_the_least_of_bms_inverter_and_conductor(heron):
    """Two packs of 140 A charge into one inverter of 190 A over 250 kcmil and a 250 A breaker (200
    A):
    the inverter decides, 190 A.
    """
    assert (
        sheet(heron)["charge_a"].value == 190
        and "the inverter decides" in sheet(heron)["charge_a"].reason
    )
    one = altered(heron, "/kit/packs", 1)
    assert sheet(one)["charge_a"].value == 140 and "BMS decides" in sheet(one)["charge_a"].reason
    thin = altered(heron, "/fitted/battery-1/size", "4")
    assert (
        sheet(thin)["charge_a"].value == 68
        and "conductor and breaker decides" in sheet(thin)["charge_a"].reason
    )


def test_a_smaller_conductor_may_be_kept_by_a_setting(heron):
    """4 AWG carries 85 A at its 75 °C terminals whatever the method (110.14(C), 310.16): 68 A
    continuous, if the setting and the breaker hold it there.
    """
    limited = altered(
        altered(altered(heron, "/fitted/battery-1/size", "4"), "/settings/charge_a", 68),
        "/settings/discharge_a",
        68,
    )
    assert "battery-1.conductor" not in keys(limited)
    assert keys(limited)["bank.limited"].level == "duty"
    assert {s.id: s for s in design(limited, catalogue()).circuits}[
        "battery-1"
    ].protection.value == 90


@pytest.mark.parametrize(
    ("id", "value", "key"),
    [
        ("cut_v", 50, "set.cut_v.warn_v"),
        ("warn_v", 53, "set.warn_v.recover_v"),
        ("recover_v", 54, "set.recover_v.float_v"),
        ("float_v", 57, "set.float_v.absorb_v"),
        ("floor_off_grid", 25, "set.floor_off_grid.floor_on_grid"),
        ("reserve_soc", 10, "set.floor_on_grid.reserve_soc"),
        ("back_to_grid", 60, "set.back_to_grid.back_to_battery"),
        ("absorb_v", 58, "set.absorb_v.bms"),
        ("charge_a", 190.5, "set.charge_a.value"),
        ("absorb_v", "high", "set.absorb_v.value"),
        ("mode", "party", "set.mode.value"),
        ("export_w", -5, "set.export_w.value"),
    ],
)
def test_a_broken_order_is_a_stop_with_the_way_back(heron, id, value, key):
    found = keys(altered(heron, f"/settings/{id}", value))[key]
    assert found.level == "stop" and found.cures[0].changes[0].value is None


def test_equal_is_allowed_where_the_rule_says_so(heron):
    assert not any(k.startswith("set.") for k in keys(altered(heron, "/settings/float_v", 56)))


def test_more_current_than_the_packs_take(tern):
    one = altered(altered(altered(tern, "/fitted", {}), "/kit/packs", 1), "/settings/charge_a", 150)
    assert keys(one)["set.charge_a.limit"].level == "stop"


def test_the_demo_is_faulty_on_purpose_and_its_fellow_is_not(tern, heron):
    assert {k for k, f in keys(tern).items() if f.level == "stop"} == {
        "pv-C.cold",
        "bus.overfed",
        "battery-2.conductor",
        "board.L1.running",
        "wall-A.near.pack-1.pack-2",
        "wall-A.wood.inverter-2",
    }
    assert not [k for k, f in keys(heron).items() if f.level == "stop"]


def test_conductors_are_not_sized_for_a_limit_that_the_menu_does_not_take(heron):
    for charge, discharge in ((0.1, 0.1), (100, "low"), (100, None)):
        plan = altered(
            altered(heron, "/settings/charge_a", charge), "/settings/discharge_a", discharge
        )
        assert {s.id: s for s in design(plan, catalogue()).circuits}[
            "battery-1"
        ].circuit.current.n == 190


# How the battery works, keyed.

WINDOWS = {
    "mode": "windows",
    "spare_sun": "grid",
    "charge": [{"start_min": 120, "end_min": 300, "soc": 80}],
    "discharge": [{"start_min": 1020, "end_min": 1320, "soc": 20}],
}


def test_windows_go_into_the_menu_and_come_back(heron):
    plan = Plan.model_validate({**heron.model_dump(), "energy": {"work": WINDOWS}})
    lines = sheet(plan)
    assert {
        k: lines[k].value
        for k in ("mode", "charge_1", "charge_2", "give_1", "grid_charge", "spare_sun")
    } == {
        "mode": "time windows",
        "charge_1": "02:00-05:00 to 80 %",
        "charge_2": "off",
        "give_1": "17:00-22:00 to 20 %",
        "grid_charge": "on",
        "spare_sun": "grid",
    }
    assert work_keyed(list(lines.values()), Work()) == plan.energy.work
    assert (
        sheet(heron)["mode"].value == "self-use"
        and work_keyed(list(sheet(heron).values()), plan.energy.work) == Work()
    )


@pytest.mark.parametrize(
    ("typed", "slot"),
    [
        ("2-5 to 80", (120, 300, 80)),
        ("22:30-6 to 55.5 %", (1350, 360, 55.5)),
        ("10 pm - 6 am, 40", (1320, 360, 40)),
        ("off", None),
        ("", None),
    ],
)
def test_a_window_as_it_is_typed(typed, slot):
    found = parse_slot(typed)
    assert (found and (found.start_min, found.end_min, found.soc)) == slot
    assert found is None or parse_slot(show_slot(found)) == found


@pytest.mark.parametrize(
    "typed", ["2-5", "to 80 %", "2-5, 6-7 to 80 %", "2-5 to 180 %", "soon to 80 %"]
)
def test_what_is_no_window_says_what_to_type(typed):
    with pytest.raises(NotATime, match=r"type|line"):
        parse_slot(typed)


def test_windows_that_do_nothing_or_overlap_are_found(heron):
    plan = Plan.model_validate({**heron.model_dump(), "energy": {"work": WINDOWS}})
    off = keys(altered(plan, "/settings/grid_charge", "off"))
    assert (
        off["set.grid_charge.windows"].level == "check"
        and off["set.grid_charge.windows"].cures[0].changes
    )
    assert "set.windows" in keys(
        altered(plan, "/settings/charge_2", "18-19 to 90 %")
    ) and "set.windows" not in keys(plan)
    assert (
        keys(altered(plan, "/settings/charge_2", "sometimes"))["set.charge_2.value"].level == "stop"
    )


def test_the_operators_export_limit_is_keyed_and_kept(heron):
    plan = Plan.model_validate(
        {**heron.model_dump(), "energy": {"tariff": {"export_limit_w": 3680}}}
    )
    assert sheet(plan)["export_w"].value == 3600 and "set.export_w.limit" not in keys(plan)
    assert keys(altered(plan, "/settings/export_w", 8000))["set.export_w.limit"].level == "stop"


@pytest.mark.parametrize("name", [n for n in SHAPES if SHAPES[n]["kit"].get("pack")])
def test_units_ask_of_a_bank_what_its_packs_allow(name):
    """Every unit charges with all that its bank, its port or its wire allows, whichever is least:
    units on one bank share its packs, units with a bank of their own do not (arithmetic).
    """
    d = design(Plan.model_validate(SHAPES[name]), catalogue())
    row = next((s for s in d.settings if s.rule == "charge" and not s.lacking), None)
    if row is None or d.bank is None or row.chosen:
        return
    sharing = d.plan.kit.inverters / d.bank.banks
    wire = min(s.permitted.n for s in d.circuits if s.circuit.family == "battery")
    packs = d.bank.count * d.pack.charge_max_a / sharing
    allowed = min(packs, d.inverter.charge_max_a, wire)
    assert allowed - (row.step or 1) <= row.proposed <= allowed + 1e-9


def test_nothing_calls_a_generator_that_a_hand_throws_in():
    """On the loads panel, behind an interlock, a start by itself would run it for nothing."""
    d = design(Plan.model_validate(SHAPES["generator on the board"]), catalogue())
    assert {s.value for s in d.settings if s.rule == "gen_auto"} <= {"off"}
    assert not [x for x in d.links if x.serves == "generator"]
