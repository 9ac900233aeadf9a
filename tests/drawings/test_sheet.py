"""The sheet lays itself out for every kind of system, with no crossing that a person would
avoid.
"""

import io
import itertools
import re

import ezdxf
import pytest

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from gumboot.drawings.one_line import colour_class, one_line
from gumboot.drawings.sheet import lay_sheet
from gumboot.exports.dxf import SYSTEMS, to_dxf
from tests.conftest import altered
from tests.designs import design
from tests.shapes import SHAPES

BASES = {
    n: Plan.model_validate(p)
    for n, p in (
        ("tern", TERN_HOLLOW),
        ("heron", HERON_SLIP),
        ("saltings", SALTINGS_BARN),
        ("mossbank", MOSSBANK_TERRACE),
        ("juniper", JUNIPER_CUT),
    )
}
CHANGES = [
    {},
    {"/kit/inverters": 2},
    {"/kit/inverters": 3},
    {"/kit/inverters": 2, "/kit/packs": 2},
    {"/kit/packs": 6},
    {"/kit/towers": 2},
    {"/kit/takeoff": "diagonal", "/kit/packs": 4},
    {"/backup/loads": "nothing"},
    {"/backup/loads": "essential board"},
    {"/supply/connection": "supply-side tap"},
    {"/kit/generator": {"power_w": 20000, "lands": "loads panel"}},
    {"/kit/generator": {"power_w": 20000, "lands": "inverter with bypass"}},
    {"/kit/existing_pv": {"power_w": 3000, "side": "grid side"}},
    {"/kit/existing_pv": {"power_w": 3000, "side": "backup side"}},
    {"/kit/gateway": "fenwright-g200"},
    {"/kit/gateway": "fenwright-i100", "/kit/inverters": 2},
    {"/kit/inverter": "fenwright-w7", "/kit/gateway": "fenwright-g200", "/kit/inverters": 3},
    {"/kit/pack": "tidewell-5r", "/kit/packs": 25},
]


def cases():
    for (name, base), changes in itertools.product(BASES.items(), CHANGES):
        plan = base
        for path, value in changes.items():
            plan = altered(plan, path, value)
        d = design(plan, catalogue())
        if d.bodies:
            said = "+".join(f"{k.split('/')[-1]}={str(v)[:24]}" for k, v in changes.items())
            yield pytest.param(d, id=f"{name}-{said}")


CASES = list(cases())
every = pytest.mark.parametrize("d", CASES)


def segments(sheet):
    """Every straight piece of every wire and thin line: (name, (x0, y0), (x1, y1))."""
    for w in sheet.wires:
        for a, b in itertools.pairwise(w.points):
            yield w.id, a, b
    for id, way in sheet.links:
        for a, b in itertools.pairwise(way):
            yield id, a, b


def cross(a0, a1, b0, b1):
    """Whether an upright and a level piece pass through each other; touching ends do not."""
    if (a0[0] == a1[0]) == (b0[0] == b1[0]):
        return False
    if a0[0] != a1[0]:
        a0, a1, b0, b1 = b0, b1, a0, a1  # a upright, b level
    x, y = a0[0], b0[1]
    return (
        min(b0[0], b1[0]) + 0.5 < x < max(b0[0], b1[0]) - 0.5
        and min(a0[1], a1[1]) + 0.5 < y < max(a0[1], a1[1]) - 0.5
    )


def test_there_are_many_kinds():
    assert len(CASES) >= 60
    assert {d.values[0].inverter.topology for d in CASES} == {
        "hybrid",
        "ac-coupled",
        "inverter-charger",
        "all-in-one",
    }


@every
def test_nothing_crosses_that_a_person_would_avoid(d):
    """With n inverters on two bars n − 2 grid lines must pass the backup bar, and links into the
    nest those lines; what comes into the nest
    from below (a generator's bypass, a PV inverter) passes the last grid line. Nothing else
    crosses.
    """
    sheet = lay_sheet(d)
    pieces = list(segments(sheet))
    pieces += [(i, *ends) for i, ends in sheet.bars.items()]
    crossings = [
        (i, j)
        for (i, a0, a1), (j, b0, b1) in itertools.combinations(pieces, 2)
        if i != j and cross(a0, a1, b0, b1)
    ]
    middle = max(0, d.plan.kit.inverters - 2)
    bars = [
        c for c in crossings if "backup-combiner" in c and any(x.startswith("grid-") for x in c)
    ]
    links = [
        c
        for c in crossings
        if any(x.startswith("link-") for x in c) and any(x.startswith("grid-") for x in c)
    ]
    below = [
        c
        for c in crossings
        if {"generator-bypass", "existing-pv"} & set(c) and f"grid-{d.plan.kit.inverters}" in c
    ]
    assert (
        len(bars) <= middle
        and len(links) <= middle * len(d.links)
        and len(below) <= (2 if d.plan.kit.inverters > 1 else 0)
    )
    assert set(crossings) == {*bars, *links, *below}


@every
def test_no_line_runs_through_a_body(d):
    sheet = lay_sheet(d)
    for id, (x0, y0), (x1, y1) in segments(sheet):
        for box in sheet.boxes.values():
            inside = max(min(x0, x1), box.x + 1) < min(max(x0, x1), box.right - 1) or (
                x0 == x1 and box.x + 1 < x0 < box.right - 1
            )
            along = max(min(y0, y1), box.y + 1) < min(max(y0, y1), box.bottom - 1) or (
                y0 == y1 and box.y + 1 < y0 < box.bottom - 1
            )
            assert not (inside and along), (id, box.id)


@every
def test_no_body_stands_on_another_and_all_are_drawn(d):
    sheet = lay_sheet(d)
    for a, b in itertools.combinations(sheet.boxes.values(), 2):
        assert a.right <= b.x or b.right <= a.x or a.bottom <= b.y or b.bottom <= a.y, (a.id, b.id)
    bars = {"dc-bus", "grid-combiner", "backup-combiner"}
    assert {b.id for b in d.bodies} - bars == set(sheet.boxes)
    assert {b.id for b in d.bodies} & bars == set(sheet.bars)
    assert all(
        b.x >= 0 and b.right <= sheet.width and b.y >= 0 and b.bottom <= sheet.height
        for b in sheet.boxes.values()
    )


@every
def test_every_circuit_and_link_is_drawn_once(d):
    sheet = lay_sheet(d)
    drawn = [
        w.id
        for w in sheet.wires
        if not w.existing  # what was there before is drawn too, and has no circuit of the job
    ]
    assert sorted(drawn) == sorted([s.id for s in d.circuits] + [i for i, _ in d.unsized])
    assert {i for i, _ in sheet.links} == {
        x.id for x in d.links if x.drawn and x.source in sheet.boxes and x.load in sheet.boxes
    }
    svg = one_line(d)
    assert all(f'data-at="{s.id}"' in svg for s in d.circuits)


@pytest.mark.parametrize("name", BASES)
def test_a_circuit_without_a_length_is_drawn_as_what_it_carries(name):
    """Sized or not, what is direct current looks it, on the page and in the DXF's layers."""
    whole = design(BASES[name], catalogue())
    plan = BASES[name].model_dump(mode="json")
    bare = Plan.model_validate({**plan, "runs": {}, "walls": []})
    d = design(bare, catalogue())
    assert d.unsized
    system = {s.id: s.circuit.system for s in whole.circuits}
    drawn = {w.id for w in lay_sheet(d).wires if not w.existing} & {i for i, _ in d.unsized}
    assert {"dc", "ac"} & {system[i] for i in drawn}
    for i in drawn:
        found = re.search(rf'<a [^>]*class="wire (\w+)"[^>]*data-at="{i}"', one_line(d))
        assert found and found[1] == system[i], i
    lines = ezdxf.read(io.StringIO(to_dxf(d))).modelspace().query("LWPOLYLINE")
    assert {SYSTEMS[system[i]] for i in drawn} <= {x.dxf.layer for x in lines}


def test_both_places_of_the_bond_and_the_jumper_are_drawn():
    saltings = one_line(design(BASES["saltings"], catalogue()))
    assert (
        saltings.count('class="bond-relay"') == 2 and saltings.count('class="bond"') == 2
    )  # in place, and in the legend
    strong = catalogue().modules["reedbed-430"].model_copy(update={"i_sc_a": 18.0})
    book = catalogue()
    other = type(book)(
        [
            *book.inverters.values(),
            *book.packs.values(),
            *book.gateways.values(),
            strong,
            *book.devices,
            *book.conductors,
        ]
    )
    assert (
        'class="jumper"' in one_line(design(BASES["saltings"], other))
        and 'class="jumper"' not in saltings
    )


@pytest.mark.parametrize(
    ("name", "want"),
    [
        ("tern", {"nec-L1", "nec-L2", "nec-N"}),
        ("saltings", {"iec-L1", "iec-L2", "iec-L3", "iec-N"}),
        ("mossbank", {"iec-L1", "iec-N"}),
    ],
)
def test_conductors_have_the_colours_of_the_jobs_book(name, want):
    """IEC 60445: brown, black, grey, blue; NEC 200.6 white neutral, 250.119 green, phases by common
    practice.
    """
    d = design(BASES[name], catalogue())
    svg = one_line(d)
    assert all(f"slash {c}" in svg for c in want)
    assert {
        colour_class(d, c)
        for s in d.circuits
        for c in s.circuit.conductors
        if s.circuit.power_factor and c != "PE"
    } == want


@pytest.mark.parametrize("name", SHAPES)
def test_every_breaker_is_drawn_at_the_box_that_holds_it(name):
    """As the network has it: of the breakers and fuses at the two ends of a circuit, those in its
    source's box stand nearer that box than those in its load's.
    """
    d = design(Plan.model_validate(SHAPES[name]), catalogue())
    sheet = lay_sheet(d)
    drawn = {w.id: w for w in sheet.wires}
    held = 0
    for c in d.network.circuits:
        if c.id not in drawn or not drawn[c.id].devices:
            continue
        ends = [e for e in (c.source, c.load) if not d.network.nodes[e.node].bar]
        places = {
            s.body
            for s in d.network.switches
            if {s.a, s.b} & {c.source.node, c.load.node}
            and s.kind in ("breaker", "own breaker", "fuse")
            and s.body in (c.source.body, c.load.body)
        }
        for (x, y), _ in drawn[c.id].devices:
            away = {
                body: _gap(sheet, body, x, y)
                for body in (c.source.body, c.load.body)
                if body in sheet.boxes or body in sheet.bars
            }
            nearest = min(away, key=away.get)
            assert nearest in places and away[nearest] < 20, (c.id, nearest, places)
            held += 1
        has = [
            e for e in ends if e.body in places and (e.body in sheet.boxes or e.body in sheet.bars)
        ]
        assert len(drawn[c.id].devices) == len(has), c.id
    assert held


def _gap(sheet, body, x, y):
    if body in sheet.boxes:
        b = sheet.boxes[body]
        left, top, right, low = b.x, b.y, b.right, b.bottom
    else:
        (left, top), (right, low) = sheet.bars[body]
    return max(left - x, 0, x - right) + max(top - y, 0, y - low)
