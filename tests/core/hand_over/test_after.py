"""Visits by the sheets, what a new part opens again, what one more of something changes."""

from dataclasses import replace
from datetime import date

import pytest
from dateutil.relativedelta import relativedelta

from gumboot.catalogue import catalogue
from gumboot.core.hand_over.charger import charger
from gumboot.core.hand_over.devices import devices
from gumboot.core.hand_over.growing import compared, grown, kinds_of
from gumboot.core.hand_over.replacing import reopened
from gumboot.core.hand_over.visits import Visit, cares, changed, on_day, schedule, steps
from gumboot.core.journal.entry import Entry
from gumboot.core.journal.log import Growing, LogState
from gumboot.core.plan import Plan
from gumboot.core.prove.listing import dues_of
from gumboot.core.prove.strings import Sky
from gumboot.core.wake import steps as waking
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from tests.designs import design
from tests.shapes import SHAPES, other


def made(document):
    return design(Plan.model_validate(document), catalogue())


def test_days_are_those_of_the_calendar():
    """Against dateutil, over ten years from every kind of day."""
    for start in (date(2026, 1, 31), date(2028, 2, 29), date(2026, 11, 27), date(2027, 12, 30)):
        for months in range(1, 121):
            assert on_day(start, months) == start + relativedelta(months=months)


@pytest.mark.parametrize("name", SHAPES)
def test_every_care_of_the_crew_comes_as_often_as_its_sheet_says(name):
    d = made(SHAPES[name])
    rows = schedule(d)
    assert [v.months for v in rows] == sorted({v.months for v in rows})
    for c in cares(d):
        if c.by == "crew":
            months = {v.months for v in rows if c in v.cares} - {1}
            assert months == set(range(c.every_months, 121, c.every_months)) - {1}
    keys = [s.key for v in rows for s in steps(d, LogState(), v)]
    assert len(keys) == len(set(keys))


def test_a_visit_is_judged_against_what_was_handed_over():
    d = made(TERN_HOLLOW)
    year = next(v for v in schedule(d) if v.months == 12)
    rows = {s.key: s for s in steps(d, LogState(), year)}
    settings = rows["visit.12.settings.1"]
    assert changed(settings, "0") == "" and changed(settings, "0 lines") == ""
    assert changed(settings, "2") and changed(settings, "0.4") and changed(settings, "10")
    assert any(k.startswith("visit.12.torque.") for k in rows)
    insulation = rows["visit.12.insulation.A"]
    assert insulation.within(5) and not insulation.within(0.4)  # IEC 62446-1: 1 MΩ
    dues = {x.key: x for x in dues_of(d, Sky())}
    for key in ("soc.apart", "packs.share"):  # by the limits of Prove's own tests
        own = rows[f"visit.12.{key}"]
        assert (own.least, own.most) == (dues[key].least, dues[key].most)


def read(seq, key, value, kind="wake"):
    body = {"step": key, "label": "", "typed": f"{value}", "value": value, "verdict": "done"}
    return Entry(seq, str(seq), kind, "Osk", "installer", "", "2026-11-27T10:00:00Z", body, "", "")


def test_what_was_handed_over_stands_beside_what_is_read_now():
    """Wake's own key of a string's insulation, Prove's own of the charge."""
    d = made(TERN_HOLLOW)
    key = next(s.key for s in waking.steps_of(d) if s.key.startswith("cold.insulation."))
    g = Growing(LogState())
    for e in (read(1, key, 180.0), read(2, "soc.apart", 1.2, "test")):
        g.read(e)
    state = replace(LogState(), steps=g.steps)
    rows = {s.key: s for s in steps(d, state, Visit(12, cares(d)))}
    insulation = rows[f"visit.12.{key.removeprefix('cold.')}"]
    assert "180 MΩ was handed over" in insulation.expects
    assert insulation.within(20) and not insulation.within(17)  # a tenth of it
    assert "1.2 % was handed over" in rows["visit.12.soc.apart"].expects


def test_what_the_owner_does_takes_nothing_off_the_crew():
    """The pack's sheet has the owner fill it once; the crew looks at its charge all the same."""
    d = made(TERN_HOLLOW)
    by = {(c.does, c.by) for c in cares(d)}
    assert {("charge drift", "owner"), ("charge drift", "crew")} <= by
    for does in ("settings", "torque", "insulation", "sharing"):
        assert (does, "crew") in by


def test_a_sheets_own_words_are_walked():
    d = made(TERN_HOLLOW)
    said = [c.what for c in d.pack.care if c.by == "crew"]
    titles = [s.title for s in steps(d, LogState(), Visit(12, cares(d)))]
    assert said and set(said) <= set(titles)


def test_a_job_with_one_pack_or_without_strings_is_asked_less():
    d = made({**HERON_SLIP, "kit": {**HERON_SLIP["kit"], "packs": 1}, "walls": []})
    keys = [s.key for s in steps(d, LogState(), Visit(12, cares(d)))]
    assert "visit.12.packs.share" not in keys and "visit.12.soc.apart" in keys
    moss = made(MOSSBANK_TERRACE)
    assert not any(".insulation." in s.key for s in steps(moss, LogState(), Visit(12, cares(moss))))


@pytest.mark.parametrize("name", SHAPES)
def test_a_new_part_opens_its_own_ends_and_no_others(name):
    d = made(SHAPES[name])
    dues = dues_of(d, Sky())
    for x in devices(d):
        found = reopened(d, x.key, dues)
        assert set(found.terminations) == {t for t in d.terminations if x.body == t.body}
        assert not x.body or found.terminations[0].kind == "dead"  # proven dead before a hand
        assert not any(t.known for t in found.tests)
        assert bool(found.lines) is x.key.startswith(("inverter-", "controller-"))
    assert reopened(d, "no such device", dues).terminations == ()


def more(d, what):
    return made(grown(d, what).model_dump(mode="json"))


def test_one_more_pack_says_what_changes_and_what_stays():
    d = made(HERON_SLIP)
    found = compared(d, more(d, "pack"))
    new = {(c.part, c.label) for c in found.changes if not c.before}
    packs = d.plan.kit.packs
    assert ("Boxes", f"Pack {packs + 1}") in new
    stays = dict(found.stays)
    assert stays["Circuits"] == len(d.circuits) and stays["Wall"] == 6
    ends = sum(t.kind not in ("dead", "cover") for t in d.terminations)
    assert stays["Terminations"] == ends  # what is made off stays made off
    assert any(c.part == "Settings" for c in found.changes)
    moved = {c.label: c.after for c in found.changes if c.part == "Labels" and c.before}
    assert moved["Battery bus to inverter"] == "C6"  # its label on the wall is another now


def test_a_second_inverter_renames_the_first_and_leaves_its_ends():
    """“Inverter” becomes “Inverter 1”: a label, not a hundred new ends."""
    d = made(HERON_SLIP)
    after = more(d, "inverter")
    found = compared(d, after)
    same = {t.key for t in d.terminations} & {t.key for t in after.terminations}
    gone = [c for c in found.changes if c.part == "Terminations" and not c.after]
    assert len(gone) == sum(
        t.key not in same for t in d.terminations if t.kind not in ("dead", "cover")
    )
    assert "Inverter 1" in {c.after for c in found.changes if c.part == "Labels"}


def test_a_stack_grows_by_a_module():
    """Seven of 51.2 V in series are eight: 409.6 V, at most 460.8; the stack stays one box."""
    d = made(SALTINGS_BARN)
    assert list(kinds_of(d)) == ["module", "pack", "inverter", "charger"]
    assert "module" not in kinds_of(made(HERON_SLIP))
    higher = more(d, "module")
    assert higher.plan.kit.series == 8 and higher.bank.v_max.n == pytest.approx(8 * 57.6)
    found = compared(d, higher)
    assert any(c.part == "Boxes" and "8" in c.after for c in found.changes)
    assert not any(c.part == "Boxes" and not c.before for c in found.changes)


def test_one_more_charge_controller_shares_what_the_bank_takes():
    """160 A of the bank by three: 53 A each, where two had 80."""
    d = made(SHAPES["charge controllers"])
    assert "controller" in kinds_of(d) and "controller" not in kinds_of(made(HERON_SLIP))
    found = compared(d, more(d, "controller"))
    new = {(c.part, c.label) for c in found.changes if not c.before}
    assert ("Boxes", "Charge controller 3") in new
    limit = [c for c in found.changes if c.part == "Settings" and "charge" in c.label.lower()]
    assert [(c.before, c.after) for c in limit] == [("80.0 A", "53.0 A")]


def test_one_more_of_what_does_not_fit_would_be_a_stop():
    d = made(other(TERN_HOLLOW))
    assert grown(d, "inverter").kit.inverters == d.plan.kit.inverters + 1
    found = compared(d, more(d, "inverter"))
    assert found.changes and found.stops


@pytest.mark.parametrize("name", list(SHAPES)[:12])
def test_a_charger_is_a_load_of_the_house(name):
    d = made(SHAPES[name])
    twice = grown(more(d, "charger"), "charger")
    assert [x.id for x in twice.loads[-2:]] == ["car-charger-1", "car-charger-2"]


def test_a_chargers_circuit_by_hand():
    """40 A for hours at 240 V: 1.25 · 40 = 50 A (NEC 625.41), 6 AWG copper carries 55 A at 60 °C
    (Table 310.16); 32 A under the IEC: a 32 A breaker, 4 mm² carries 36 A by method C (Table
    B.52.2). Tables from memory.
    """
    d = made(TERN_HOLLOW)
    own = charger(d, grown(d, "charger"))
    assert [f.text for f in own.figures[:4]] == ["40 A", "50 A", "50 A", "55 A"]
    assert grown(d, "charger").loads[-1].running_w == 9600
    moss = made(MOSSBANK_TERRACE)
    by_iec = charger(moss, grown(moss, "charger"))
    assert [f.text for f in by_iec.figures[:4]] == ["32 A", "32 A", "32 A", "36 A"]


def test_the_service_with_a_charger_is_the_house_and_it():
    """By hand: every load that may run in that quarter hour with 32 A more against the main."""
    moss = made(MOSSBANK_TERRACE)
    plan = grown(moss, "charger")
    own = charger(moss, plan)
    left = next(f for f in own.figures if f.name.startswith("Left at the main"))
    house = 80 - left.n
    assert own.over and left.n < 0 and "82.9 A" in own.says[2]
    alone = charger(moss, moss.plan)
    before = next(f for f in alone.figures if f.name.startswith("Left at the main"))
    assert house - (80 - before.n) == pytest.approx(32, rel=0.01)


def test_what_is_not_known_of_the_service_is_said():
    unknown = {**MOSSBANK_TERRACE, "supply": {**MOSSBANK_TERRACE["supply"]}}
    unknown["supply"]["main_breaker_a"] = None
    d = made(unknown)
    assert "main breaker is not known" in charger(d, grown(d, "charger")).says[2]
    heron = made(HERON_SLIP)
    assert "No loads are listed" in charger(heron, grown(heron, "charger")).says[2]
    cut = made(JUNIPER_CUT)
    found = compared(cut, more(cut, "charger"))
    assert found.stops  # off grid the units would have to feed it


def test_one_more_stack_takes_the_units_second_input():
    d = made(SHAPES["three phases of 208 V"])
    plan = grown(d, "pack")
    assert (plan.kit.packs, plan.kit.hookup) == (2, "inputs")
    assert not [x for x in compared(d, more(d, "pack")).stops if "stack" in x]
    full = made(SHAPES["two stacks on one unit"])
    assert [x for x in compared(full, more(full, "pack")).stops if "has 2 battery inputs" in x]


def test_one_more_stack_meets_the_first_in_a_combiner():
    d = made(SALTINGS_BARN)
    assert (grown(d, "pack").kit.packs, grown(d, "pack").kit.hookup) == (2, "bus")
    stops = compared(d, more(d, "pack")).stops
    assert stops and all("is not known" in x or "no length" in x.lower() for x in stops), stops


def test_the_sum_of_load_breakers_grows_with_it():
    plan = {**TERN_HOLLOW, "supply": {**TERN_HOLLOW["supply"], "load_breakers_a": 120}}
    d = made(plan)
    assert grown(d, "charger").supply.load_breakers_a == 170


def test_nothing_changes_where_nothing_was_added():
    d = made(TERN_HOLLOW)
    same = compared(d, made(TERN_HOLLOW))
    assert same.changes == () and same.stops == ()
