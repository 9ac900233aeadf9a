"""The walk over the chapters: what each reads is declared, and what is taken over from a design
made
before is what would have been made anew.
"""

import itertools
import random

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.finding import Change
from gumboot.core.basis.patch import apply
from gumboot.core.chapter import VIEWS, Draft
from gumboot.core.design import CHAPTERS, design
from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from tests.shapes import SHAPES

BOOK = catalogue()
DEMOS = (TERN_HOLLOW, HERON_SLIP, SALTINGS_BARN, MOSSBANK_TERRACE, JUNIPER_CUT)
VIEWED = {  # the field of the plan that each view looks at
    "run names": "runs",
    "runs there": "runs",
    "sub-board's feeder": "runs",
    "fitted breakers": "fitted",
    "extras": "walls",
    "placed": "walls",
    "tariff": "energy",
    "strings but runs": "strings",
    "keyed apart": "settings",
}


def test_chapters_come_after_what_they_need_and_have_names_of_their_own():
    names = [c.name for c in CHAPTERS]
    assert len(set(names)) == len(names)
    for i, c in enumerate(CHAPTERS):
        assert all(x in CHAPTERS[:i] for x in c.every), c.name
        assert all(r in Plan.model_fields or r in VIEWS for r in c.reads), c.name
    assert set(VIEWED) == set(VIEWS)


class Watched(Plan):
    """A plan that notes which of its fields are looked at."""

    def __getattribute__(self, name):
        if name in Plan.model_fields:
            SEEN.add(name)
        return super().__getattribute__(name)


SEEN: set[str] = set()


@pytest.mark.parametrize("document", [*DEMOS, *SHAPES.values()], ids=itertools.count())
def test_a_chapter_reads_no_more_of_the_plan_than_it_declares(document):
    draft = Draft(Watched.model_validate(document), BOOK)
    for chapter in CHAPTERS:
        SEEN.clear()
        draft.write(chapter)
        declared = {VIEWED.get(r, r) for r in chapter.reads}
        assert declared >= SEEN, (chapter.name, SEEN - declared)


def changes_of(plan, chance):
    """Changes of every part of a plan, some of them wild."""
    document = plan.model_dump(mode="json")
    rows = [
        Change("/site/t_wall_c", 35.0),
        Change("/site/t_min_c", -20.0),
        Change("/supply/main_breaker_a", 100.0),
        Change("/supply/bus_a", 250.0),
        Change("/backup/bond", "loads panel"),
        Change("/backup/board_a", 40.0),
        Change("/kit/packs", 2),
        Change("/settings/charge_a", 60.0),
        Change("/settings/export_w", 3000.0),
        Change("/landing", "battery last"),
        Change("/recheck", "look"),
        Change("/units", "si" if plan.units == "us" else "us"),
        Change("/fitted/grid-1", {"size": "2", "protection_a": 90.0}),
        Change("/energy/tariff/export_limit_w", 1000.0),
    ]
    rows += [Change(f"/runs/{k}/length_m", 9.5) for k in document["runs"]]
    rows += [Change(f"/strings/{i}/run/length_m", 33.0) for i in range(len(plan.strings))]
    rows += [Change(f"/strings/{i}/modules", 8) for i in range(len(plan.strings))]
    rows += [Change(f"/loads/{i}/running_w", 900.0) for i in range(min(3, len(plan.loads)))]
    rows += [
        Change(f"/walls/0/placed/{k}/x_mm", 700.0)
        for k in (plan.walls[0].placed if plan.walls else ())
    ]
    return chance.sample(rows, min(len(rows), 9))


def shown(d):
    return (
        [(f.key, f.level, f.says, f.place, f.rule, f.cures) for f in d.findings],
        {k: (f.value, f.formula, f.put_in) for k, f in d.figures.items()},
        [(t.key, t.number, t.isolate, t.label) for t in d.terminations],
        [(s.id, s.value) for s in d.settings],
    )


@pytest.mark.parametrize("document", DEMOS, ids=[x["site"]["name"] for x in DEMOS])
def test_a_design_from_the_one_before_is_the_one_made_anew(document):
    """Step by step along a walk of changes, each on top of the last; the chance is seeded."""
    chance = random.Random(11)
    plan = Plan.model_validate(document)
    warm = design(plan, BOOK)
    for change in changes_of(plan, chance):
        plan = Plan.model_validate(apply(plan.model_dump(mode="json"), [change]))
        warm = design(plan, BOOK, warm)
        assert shown(warm) == shown(design(plan, BOOK)), change


def test_what_a_change_leaves_alone_is_not_made_again():
    before = design(Plan.model_validate(TERN_HOLLOW), BOOK)

    def kept(path, value):
        plan = Plan.model_validate(
            apply(before.plan.model_dump(mode="json"), [Change(path, value)])
        )
        after = design(plan, BOOK, before)
        return after, {c.name for c in CHAPTERS if after.draft.made[c] is before.draft.made[c]}

    after, names = kept("/settings/export_w", 5000.0)
    assert {"network", "hung", "circuits", "terminations", "wall"} <= names
    assert not {"menu"} & names
    after, names = kept("/runs/loads/length_m", 9.0)
    assert {"network", "hung", "terminations", "menu", "board"} <= names
    changed = {k for k, _, _ in after.changed(before)}
    assert "loads.drop" not in changed  # its ends are on one wall: the wall says how long it is
    after, names = kept("/walls/0/placed/transfer-switch/x_mm", 4200.0)
    assert "network" in names and "hung" not in names
    changed = {k: (a, b) for k, a, b in after.changed(before)}
    assert "way.loads" in changed and changed["way.loads"][0].n != changed["way.loads"][1].n
    assert not any(k.startswith("pv-") for k in changed)
