"""What opens each source: where a hand goes in the night. Every one within reach, lockable when
open, and labelled.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.basis.finding import Asked, Finding, duty
from gumboot.core.basis.words import inside, listed
from gumboot.core.network import Network, Source, Switch, frontier
from gumboot.core.plan import Plan


@dataclass(frozen=True, slots=True)
class Disconnect:
    """One row of the directory: sources that the same switches open, those switches, where they
    stand, both as a line of a placard, and the clause that asks for it.
    """

    source: str
    opened_by: str
    at: str
    says: str
    rule: str
    sources: tuple[str, ...] = ()
    switches: tuple[str, ...] = ()


ORDER = {
    **{"utility": 0, "generator": 1, "inverter": 2, "pv inverter": 3},
    **{"controller": 4, "string": 5, "pack": 6},
}


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
                by_place(opens),
                plan.book.clauses[f"opens {kind}"],
                tuple(s.id for s, _ in pairs),
                ids,
            )
        )
    return tuple(out)


def by_place(opens: Sequence[Switch]) -> str:
    """Switches with where they stand: "main, Essential board; breaker 1, Main board"."""
    at: dict[str, list[str]] = {}
    for s in opens:
        at.setdefault(s.place, []).append(s.name)
    rows = [", ".join(x for x in (*dict.fromkeys(names), p) if x) for p, names in at.items()]
    return "; ".join(rows) or "nothing in this plan"


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
