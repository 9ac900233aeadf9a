"""A high-voltage pack of nickel manganese cobalt, as a crew enters it: its volts, its type in the
menu, its ladder and its tests are those of its cells.
"""

import copy

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.kit import Catalogue, entry
from gumboot.core.plan import Plan
from gumboot.core.prove.listing import dues_of
from gumboot.core.set.ladder import CELL_BAND
from gumboot.demo.plans import SALTINGS_BARN
from tests.designs import design

SHELF = catalogue()
CELLS = 96
PACK = {
    "kind": "pack",
    "id": "own-n96",
    "maker": "Ownwright",
    "model": "N96",
    "form": "pack",
    "chemistry": "NMC",
    "cells": CELLS,
    "capacity_ah": 30,
    "discharge_max_a": 30,
    "charge_max_a": 25,
    "bms_v_min": 3.0 * CELLS,
    "bms_v_max": 4.15 * CELLS,
    "parallel_max": 2,
}
TYPES = ("LFP, BMS", "Li-ion NMC, BMS", "AGM")


def shelf(chemistries=("LFP", "NMC"), types=TYPES):
    unit = SHELF.inverters["marram-t10"].model_dump(mode="json")
    unit |= {"id": "own-t10", "model": "T10 own", "chemistries": chemistries}
    for m in unit["menu"]:
        if m["rule"] == "lithium":
            m |= {"options": types, "codes": [], "values": [], "means": []}
    own = [entry.validate_python(copy.deepcopy(x)) for x in (unit, PACK)]
    return Catalogue([*own, *SHELF.entries.values()])


def made(book, **keyed):
    plan = copy.deepcopy(SALTINGS_BARN)
    plan["kit"] |= {"inverter": "own-t10", "pack": "own-n96", "packs": 1, "series": 1}
    plan["settings"] = keyed
    return design(Plan.model_validate(plan), book)


def stops(d):
    return {f.key: f.says for f in d.findings if f.level == "stop"}


def test_its_volts_are_those_of_its_cells():
    """96 cells: 350 V by 3.65 V a cell (common practice), never above what the BMS bears."""
    d = made(shelf())
    assert d.pack.v_nom == pytest.approx(350.4) and d.pack.lithium and d.pack.depth == 0.9
    assert d.bank.v_low.n == pytest.approx(3.2 * CELLS)
    volts = [s for s in d.settings if s.unit == "V" and s.rule in ("absorb", "float", "cut")]
    for s in volts:
        low, high = (x * CELLS for x in CELL_BAND["NMC"])
        assert low < s.value < high and s.value <= d.pack.bms_v_max, s.id
    assert not [k for k in stops(d) if k.startswith("set.")]


def test_its_type_is_keyed_and_no_other_lithium():
    d = made(shelf())
    (line,) = [s for s in d.settings if s.rule == "lithium"]
    assert line.value == "Li-ion NMC, BMS" and "another lithium" in line.reason
    wrong = made(shelf(), **{line.id: "LFP, BMS"})
    assert f"set.{line.id}.cells" in stops(wrong)
    plain = made(shelf(types=("Lithium", "AGM")))
    assert next(s for s in plain.settings if s.rule == "lithium").value == "Lithium"


def test_a_unit_that_charges_other_cells_is_a_stop():
    told = stops(made(shelf(chemistries=("LFP",))))
    assert any("NMC" in says for says in told.values())
    assert not any("NMC" in says and "charges" in says for says in stops(made(shelf())).values())


def test_what_its_cells_show_at_full_output_is_expected():
    rows = {x.key: x for x in dues_of(made(shelf()))}
    band = rows["battery.volts"].band
    assert 3.3 * CELLS < band.low < band.expected.n < band.high < 4.0 * CELLS
