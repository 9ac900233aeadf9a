"""What opens each source: where a hand goes in the night. Every one within reach, lockable when
open, and labelled. And the steps by which a system goes down.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.basis.finding import Asked, Finding, duty
from gumboot.core.basis.words import inside
from gumboot.core.kit import Inverter
from gumboot.core.network import Network, Source, Switch, frontier
from gumboot.core.plan import Plan


@dataclass(frozen=True, slots=True)
class Disconnect:
    """One row of the directory: sources that the same switches open, those switches, where they
    stand, and the clause that asks for it.
    """

    source: str
    opened_by: str
    at: str
    rule: str
    sources: tuple[str, ...] = ()
    switches: tuple[str, ...] = ()


ORDER = {"utility": 0, "generator": 1, "inverter": 2, "pv inverter": 3, "string": 4, "pack": 5}


def list_disconnects(network: Network, plan: Plan) -> tuple[Disconnect, ...]:
    """One row for every source of the job, sources that the same switches open together in one."""
    rows: dict[tuple[str, tuple[str, ...]], list[tuple[Source, tuple[Switch, ...]]]] = {}
    for source in sorted(network.sources, key=lambda s: ORDER[s.kind]):
        opens = frontier(network, source)
        rows.setdefault((source.kind, tuple(s.id for s in opens)), []).append((source, opens))
    out = []
    for (kind, ids), pairs in rows.items():
        opens = pairs[0][1]
        out.append(
            Disconnect(
                together([s.name for s, _ in pairs]),
                ", ".join(dict.fromkeys(s.name for s in opens)) or "nothing in this plan",
                ", ".join(dict.fromkeys(s.place for s in opens if s.place)),
                plan.book.clauses[f"opens {kind}"],
                tuple(s.id for s, _ in pairs),
                ids,
            )
        )
    return tuple(out)


def together(names: Sequence[str]) -> str:
    """Names said in one, those that differ in their last word only as one: "Strings A, B and C",
    "Pack 1 in its cabinet and pack 2 in its cabinet".
    """
    stems: dict[str, list[str]] = {}
    for n in names:
        stem, _, last = n.rpartition(" ")
        stems.setdefault(stem if len(last) < 3 else n, []).append(last)
    said = []
    for stem, lasts in stems.items():
        one = f"{stem} {lasts[0]}" if len(lasts[0]) < 3 else stem
        said.append(f"{stem}s {listed(lasts)}" if len(lasts) > 1 and stem else one)
    return listed([said[0], *(inside(x) for x in said[1:])])


def disconnect_findings(rows: Sequence[Disconnect], plan: Plan) -> list[Finding]:
    """What a person must see: that each is within sight or lockable, and that a directory hangs at
    the service.
    """
    if not rows:
        return []
    off_grid = plan.supply.kind == "off-grid"
    where = "at the loads panel" if off_grid else "at the service"
    rule = plan.book.clauses["directory"]
    count = len({s for row in rows for s in row.switches})
    says = (
        f"{count} disconnects make this job dead: each within reach, lockable when open, and listed"
        f" on a directory {where}."
    )
    place = "loads-panel" if off_grid else "main-panel"
    return [duty("disconnects", place, says, rule, Asked("Hand over"))]


# going down


@dataclass(frozen=True, slots=True)
class ShutdownStep:
    """One step: what to do, and the switches of this job it opens."""

    says: str
    switches: tuple[str, ...] = ()


SCHOOL = ("loads", "generator", "backup", "grid", "pv inverter", "pv", "unit", "battery")
VERBS = {
    "loads": "Open {}, so that no load is broken by the inverter.",
    "generator": "Stop the generator and open {}.",
    "backup": "Open {}.",
    "grid": "Open {}.",
    "pv inverter": "Open {}.",
    "pv": "Turn {} to OFF.",
    "battery": "Open {}.",
}


def shutdown_steps(network: Network, inverter: Inverter) -> tuple[ShutdownStep, ...]:
    """How this job goes down: in its maker's order where the sheet gives one, else load before
    alternating side, sun, unit and battery; each step names switches that the job has.

    The utility's main is left: it takes the house from the grid, and is opened for work there;
    unless nothing else parts a unit from the grid.
    """
    bare = {
        s.id
        for unit in network.sources
        if unit.kind == "inverter" and not any(_of_unit(s, unit) for s in network.switches)
        for s in frontier(network, unit)
        if s.kind != "throw"
    }
    steps: list[ShutdownStep] = []
    for kind in _order(inverter):
        if kind == "unit":
            steps += _unit(network, inverter)
            continue
        rows = [s for s in network.switches if _opened(s, kind, bare)]
        rows.sort(key=lambda s: not s.breaks_load)  # a fuse is drawn when no current flows
        if rows:
            names = by_place(rows)
            steps.append(ShutdownStep(VERBS[kind].format(names), tuple(s.id for s in rows)))
    wait = max((c.wait_min for c in network.capacitors), default=0)
    tail = " PV leads stay live in light." if _has(network, "string") else ""
    packs = " Packs stay charged behind their own breakers." if _has(network, "pack") else ""
    steps.append(
        ShutdownStep(
            f"Wait {wait:g} minutes for the capacitors, then prove dead at every port with a proved"
            f" tester.{tail}{packs}"
        )
    )
    return tuple(steps)


def by_place(switches: Sequence[Switch]) -> str:
    """Switches in a sentence: those of one place together, and places whose switches have one name:
    "breakers 1 and 2 at the grid combiner", "own breaker of pack 1, pack 2 and pack 3".
    """
    places: dict[str, list[str]] = {}
    for s in switches:
        places.setdefault(s.place, []).append(inside(s.name))
    alike: dict[tuple[str, ...], list[str]] = {}
    for place, names in places.items():
        alike.setdefault(tuple(dict.fromkeys(names)), []).append(inside(place))
    said = []
    for names_, at in alike.items():
        what = together(names_)
        own = all(n.startswith(("own", "PV switch", "fuse ")) for n in names_)
        where = f" {'of' if own else 'at'} {listed([the(x) for x in at])}" if at != [""] else ""
        more = {"breaker": "s", "switch": "es"}.get(what.rpartition(" ")[2], "")
        many = more if own and len(at) > 1 else ""
        said.append(f"{the(what)}{many}{where}")
    return listed(said)


def the(place: str) -> str:
    """A thing in a sentence: "the main panel", but "inverter 1"."""
    return place if place[-1].isdigit() else f"the {place}"


def _has(network: Network, kind: str) -> bool:
    return any(s.kind == kind for s in network.sources)


def _order(inverter: Inverter) -> list[str]:
    """The kinds of step in the maker's order; what his sheet leaves out comes before what it goes
    before at school.
    """
    order: list[str] = list(inverter.shutdown or SCHOOL)
    for n, kind in enumerate(SCHOOL):
        if kind not in order:
            later = [i for i, k in enumerate(order) if k in SCHOOL[n + 1 :]]
            order.insert(min(later, default=len(order)), kind)
    return order


def _of_unit(s: Switch, unit: Source) -> bool:
    """Whether a switch is the one on the grid side of a unit."""
    return s.by_hand and s.protects == f"grid-{unit.id.removeprefix('inverter-')}"


def _opened(s: Switch, kind: str, bare: set[str]) -> bool:
    """Whether a step opens a switch: one that a hand opens, or a fuse drawn last; of the grid and
    the backup side those of the units themselves, and of units without one the next (`bare`). A
    changeover goes to the grid by itself.
    """
    if s.works != kind or not s.by_hand or s.kind in ("throw", "plug"):
        return False
    if kind in ("grid", "backup"):
        side, _, unit = s.protects.rpartition("-")
        return s.id in bare or (side in ("grid", "backup") and unit.isdigit())
    return True


def _unit(network: Network, inverter: Inverter) -> list[ShutdownStep]:
    units = [b.label for b in network.bodies if b.role == "inverter"]
    how = inverter.switch_off
    if not how:
        return []
    each = f"{units[0]}: {how}." if len(units) == 1 else f"Each of {listed(units)}: {how}."
    return [ShutdownStep(each)]


def listed(names: Sequence[str]) -> str:
    """Names in a sentence: "a, b and c"."""
    rows = list(dict.fromkeys(names))
    return rows[0] if len(rows) == 1 else f"{', '.join(rows[:-1])} and {rows[-1]}"
