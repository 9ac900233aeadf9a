"""A ladder: every line of one quantity as a rung at its true height, with what the pack's own
protection allows and what its cells bear behind it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.kit import Chemistry
from gumboot.core.set.settings import Job, Setting
from gumboot.core.set.settings.agreement import equalises, out_of_order, related
from gumboot.core.set.settings.lattice import RUNGS

CELL_BAND: dict[Chemistry, tuple[float, float]] = {  # V a cell it bears: common practice, memory
    "LFP": (2.50, 3.65),
    "NMC": (2.75, 4.20),
    "flooded": (1.75, 2.60),
    "sealed": (1.75, 2.45),
    "gel": (1.75, 2.40),
}
ROOM = 0.04  # of the whole, above and below


@dataclass(frozen=True, slots=True)
class Rung:
    """One line: its key, its name as the display counts it, its value, the limits of the menu;
    broken: the lines that it must lie on the other side of.
    """

    id: str
    name: str
    value: float
    least: float | None
    most: float | None
    step: float
    broken: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Ladder:
    """A ladder from low to high in `unit`. cells: in series, 0 where that says nothing. allowed:
    by the pack's own protection; bears: by its cells; both may be None. pairs: (lower, upper,
    whether they may be equal), by their keys.
    """

    title: str
    unit: str
    low: float
    high: float
    rungs: tuple[Rung, ...]
    cells: int = 0
    allowed: tuple[float, float] | None = None
    bears: tuple[float, float] | None = None
    pairs: tuple[tuple[str, str, bool], ...] = ()


def ladders(settings: Sequence[Setting], job: Job) -> tuple[Ladder, ...]:
    """The ladders of one unit's menu: volts of the bank, and state of charge."""
    cells = job.in_series
    allowed = (job.bank.v_min.n, job.bank.v_max.n) if job.bank else None
    low, high = CELL_BAND[job.chemistry]
    bears = (cells * low, cells * high) if cells else None
    volts = _ladder("Volts of the bank", "V", settings, allowed, bears, cells)
    charge = _ladder("State of charge", "%", settings, (0.0, 100.0), None, 0)
    return tuple(x for x in (volts, charge) if x is not None)


def _ladder(
    title: str,
    unit: str,
    settings: Sequence[Setting],
    allowed: tuple[float, float] | None,
    bears: tuple[float, float] | None,
    cells: int,
) -> Ladder | None:
    idle = set() if equalises(settings) else {"equalise_v"}
    rows = [
        s
        for s in settings
        if s.shown
        and s.rule in RUNGS[unit]
        and s.rule not in idle
        and s.unit == unit
        and not isinstance(s.value, str)
    ]
    if len(rows) < 2:
        return None
    ids = {s.id for s in rows}
    pairs = [(a, b, e) for a, b, e in related(settings) if {a.id, b.id} <= ids]
    broken: dict[str, list[str]] = {}
    for a, b, even in pairs:
        if out_of_order(a, b, even, settings):
            broken.setdefault(a.id, []).append(b.label)
            broken.setdefault(b.id, []).append(a.label)
    values = [float(s.value) for s in rows]
    ends = [*values, *(allowed or ()), *(bears or ())]
    room = ROOM * (max(ends) - min(ends))
    return Ladder(
        title,
        unit,
        min(ends) - (0 if unit == "%" else room),
        max(ends) + (0 if unit == "%" else room),
        tuple(
            Rung(
                s.id,
                f"{s.number} {s.label}".strip(),
                v,
                s.least,
                s.most,
                s.step or 0.1,
                tuple(broken.get(s.id, ())),
            )
            for s, v in zip(rows, values, strict=True)
        ),
        cells,
        allowed if unit == "V" else None,
        bears,
        tuple((a.id, b.id, e) for a, b, e in pairs),
    )
