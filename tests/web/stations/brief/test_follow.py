"""What follows from a choice in the brief, and how its faults are named."""

import html

from gumboot.catalogue import catalogue
from gumboot.core.brief.suits import suits_supply, suits_unit
from gumboot.web.stations.brief.kit_form import follows, labels, sections

SHELF = catalogue()


def follows_(typed, changed):
    return follows(typed, changed, SHELF)


def sections_(typed, rows, **more):
    return sections(typed, rows, SHELF, **more)


FIRST = {"code": "nec-2023", "supply/kind": "split-phase 120/240 V", "kit/inverter": "marram-s8"}


def test_a_book_brings_its_units_supply_and_kit():
    typed = follows_({**FIRST, "code": "iec-60364", "kit/pack": "tidewell-14"}, "code")
    assert (typed["units"], typed["supply/kind"]) == ("si", "single-phase 230 V")
    unit = SHELF.inverters[typed["kit/inverter"]]
    assert unit.supply == "single-phase 230 V" and suits_unit(SHELF.packs[typed["kit/pack"]], unit)


def test_a_supply_brings_a_unit_and_a_unit_a_pack():
    typed = follows_({**FIRST, "supply/kind": "three-phase 400/230 V"}, "supply/kind")
    unit = SHELF.inverters[typed["kit/inverter"]]
    assert unit.supply == "three-phase 400/230 V"
    pack = SHELF.packs[typed["kit/pack"]]
    n = int(typed["kit/series"])
    assert unit.battery_v_min <= n * pack.bms_v_min and n * pack.bms_v_max <= unit.battery_v_max


def test_what_suits_already_stays():
    typed = {**FIRST, "kit/pack": "tidewell-5r", "units": "si"}
    assert follows_(typed, "kit/inverter") == typed and follows_(typed, "kit/packs") == typed


def test_lists_hold_what_suits_and_trackers_are_the_units_own():
    shown = {f.path: f for _, fields in sections_(FIRST, 1) for f in fields}
    units = [k for k, _ in shown["kit/inverter"].choices]
    assert units and all(suits_supply(SHELF.inverters[k], FIRST["supply/kind"]) for k in units)
    ids = [t.id for t in SHELF.inverters["marram-s8"].trackers]
    offered = [k for k, _ in shown["strings/0/tracker"].choices if k]
    assert offered[: len(ids)] == ids
    kept = {f.path: f for _, x in sections_({**FIRST, "kit/inverter": "marram-t10"}, 1) for f in x}
    assert "marram-t10" in dict(kept["kit/inverter"].choices)


def test_a_fault_is_named_as_its_field_is(planner, new_job, tern):
    names = labels(sections_(FIRST, 2))
    assert names["runs/grid/length_m"].endswith("main panel, length")
    assert names["strings/1/modules"] == "String row 2, modules"
    typed = {**FIRST, "rows": "2", "site/name": "X", "strings/0/letter": "A"}
    page = planner.post(f"/jobs/{new_job(tern)}/brief", typed)
    text = html.unescape(page.text)
    assert page.status_code == 422 and "String row 1, modules</a>:" in text
    assert "strings 0 modules" not in text
