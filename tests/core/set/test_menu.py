"""Menus as data: what does not go together is refused, meanings fill whatever lines there are, and
windows of every make come back as they were planned.
"""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from gumboot.catalogue import catalogue
from gumboot.core.energy import year
from gumboot.core.kit import Catalogue, Inverter, MenuItem
from gumboot.core.plan import Plan, Slot, Work
from gumboot.core.set.settings import Job, fill_menu, parse_slot, without_work, work_keyed
from gumboot.core.set.settings.battery_rules import CELL_V
from gumboot.core.set.settings.windows import keyed
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, TERN_HOLLOW
from tests.conftest import altered
from tests.designs import design

SHELF = catalogue()
GRID_AND_GENERATOR = ("grid_charge_a", "gen_charge_a")
C6 = SHELF.inverters["marram-c6"]


def line(id, rule="own", **more):
    return MenuItem(id=id, group="g", label=id, rule=rule, **more)


def job(menu, document=HERON_SLIP, cells=None, chemistry=None, **work):
    """A job whose unit has another menu, and other cells."""
    plan = Plan.model_validate(document)
    if work:
        plan = altered(plan, "/energy/work", Work(**work).model_dump())
    unit = SHELF.inverters[plan.kit.inverter].model_copy(update={"menu": tuple(menu)})
    pack = SHELF.packs[plan.kit.pack]
    if cells:
        pack = pack.model_copy(update={"cells": cells, "chemistry": chemistry, "form": "pack"})
    return Job(plan, unit, pack, None, ())


def test_a_unit_with_sixty_eight_numbered_lines_of_every_kind():
    assert [m.number for m in C6.menu] == [f"{n:02d}" for n in range(1, 69)]
    for unit in SHELF.inverters.values():
        numbers = [m.number for m in unit.menu]
        assert all(numbers) and len(set(numbers)) == len(numbers), unit.id
        places = [(m.read_at.number) for m in unit.menu if m.read_at]
        assert len(set(places)) == len(places), unit.id


@pytest.mark.parametrize(
    ("more", "field"),
    [
        ({"least": 5, "most": 2}, "most"),
        ({"options": ("on", "on")}, "options"),
        ({"options": ("on", "off"), "codes": ("1",)}, "codes"),
        ({"options": ("on", "off"), "means": ("on",)}, "means"),
        ({"options": ("on", "off"), "values": (1, 2, 3)}, "values"),
        ({"when": "a"}, "when"),
    ],
)
def test_a_line_that_contradicts_itself_is_refused_at_its_field(more, field):
    with pytest.raises(ValidationError) as told:
        line("a", **more)
    assert told.value.errors()[0]["ctx"]["error"].field == field


@pytest.mark.parametrize(
    ("menu", "field", "says"),
    [
        ((line("a"), line("a")), "menu/1/id", "twice"),
        ((line("a", when="z", when_is=("x",)),), "menu/0/when", "no line"),
        ((line("a", rewrites=("z",)),), "menu/0/rewrites", "no line"),
        (
            (
                line("a", options=("x",), when="b", when_is=("x",)),
                line("b", options=("x",), when="a", when_is=("x",)),
            ),
            "menu/0/when",
            "under itself",
        ),
        ((line("a", options=("x",)), line("b", when="a", when_is=("y",))), "menu/1/when_is", "no"),
    ],
)
def test_lines_that_do_not_go_together_are_refused_at_the_field(menu, field, says):
    body = {**C6.model_dump(), "menu": [m.model_dump() for m in menu]}
    with pytest.raises(ValidationError) as told:
        Inverter.model_validate(body)
    error = told.value.errors()[0]["ctx"]["error"]
    assert error.field == field and says in str(error)


# V a cell, from trade handbooks, from memory: a second recall of the ranges of each chemistry
PUBLISHED = {
    "LFP": {"absorb": (3.45, 3.55), "float": (3.35, 3.40), "cut": (2.80, 3.00), "warn": (3.0, 3.1)},
    "NMC": {"absorb": (4.05, 4.15), "float": (3.95, 4.05), "cut": (3.0, 3.3), "warn": (3.3, 3.5)},
    "sealed": {"absorb": (2.35, 2.40), "float": (2.25, 2.25), "cut": (1.75, 1.90)},
    "flooded": {"absorb": (2.40, 2.45), "float": (2.25, 2.25), "equalise_v": (2.50, 2.58)},
    "gel": {"absorb": (2.30, 2.35), "float": (2.25, 2.25), "cut": (1.75, 1.90)},
}


@pytest.mark.parametrize("chemistry", PUBLISHED)
@pytest.mark.parametrize("nominal", [12, 24, 48, 460])
def test_volts_follow_the_cells_at_every_bank(chemistry, nominal):
    """12, 24 and 48 V banks and a high-voltage stack: 3.2 V a cell of LFP, 3.65 V of NMC, 2 V
    of lead.
    """
    cells = round(nominal / {"LFP": 3.2, "NMC": 3.65}.get(chemistry, 2.0))
    rules = ("cut", "warn", "recover", "recharge", "float", "absorb", "hard_stop", "equalise_v")
    rows = fill_menu(job([line(r, r, unit="V") for r in rules], cells=cells, chemistry=chemistry))
    of = {s.id: s.value for s in rows}
    for rule, (low, high) in PUBLISHED[chemistry].items():
        assert low * cells - 0.05 <= of[rule] <= high * cells + 0.05, rule
    order = ["hard_stop", "cut", "warn", "recover", "recharge", "float", "absorb"]
    assert [of[r] for r in order] == sorted(of[r] for r in order)
    assert ("equalise" in CELL_V[chemistry]) == (chemistry == "flooded")


def test_a_line_shows_under_another_and_is_judged_only_then():
    """Without a BMS link a floor by state of charge shows nowhere, and cannot be out of order."""
    rows = {s.id: s for s in design(Plan.model_validate(JUNIPER_CUT), SHELF).settings}
    assert not rows["floor_off_grid"].shown and rows["equalise_min"].shown
    off = altered(Plan.model_validate(JUNIPER_CUT), "/settings", {"equalise": "off"})
    assert not {s.id: s for s in design(off, SHELF).settings}["equalise_min"].shown


def test_what_is_part_of_the_charge_current_follows_what_is_keyed():
    """Else its own order would be broken, and its cure would take the keyed value back."""
    whole = Plan.model_validate(JUNIPER_CUT)
    for amps in (77, 30, 5):
        d = design(altered(whole, "/settings", {"charge_a": amps}), SHELF)
        rows = {s.id: s.value for s in d.settings}
        assert rows["gen_charge_a"] <= amps and rows["tail_a"] < amps
        assert not [f.key for f in d.findings if f.key.startswith("set.") and f.level == "stop"]


def test_what_the_grid_charges_with_is_no_matter_of_a_generator_at_its_own_port():
    """14 kW at a port of its own hold back what comes in there, and not the grid; without one the
    line does nothing, and says so.
    """
    tern = Plan.model_validate({**TERN_HOLLOW, "walls": []})
    unit = SHELF.inverters["marram-s8"]
    lines = [next(m for m in unit.menu if m.rule == "charge")]
    lines = [lines[0].model_copy(update={"id": r, "rule": r}) for r in GRID_AND_GENERATOR]
    mine = unit.model_copy(update={"menu": (*unit.menu, *lines)})
    shelf = Catalogue(mine if e.id == unit.id else e for e in SHELF.entries.values())

    def keyed(plan):
        return {s.id: s for s in design(plan, shelf).settings}

    small = keyed(altered(tern, "/kit/generator/power_w", 4000))
    assert small["gen_charge_a"].value == 58  # 0.8 * 4000 * 0.94 / 51.2 V, by hand
    assert small["grid_charge_a"].value == small["charge_a"].value == 68  # of its thin conductor
    none = keyed(altered(tern, "/kit/generator", None))
    assert "does nothing" in none["gen_charge_a"].reason
    assert none["grid_charge_a"].value == 68


def test_a_line_without_a_known_meaning_keeps_the_makers_own_and_says_so():
    (row,) = fill_menu(job([line("beep", "alarm.sound", options=("a", "b"), default="b")]))
    assert row.value == "b" and "no rule is known" in row.reason and not row.lacking


def test_what_a_choice_means_stands_apart_from_what_it_is_called():
    """A sheet that says what its codes mean needs no word that we know."""
    row = line("t", "lithium", options=("T1", "T2"), means=("lead, flooded", "lithium with BMS"))
    (s,) = fill_menu(job([row]))
    assert s.value == "T2" and s.means_now == "lithium with BMS"


SHAPES = {
    "whole": lambda way, n: [line(f"{way}{n}", f"window.{way}.{n}", unit="slot")],
    "start, end, charge": lambda way, n: [
        line(f"{way}{n}a", f"window.{way}.{n}.start", unit="time"),
        line(f"{way}{n}b", f"window.{way}.{n}.end", unit="time"),
        line(f"{way}{n}c", f"window.{way}.{n}.soc", unit="%", least=0, most=100, step=1),
    ],
    "switch, start, end, charge": lambda way, n: [
        line(f"{way}{n}e", f"window.{way}.{n}.enable", options=("off", "on"), means=("off", "on")),
        *SHAPES["start, end, charge"](way, n),
    ],
}
MODE = line("mode", "mode", options=("self-use", "backup first", "time windows"))
MINUTES = st.integers(0, 95).map(lambda n: 15 * n)
SLOTS = st.builds(
    lambda a, b, soc: Slot(start_min=a, end_min=b or 1440, soc=soc),
    MINUTES,
    MINUTES,
    st.integers(5, 100),
).filter(lambda s: s.start_min != s.end_min % 1440)


@pytest.mark.parametrize("shape", SHAPES)
@given(charge=st.lists(SLOTS, max_size=3), give=st.lists(SLOTS, max_size=3))
def test_windows_go_into_any_shape_and_come_back(shape, charge, give):
    """What is keyed works as it was planned, through each shape of window."""
    menu = [MODE, *(x for w in ("charge", "give") for n in (1, 2, 3) for x in SHAPES[shape](w, n))]
    planned = {"mode": "windows", "charge": tuple(charge), "discharge": tuple(give)}
    rows = fill_menu(job(menu, **planned))
    work = work_keyed(rows, Work())
    assert (work.charge, work.discharge) == (tuple(charge), tuple(give))
    assert len(keyed(rows, parse_slot)) == len(charge) + len(give)


def test_what_the_year_lives_from_is_found_by_meaning_whatever_its_line_is_called():
    """Floors, charge limit and windows under keys of the sheet's own; taken out again for the best
    possible year.
    """
    menu = [
        MODE,
        line("p7", "floor_on_grid", least=0, most=100, unit="%"),
        line("p8", "charge", least=0, most=200, unit="A"),
        *SHAPES["start, end, charge"]("charge", 1),
    ]
    own = {"p7": 44, "p8": 33, "charge1a": "02:00", "p7.unit-2": 40, "mode": "time windows"}
    of = job(menu)
    settings = fill_menu(Job(altered(of.plan, "/settings", own), of.inverter, of.pack, None, ()))
    assert year.keyed(settings, "floor_on_grid", 20) == 0.44
    assert year.own_number(settings, "charge") == 33
    assert year.own_number(fill_menu(of), "charge") is None
    assert without_work(own, menu) == {"p7": 44, "p8": 33, "p7.unit-2": 40}


def test_a_window_of_start_and_end_alone_fills_to_the_top():
    menu = [MODE, line("a", "window.charge.1.start"), line("b", "window.charge.1.end")]
    slot = Slot(start_min=120, end_min=300, soc=80)
    work = work_keyed(fill_menu(job(menu, mode="windows", charge=(slot,))), Work())
    assert work.charge == (slot.model_copy(update={"soc": 100.0}),)


@pytest.mark.parametrize(
    ("chemistry", "cells", "to_grid", "to_battery"),
    [("LFP", 16, 49, 53), ("flooded", 24, 46, 54), ("sealed", 12, 23, 27)],
)
def test_back_to_grid_and_to_battery_in_volts_are_volts(chemistry, cells, to_grid, to_battery):
    """A menu has them in % or in V; 46 and 54 V of a 48 V lead bank are what such units come with
    (common practice). In V they stand above the cut-off and below absorption.
    """
    volts = {"unit": "V", "least": 20, "most": 60, "step": 1}
    lines = (
        line("grid", "back_to_grid", **volts),
        line("battery", "back_to_battery", **volts),
        line("cut", "cut", **volts),
        line("absorb", "absorb", **volts),
    )
    assert [x.rule for x in lines[:2]] == ["back_to_grid_v", "back_to_battery_v"]
    filled = {s.id: s.value for s in fill_menu(job(lines, cells=cells, chemistry=chemistry))}
    assert (filled["grid"], filled["battery"]) == (to_grid, to_battery)
    assert filled["cut"] < filled["grid"] < filled["battery"] <= filled["absorb"]
    share = {"unit": "%", "least": 0, "most": 100, "step": 1}
    charge = (line("grid", "back_to_grid", **share), line("start", "gen_start_v", **share))
    assert [x.rule for x in charge] == ["back_to_grid", "gen_start_soc"]


def test_a_pack_without_a_link_is_not_said_to_talk():
    of = job((line("absorb", "absorb", unit="V"), line("type", "lithium", options=("LFP", "AGM"))))
    alone = Job(of.plan, of.inverter, of.pack.model_copy(update={"link": "none"}), None, ())
    said = {s.id: s.why for s in fill_menu(alone)}
    assert "no link to a BMS" in said["absorb"] and "talks" not in said["type"]
    linked = {s.id: s.why for s in fill_menu(of)}
    assert "safety net" in linked["absorb"] and "talks" in linked["type"]
