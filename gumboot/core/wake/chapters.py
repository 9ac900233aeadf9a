"""The chapters of Wake: the way up and down, and what stands against it or beside it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Change, Cure, Finding, check, stop
from gumboot.core.basis.words import inside
from gumboot.core.brief.chapters import KIT, chosen
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.network.chapters import NETWORK
from gumboot.core.plan import Plan
from gumboot.core.size.chapters import INRUSH
from gumboot.core.size.equipment import BANK, STRINGS
from gumboot.core.wake.facts import Facts, does, facts_of, rule_of
from gumboot.core.wake.hazard import InTurn
from gumboot.core.wake.order import Against
from gumboot.core.wake.plant import MOST_LEVERS, in_words
from gumboot.core.wake.slip import Slip
from gumboot.core.wake.states import BACK_FED, NO_BOND, TOO_MUCH_SUN, TWO_BONDS
from gumboot.core.wake.way import Way, way_of

MAKERS = "maker's manual"


def _way(d: Draft) -> Way | None:
    kit = chosen(d)
    return way_of(d[NETWORK], d.plan, kit.inverter, kit.pack)


def _too_many(way: Way | None, d: Draft) -> Iterable[Finding]:
    if way is None:
        says = f"More than {MOST_LEVERS} switches and buttons: no order is worked out for so many."
        cure = Cure("Write the order by the makers' manuals, and have it read by another person")
        yield check("wake.many", "wake", says, COMMON_PRACTICE, cure)


WAY: Chapter[Way | None] = Chapter(
    "way",
    _way,
    reads=("waking", "supply", "kit"),
    requires=(KIT, NETWORK),
    findings=_too_many,
    station="wake",
)


@dataclass(frozen=True, eq=False)
class Wake:
    """The way with its job's numbers."""

    way: Way
    facts: Facts


def _wake(d: Draft) -> Wake:
    kit = chosen(d)
    strings = (d[STRINGS] or ((), ()))[0]
    facts = facts_of(d.plan, kit.inverter, kit.pack, d[BANK], d[INRUSH], tuple(strings))
    way = d[WAY]
    assert way is not None  # noqa: S101 - required
    return Wake(way, facts)


def _found(w: Wake, d: Draft) -> Iterable[Finding]:
    """What stands against any order, and slips that nothing stands in the way of."""
    if w.way.up.against is not None:
        against = w.way.up.against
        if against.given_up:
            says = f"No order was found among {w.way.up.looked_at:,} states looked at."
            cure = Cure("Choose another school under Wake, or have units started one by one")
            yield check("wake.order", "wake", says, COMMON_PRACTICE, cure)
            return
        yield stop("wake.order", "wake", stands(against), MAKERS, *_ways(against))
    bare = [s for s in w.way.slips if s.unguarded]
    if bare:
        yield _slipping(w, bare, d.plan)


def stands(against: Against) -> str:
    """What stands against any order, in words."""
    names = [h.name for h in against.hazards]
    if len(against.rules) == 2 and not names:
        a, b = against.rules
        return f"Two rules contradict each other: {_said(a)}, {_said(b)}."
    if against.rules and names:
        return f"No order is safe: {_said(against.rules[0])}, and that means {names[0]}."
    if names:
        return f"No order avoids this: {' or '.join(names)}."
    return "No order was found that does no harm on its way."


SAID = {
    "pack": "the pack's breaker",
    "pack button": "the pack's button",
    "battery": "the battery breaker",
    "unit": "the unit's button",
    "backup": "the backup breaker",
    "grid": "the grid breaker",
    "pv": "the PV switch",
    "loads": "the loads",
}


def _said(rule: InTurn) -> str:
    return f"{rule.source} moves {SAID[rule.first]} before {SAID[rule.then]}"


WAYS = {  # by what no order avoids
    NO_BOND: "Plan who makes the bond, as the stops of Size say",
    TWO_BONDS: "Plan one bond alone, as the stops of Size say",
    TOO_MUCH_SUN: "Plan a smaller PV inverter, or move it to the grid side",
}


def _ways(against: Against) -> tuple[Cure, ...]:
    """The way out of each, once."""
    if against.rules:
        return (Cure("Ask the makers which rule stands, and enter it on the shelf"),)
    meet = "Plan an interlock or a transfer switch where the sources could meet"
    ways = [WAYS.get(h.bit, meet) for h in against.hazards] or [meet]
    return tuple(Cure(x) for x in dict.fromkeys(ways))


def _slipping(w: Wake, bare: Sequence[Slip], plan: Plan) -> Finding:
    """All slips that nothing but attention stands in the way of, in one check."""
    plant, first = w.way.plant, bare[0]
    levers = [plant.levers[k] for k in dict.fromkeys(s.k for s in bare)]
    does_it, figures = does(first.hazards[0], w.facts, plant.levers[first.k])
    act = inside(in_words(plant, first.k, first.closing))
    more = f" {len(levers) - 1} more switches can do harm too." if len(levers) > 1 else ""
    at = steps_said(first.steps)
    says = f"Nothing but attention keeps a hand from this at {at}: {act}. {does_it}{more}"
    names = ", ".join(inside(x.says) for x in levers[:3])
    cures = [
        Cure(words, tuple(Change(f"/waking/guards/{x.key}", how) for x in levers))
        for words, how in (
            (f"Padlock it until its step: {names}", "padlock"),
            ("One person stands there and moves nothing else", "person"),
        )
    ]
    if plan.backup.changeover == "loose breakers" and BACK_FED in {h.bit for h in first.hazards}:
        locked = Change("/backup/changeover", "interlocked breakers")
        cures.insert(0, Cure("Plan an interlock between the two breakers", (locked,)))
    rule = rule_of(first.hazards[0], w.facts.book, plant.levers[first.k])
    place = levers[0].body or "wake"
    return check("wake.slip", place, says, rule, *cures, figures=figures)


def steps_said(steps: Sequence[int]) -> str:
    """Steps in words: "step 4", "steps 4 to 9"."""
    if len(steps) == 1:
        return f"step {steps[0]}"
    if steps[-1] - steps[0] == len(steps) - 1:
        return f"steps {steps[0]} to {steps[-1]}"
    return f"steps {', '.join(map(str, steps[:-1]))} and {steps[-1]}"


WAKE: Chapter[Wake] = Chapter(
    "wake",
    _wake,
    reads=("kit", "backup", "supply", "code"),
    needs=(BANK, INRUSH, STRINGS),
    requires=(KIT, WAY),
    findings=_found,
    station="wake",
)
