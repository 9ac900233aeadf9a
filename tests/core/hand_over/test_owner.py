"""The owner's book: no word that needs the trade, an order that does no harm by an owner's hand."""

import copy
import re
from types import SimpleNamespace

import numpy as np
import pytest

from gumboot.catalogue import catalogue
from gumboot.core.hand_over.own_way import ByHand, by_hand, may, owned
from gumboot.core.hand_over.owner import Contact, _off, _safe, hours, owners_book, words_of
from gumboot.core.hand_over.visits import cares
from gumboot.core.kit import Catalogue
from gumboot.core.network.ask import live
from gumboot.core.plan import Plan
from gumboot.core.wake.order import order
from gumboot.core.wake.settle import settle
from gumboot.demo import plans
from tests.designs import design
from tests.shapes import SHAPES

DEMO = {n: getattr(plans, n) for n in ("TERN_HOLLOW", "SALTINGS_BARN", "MOSSBANK_TERRACE")} | {
    n: getattr(plans, n) for n in ("HERON_SLIP", "JUNIPER_CUT")
}
TRADE = re.compile(
    r"\b(SoC|BMS|PE|N-PE|MPPT|V_oc|CTs?|RCDs?|GFCI|SPD|island(ed|ing)?|AC|DC|AC-coupled|torque\w*|"
    r"conductors?|busbars?|terminals?|terminations?|lugs?|ferrules?|kVA|L1|L2|L3|neutral|earthing|"
    r"contactors?|isolat\w+|state of charge|curtail\w*|export\w*|import\w*|feeder|irradiance|"
    r"insulation|inverter-charger|polarity|commission\w*|firmware|Modbus|CAN|transfer time|loads?|"
    r"self-consumption|kWh/a|throughput|cycles?|string|strings|module|modules)\b"
)
YEAR = {
    "priced": True,
    "off_grid": False,
    "currency": "€",
    "bills": {"nothing": 2400.0, "sun": 1500.0, "all": 900.0},
    "outages": {"median_h": 31.0, "worst_h": 2.5, "longest_h": 168},
}


def switches(job):
    return job.network.switch.values()


def made(document):
    return design(Plan.model_validate(document), catalogue())


@pytest.fixture(scope="module", params=[*DEMO, *SHAPES])
def job(request):
    return made(DEMO.get(request.param) or SHAPES[request.param])


def test_no_word_needs_the_trade(job):
    """Names of boxes and switches stand as on their labels, in quotes or in the first column of
    "What hangs where"; names of circuits are the owner's own; the rest is plain.
    """
    book = owners_book(job, Contact("Some crew", "555 0100"), YEAR)
    own = [x.name for x in job.plan.loads]
    labels = {label for p in book if p.id == "where" for r in p.rows for label in r[0].split(", ")}
    for text in words_of(book):
        plain = re.sub(r"“[^”]*”", "", text)
        for name in sorted([*own, *labels], key=len, reverse=True):
            plain = plain.replace(name, "")
        assert not TRADE.search(plain), text


def test_the_test_of_words_can_fail():
    assert TRADE.search("Set the SoC floor") and TRADE.search("the busbar of the board")


def test_an_owners_hand_does_no_harm(job):
    """Every act of off and on is one the owner may move, and none is wrong where it stands; at its
    end nothing is fed and nothing makes a voltage.
    """
    if job.wake is None:
        assert by_hand(job).rest
        return
    way = job.wake.way
    goal = way.plant.serving & ~owned(way.plant)
    down, up = order(way.moves, way.plant.serving, goal, way.downs), way.onward(goal)
    own = by_hand(job)
    assert (len(own.off), len(own.on)) == (
        0 if down.against else len(down.acts),
        0 if up.against else len(up.acts),
    )
    for acts in (down.acts, up.acts):
        assert all(may(way.plant.levers[a.k]) for a in acts)
    if own.off:
        rows = settle(way.plant, np.array([down.acts[-1].after], dtype=np.int64))
        assert not int(rows.loads[0] | rows.forms[0] | rows.follows[0])
    assert own.emergency


def test_the_first_thing_in_it_is_how_to_make_it_safe(job):
    first = owners_book(job, Contact("Some crew", "555 0100"), None)[0]
    assert first.id == "safe" and first.steps and "555 0100" in first.then[-1]


def test_the_generator_is_run_as_it_lands(job):
    """Steps by hand where it feeds the board: after them nothing else reaches it. Elsewhere who
    starts it, as Link and the menu have it.
    """
    part = next((p for p in owners_book(job, Contact("C"), None) if p.id == "generator"), None)
    generator = job.plan.kit.generator
    assert (part is not None) == (generator is not None)
    if part is None:
        return
    assert "exhaust kills" in part.says[0]
    assert any("starts by itself" in x for x in part.says) is job.calls_generator
    assert bool(part.steps) is (generator.lands in ("loads panel", "inverter with bypass"))
    if part.steps:
        steps = " ".join(part.steps)
        named = {f"“{s.name[:1].upper()}{s.name[1:]}” on “{s.place}”": s for s in switches(job)}
        off = [s for x, s in named.items() if f"Switch off {x}" in steps]
        on = [s for x, s in named.items() if f"Switch on {x}" in steps]
        assert len(off) == 1 and len(on) == 2
        relays = {s.id for s in switches(job) if (s.kind, s.works) == ("contactor", "generator")}
        fed = live(job.network, frozenset({off[0].id} | relays))
        bars = [fed.get(n, frozenset()) for n in (off[0].a, off[0].b)]
        if generator.lands == "loads panel":
            assert {"generator"} in bars
        else:  # what is inside the unit, out of order, meets it at its other port
            assert any("generator" in x and "utility" not in x for x in bars)


def test_what_runs_in_an_outage_is_what_was_planned():
    d = made(DEMO["TERN_HOLLOW"])
    book = {p.id: p for p in owners_book(d, Contact("C"), YEAR)}
    text = " ".join(book["outage"].says)
    runs, rests = text.split("What does not run:")
    for x in d.plan.loads:
        assert (x.name in runs) is x.backed and (x.name in rests) is not x.backed
    assert "31 hours" in text and "2 hours" in text
    assert book["saves"].rows[-1] == ("It should save a year", "€1,500")


def test_a_job_without_backup_says_that_nothing_runs():
    d = made({**DEMO["HERON_SLIP"], "backup": {"loads": "nothing"}, "walls": []})
    says = next(p for p in owners_book(d, Contact("C"), None) if p.id == "outage").says
    assert "Nothing runs" in says[0]


def said(document, part, year=None):
    book = owners_book(made(document), Contact("C"), year)
    return " ".join(next(p for p in book if p.id == part).says)


def test_the_book_says_only_what_this_job_does():
    """No sun in an outage where the old PV inverter falls silent; nothing into the street from a
    unit that never feeds; the reserve, where that is what it keeps.
    """
    moss = DEMO["MOSSBANK_TERRACE"]
    assert "runs from battery and sun" in said(moss, "outage")
    silent = copy.deepcopy(moss)
    silent["kit"]["existing_pv"]["side"] = "grid side"
    assert "runs from the battery." in said(silent, "outage")
    tern = DEMO["TERN_HOLLOW"]
    assert "into the street" in said(tern, "itself")
    book = catalogue()
    quiet = book.inverters[tern["kit"]["inverter"]].model_copy(update={"feeds_grid": False})
    kept = Catalogue({**book.entries, quiet.id: quiet}.values())
    d = design(Plan.model_validate(tern), kept)
    itself = next(p for p in owners_book(d, Contact("C"), None) if p.id == "itself")
    assert "into the street" not in " ".join(itself.says)
    keeps = copy.deepcopy(tern)
    keeps["energy"] = {**keeps.get("energy", {}), "work": {"mode": "reserve for outage"}}
    reserve = next(s.value for s in made(keeps).settings if "reserve_soc" in (s.id, s.rule))
    assert f"It keeps {reserve:g} %" in said(keeps, "itself")


def test_a_bill_that_rises_is_not_called_a_saving():
    dear = {**YEAR, "bills": {"nothing": 900.0, "sun": 950.0, "all": 1000.0}}
    book = owners_book(made(DEMO["TERN_HOLLOW"]), Contact("C"), dear)
    saves = next(p for p in book if p.id == "saves")
    assert saves.rows[-1] == ("It should cost a year more", "€100")


def test_where_no_order_is_known_the_book_says_so_and_promises_nothing(job):
    d = SimpleNamespace(
        wake=None, network=None, **{k: getattr(job, k) for k in ("plan", "bodies", "settings")}
    )
    first = _safe(d, by_hand(d), Contact("Some crew", "555 0100"), ())
    assert "No order is worked out" in first.says[0] and not first.steps
    assert "This takes power" not in " ".join(first.then)


@pytest.mark.parametrize(
    ("h", "says"),
    [(0.4, "less than an hour"), (1.2, "an hour"), (31, "31 hours"), (60, "2 days")],
)
def test_hours_in_words(h, says):
    assert hours(h, 168) == says
    assert hours(168, 168) == "a week or more"


def test_what_is_due_follows_the_sheets_and_else_common_practice():
    rows = cares(made(DEMO["JUNIPER_CUT"]))
    assert any("Water" in c.what for c in rows)  # flooded cells
    said = cares(made(DEMO["TERN_HOLLOW"]))
    whats = [c.what for c in said]
    assert len(set(whats)) == len(whats)
    assert [c.every_months for c in said] == sorted(c.every_months for c in said)
    assert {c.does for c in said} >= {"settings", "torque", "insulation", "charge drift", "sharing"}


def test_where_no_order_is_found_a_trained_hand_switches_it_off():
    part = _off(made(DEMO["HERON_SLIP"]), ByHand(), Contact("Some crew"))
    assert part.steps == () and "call Some crew" in part.says[0]
