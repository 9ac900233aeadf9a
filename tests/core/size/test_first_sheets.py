"""What the first figures of a crew's own sheet come to: what opens a stack, what a maker's largest
rating allows, which bar a single-phase unit fills, which gateway a house takes.
"""

import copy
import re

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.basis.sizes import area_mm2
from gumboot.core.brief.suits import gateways
from gumboot.core.kit import Catalogue, entry
from gumboot.core.network import isolate
from gumboot.core.plan import Plan
from gumboot.core.size.finder import Face, find
from gumboot.core.size.strings import takers
from gumboot.demo.plans import HERON_SLIP, SALTINGS_BARN
from tests.designs import design
from tests.shapes import SHAPES, other, runs

SHELF = catalogue()


def own(id, of, **changes):
    """A shelf with an entry of the crew's own that differs from one it ships."""
    document = SHELF.entries[of].model_dump(mode="json")
    for path, value in changes.items():
        *way, last = path.split("__")
        at = document
        for step in way:
            at = at[step]
        at[last] = value
    mine = entry.validate_python({**document, "id": id})
    return Catalogue([*SHELF.entries.values(), mine], {id})


@pytest.mark.parametrize(
    ("shape", "of", "changes"),
    [
        (SALTINGS_BARN, "saltmarsh-v5", {}),
        (SALTINGS_BARN, "saltmarsh-v5", {"kit__packs": 2}),
        (SHAPES["two stacks on one unit"], "saltmarsh-u5", {}),
    ],
    ids=["a stack", "two stacks", "two stacks each on an input"],
)
def test_a_stack_without_a_breaker_of_its_own_gets_one(shape, of, changes):
    """Nothing of a stack's own opens it: a fuse at its post and a breaker ahead of the unit do, and
    work at the unit opens that breaker (NEC 706.15, IEC 60364-5-57, from memory: a disconnecting
    means for storage).
    """
    bare = own("own-v", of, breaker_a=None, breaker_interrupt_a=None)
    way = shape["runs"]["battery"]
    plan = other(shape, kit__pack="own-v", runs=runs(shape, pack=way), **changes)
    d = design(Plan.model_validate(plan), bare)
    stops = [f.says for f in d.findings if f.level == "stop" and f.key.startswith(("bank", "kit"))]
    assert stops == []
    by = {s.id: s for s in d.network.switches}
    assert {s.kind for s in by.values() if s.works == "battery"} == {"fuse", "breaker"}
    opened = isolate(d.network, "inverter-1").opened
    assert [s.kind for s in opened if s.works == "battery"] == ["breaker"]
    rows = [r for r in d.disconnects if any(x.startswith("pack") for x in r.sources)]
    assert rows and all(by[x].works == "battery" for r in rows for x in r.switches)
    told = [f.level for f in d.findings if f.key == "bank.bare"]
    assert told == (["check"] if shape["kit"].get("hookup") == "inputs" else [])


def test_a_batterys_breaker_is_no_larger_than_its_ports_maker_allows():
    """IEC 60364: 1.25 times 211 A is common practice and asks 315 A; the maker allows 300 A, and
    250 A carries it (433.1).
    """
    shelf = own(
        "own-k",
        "marram-k5",
        battery__i_max_a=211,
        battery__protection_max_a=300,
        battery__protection_named_a=None,
    )
    shape = SHAPES["a single-phase hybrid off grid at 230 V, lead"]
    d = design(Plan.model_validate(other(shape, kit__inverter="own-k")), shelf)
    lead = next(s for s in d.circuits if s.id == "battery-1")
    assert lead.protection is not None and lead.protection.n == 250
    assert not [f for f in d.findings if f.key == "battery-1.maker"]


def test_units_on_lines_of_their_own_fill_each_its_own_bar():
    """Three breakers of one pole on three lines: each bar of a combining panel has one of them (NEC
    705.12(B)(3), from memory); three on one line are summed.
    """
    plan = SHAPES["units of 120 V on three lines"]
    bars = {}
    for lines in ("L1 L2 L3", "L1 L1 L1"):
        document = other(plan, kit__lines=lines)
        buses = design(Plan.model_validate(document), SHELF).buses
        bars[lines] = {b.body: b.used_sum.n for b in buses if b.used_sum and "combiner" in b.body}
    shared, alone = bars["L1 L1 L1"], bars["L1 L2 L3"]
    assert alone and all(shared[k] == pytest.approx(3 * alone[k]) for k in alone)


@pytest.mark.parametrize(
    ("line", "pushed"), [("L1", 3600 / 230), ("L2", 0.0), ("all", 3600 / 3**0.5 / 400)]
)
def test_a_bar_is_fed_by_what_stands_on_its_line(line, pushed):
    """Beside a unit on L1 a PV inverter of 3.6 kW adds P/U there, P/(√3·U) on all lines, on
    L2 nothing (arithmetic). It was added wherever it stood.
    """
    unit = {"kit__inverters": 1, "kit__lines": "L1", "kit__existing_pv": None}
    plan = other(SHAPES["single-phase units on three lines"], **unit)
    alone = design(Plan.model_validate(plan), SHELF).bus.output.n
    pv = {"power_w": 3600, "line": line, "side": "grid side"}
    both = design(Plan.model_validate(other(plan, kit__existing_pv=pv)), SHELF).bus.output.n
    assert both - alone == pytest.approx(pushed)


def test_a_house_of_three_lines_takes_no_gateway_of_one():
    single = SHELF.inverters["marram-h6"]
    assert single.supply == "single-phase 230 V"
    for kind in ("single-phase 230 V", "three-phase 400/230 V"):
        offered = gateways(SHELF, single, kind)
        assert offered and all(SHELF.gateways[g].supply == kind for g in offered)
    alone = gateways(SHELF, single, "off-grid")
    assert alone and all(SHELF.gateways[g].supply == single.supply for g in alone)


def test_a_unit_that_takes_less_power_than_one_string_makes_says_so():
    unit = SHELF.inverters["marram-s8"].model_copy(update={"pv_power_max_w": 1200.0})
    heron, module = Plan.model_validate(HERON_SLIP), SHELF.modules["reedbed-430"]
    found = find(heron, list(takers(heron, unit, None, None)), module, [Face(20, 30, 180)])
    modules, watts = re.search(
        r"has (\d+) modules, (\d+) W; it takes 1200 W", found.reason
    ).groups()
    assert not found.best and int(watts) == int(modules) * module.p_max_w


@pytest.mark.parametrize(
    ("most", "least", "volts"),
    [(2.40, 1.75, {"absorb": 57.6, "cut": 44.4}), (2.60, 1.90, {"absorb": 58.3, "cut": 45.6})],
)
def test_volts_are_held_to_what_the_packs_sheet_takes(most, least, volts):
    """24 cells in series; absorption at 2.43 V and the cut-off at 1.85 V a cell are common
    practice, and the sheet's own limits go before them.
    """
    shape = copy.deepcopy(SHAPES["off grid, lead"])
    pack = SHELF.packs[shape["kit"]["pack"]]
    shelf = own("own-l", pack.id, bms_v_max=most * pack.cells, bms_v_min=least * pack.cells)
    shape["kit"] |= {"pack": "own-l"}
    shape["settings"] = {}
    d = design(Plan.model_validate(shape), shelf)
    got = {s.rule: s.value for s in d.settings if s.rule in volts}
    assert got == pytest.approx(volts, abs=0.051)
    assert not [f.says for f in d.findings if f.key.endswith(".bms")]


def test_counts_are_said_as_people_say_them():
    document = other(SALTINGS_BARN, kit__packs=5, kit__hookup="inputs")
    d = design(Plan.model_validate(document), SHELF)
    says = next(f.says for f in d.findings if f.key == "bank.stacks")
    assert says.startswith("5 stacks for one inverter: ")


@pytest.mark.parametrize(
    ("changes", "key", "level"),
    [
        ({"backup__loads": "nothing"}, "unit.unconnected", "stop"),
        ({"backup__loads": "essential board"}, "unit.grid-port", "check"),
        ({"strings": []}, "bank.uncharged", "stop"),
        ({"strings": [], "kit__generator": {"power_w": 16000}}, "bank.uncharged", None),
    ],
)
def test_a_unit_whose_grid_port_nobody_entered(changes, key, level):
    """It lands on no circuit, or never meets the grid; a battery has to be charged by something."""
    shelf = own("own-s8", "marram-s8", grid=None)
    plan = other(HERON_SLIP, kit__inverter="own-s8", kit__gateway=None, **changes)
    d = design(Plan.model_validate(plan), shelf)
    assert [f.level for f in d.findings if f.key == key] == [level] * (level is not None)
    whole = design(Plan.model_validate(other(HERON_SLIP, **changes)), SHELF)
    assert not [f for f in whole.findings if f.key == key], "with its port entered"


def test_a_unit_that_never_meets_the_grid_has_its_bond_where_its_loads_are():
    """No click leaves the plan as it is: neutral of such a house comes from no service."""
    shelf = own("own-s8", "marram-s8", grid=None, bond_relay=False)
    plan = other(HERON_SLIP, kit__inverter="own-s8", kit__gateway=None, backup__bond="service")
    plan["backup"]["loads"] = "essential board"
    d = design(Plan.model_validate(plan), shelf)
    cures = [c for f in d.findings if f.key == "bond.island" for c in f.cures]
    assert [c.text for c in cures] == ["Bond neutral in the loads panel"]
    mended = design(Plan.model_validate(apply(plan_of(plan), cures[0].changes)), shelf)
    assert not [f.says for f in mended.findings if f.level == "stop" and "bond" in f.key]


def plan_of(document):
    return Plan.model_validate(document).model_dump(mode="json")


def test_a_boards_breaker_takes_the_conductor_that_its_gateway_takes():
    """32 A behind a gateway whose lugs begin at 2 AWG: a breaker of a larger frame stands there."""
    shape = other(HERON_SLIP, kit__gateway="fenwright-g200", backup__loads="essential board")
    shape["runs"]["loads"] = {"length_m": 3.0, "method": "raceway"}
    d = design(Plan.model_validate(shape), SHELF)
    lead = next(s for s in d.circuits if s.id == "loads")
    ends = [t for e in (lead.circuit.source, lead.circuit.load) for t in e.terminals]
    lines = [t for t in ends if t.conductor == "L1"]
    assert lines and all(
        area_mm2(t.least) <= area_mm2(lead.size) <= area_mm2(t.most) for t in lines
    )
    assert not [f.says for f in d.findings if f.key.startswith("loads.") and f.level == "stop"]


@pytest.mark.parametrize("fitted", [{}, {"pack-2": {"protection_a": 1000.0}}])
def test_more_than_the_books_series_of_ratings_is_said_and_fails_nothing(fitted):
    """Four packs of 200 A in a chain: its first jumper carries 600 A, and 1.25 times that is past
    630 A, where the series of IEC ratings ends.
    """
    shape = SHAPES["a single-phase hybrid"]
    big = {"breaker_a": 250, "discharge_max_a": 200, "parallel_max": 8}
    shelf = own("own-b", shape["kit"]["pack"], **big)
    unit = own("own-u", shape["kit"]["inverter"], battery__i_max_a=900, power_w=40000)
    shelf = Catalogue([*shelf.entries.values(), unit.entries["own-u"]], {"own-b", "own-u"})
    way = shape["runs"]["battery"]
    plan = other(
        shape,
        kit__inverter="own-u",
        kit__pack="own-b",
        kit__packs=4,
        kit__takeoff="diagonal",
        runs=runs(shape, pack=way),
        fitted=fitted,
    )
    d = design(Plan.model_validate(plan), shelf)
    assert d.network is not None and "pack-2" in {c.id for c in d.network.circuits}
    assert [f for f in d.findings if f.level == "stop"]
