"""What opens each source: where a hand goes in the night. Every one within reach, lockable when
open, and labelled.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.basis.finding import Cure, Finding, check
from gumboot.core.network import Body
from gumboot.core.plan import Plan
from gumboot.core.size.conductors import Sized


@dataclass(frozen=True, slots=True)
class Disconnect:
    """One source, what opens it, where that stands, and the clause that asks for it."""

    source: str
    opened_by: str
    at: str
    rule: str


CLAUSES = {
    "nec-2023": {
        "pv": "NEC 2023 690.13, 690.15",
        "dc": "NEC 2023 706.15",
        "grid": "NEC 2023 705.20",
        "generator": "NEC 2023 445.18",
        "backup": "NEC 2023 710.15",
    },
    "iec-60364": {
        "pv": "IEC 60364-7-712 712.536",
        "dc": "IEC 60364-5-57",
        "grid": "IEC 60364-5-55 551.7.6",
        "generator": "IEC 60364-5-55 551.2",
        "backup": "IEC 60364-8-82",
    },
}


def list_disconnects(
    sized: Sequence[Sized], bodies: Sequence[Body], plan: Plan
) -> tuple[Disconnect, ...]:
    """One row for every source of the job, in the order a crew makes it dead."""
    rules = CLAUSES[plan.code]
    out: list[Disconnect] = []
    for s in sized:
        c = s.circuit
        if c.family in ("backup", "generator"):
            out.append(
                Disconnect(
                    f"{c.name}",
                    c.protection,
                    c.source.label if c.family == "generator" else c.load.label,
                    rules[c.family],
                )
            )
        elif c.family in ("grid", "existing-pv"):
            out.append(Disconnect(c.name, c.protection, c.source.label, rules["grid"]))
        elif c.family in ("pack", "battery") and (c.family == "pack" or c.own_protection):
            out.append(Disconnect(c.name, c.protection, c.source.label, rules["dc"]))
        elif c.family == "battery":
            out.append(Disconnect(c.name, c.protection, "Battery bus", rules["dc"]))
    if any(s.circuit.family == "pv" for s in sized):
        for b in bodies:
            if b.role == "inverter":
                out.append(
                    Disconnect(
                        f"Strings of {b.label[0].lower()}{b.label[1:]}",
                        "PV switch of the unit",
                        b.label,
                        rules["pv"],
                    )
                )
    return tuple(out)


def disconnect_findings(rows: Sequence[Disconnect], plan: Plan) -> list[Finding]:
    """What a person must see: that each is within sight or lockable, and that a directory hangs at
    the service.
    """
    if not rows:
        return []
    off_grid = plan.supply.kind == "off-grid"
    where = "at the loads panel" if off_grid else "at the service"
    rule = (
        "NEC 2023 705.10, 706.15, 690.13"
        if plan.code == "nec-2023"
        else "IEC 60364-7-712 712.514, 60364-5-55"
    )
    says = (
        f"{len(rows)} disconnects make this job dead: each within reach, lockable when open, and"
        f" listed on a directory {where}."
    )
    return [
        check(
            "disconnects",
            "loads-panel" if off_grid else "main-panel",
            says,
            rule,
            Cure("Walk the list in Size with the lock in hand, and hang the directory"),
        )
    ]
