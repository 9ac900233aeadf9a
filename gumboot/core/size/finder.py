"""The string finder: every legal way to spread the modules of some roof faces over the trackers of
inverters or charge controllers.

A tracker takes nothing, or k strings of n modules, all from one face: so unlike strings never meet.
Rows of choices are
built tracker by tracker; identical trackers are taken in order, so that each arrangement comes up
once; rows that ask a
face for more modules than it has are dropped as they arise.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from gumboot.core.codes import OutsideTable
from gumboot.core.kit import Module, Tracker
from gumboot.core.kit.missing import name_of
from gumboot.core.plan import Plan
from gumboot.core.size.strings import (
    SILENT_V,
    Taker,
    cold_voltage,
    coldest,
    hot_voltages,
    hottest,
    string_fuse,
    wants_fuses,
)
from gumboot.core.size.strings.optimized import fits, lengths

ROWS_MOST = (
    100_000  # beyond this only the fullest rows are followed further, and the finder says so
)


@dataclass(frozen=True, slots=True)
class Face:
    """A roof face: how many modules fit, tilt and azimuth in degrees."""

    modules: int
    tilt_deg: float = 30
    azimuth_deg: float = 180
    mounting: str = "roof"


@dataclass(frozen=True, slots=True)
class Lot:
    """What lands on one tracker: `strings` in parallel of `modules` each, from one face (counted
    from 0). inverter, controller: the unit, as a string of the plan names it.
    """

    inverter: int
    controller: int
    tracker: str
    face: int
    strings: int
    modules: int


@dataclass(frozen=True, slots=True)
class Arrangement:
    """One legal arrangement. used: modules placed; margin: the least distance of any string from
    its limits, as a fraction; clips: some current is lost.
    """

    lots: tuple[Lot, ...]
    used: int
    margin: float
    clips: bool


@dataclass(frozen=True, slots=True)
class Found:
    """The best arrangements, how many legal ones there are in all, and whether all were
    looked at.
    """

    best: tuple[Arrangement, ...]
    count: int
    complete: bool
    reason: str = ""


@dataclass(frozen=True, slots=True)
class _Option:
    face: int
    strings: int
    modules: int
    margin: float
    clips: bool


def window(
    module: Module, mounting: str, plan: Plan, unit: Taker, tracker: Tracker
) -> list[tuple[int, float]]:
    """(modules in series, margin) of every string length a tracker takes. Raises OutsideTable when
    the site is colder than the book.
    """
    ceiling = _ceiling(module, plan, unit)
    if module.optimizer:
        held = fits(module.optimizer, tracker, ceiling)
        return list(lengths(module.optimizer, module).items()) if held else []
    cold = cold_voltage(module, coldest(plan), plan.book)
    n = np.arange(1, int(ceiling / cold.value(n=1) + 1e-9) + 1)
    mp_hot, oc_hot = (f.value(n=n) for f in hot_voltages(module, hottest(plan, mounting)))
    legal = (mp_hot >= tracker.v_min) & (oc_hot >= tracker.v_start)
    margin = np.minimum(1 - cold.value(n=n) / ceiling, mp_hot / tracker.v_min - 1)
    return list(zip(n[legal].tolist(), margin[legal].tolist(), strict=True))


def _ceiling(module: Module, plan: Plan, unit: Taker) -> float:
    """Volts that no string may pass in the cold."""
    building = plan.book.building_v[plan.site.building]
    return min(unit.sheet.pv_v_max or SILENT_V, module.system_v_max, building)


def options(
    module: Module, faces: list[Face], plan: Plan, unit: Taker, tracker: Tracker
) -> list[_Option]:
    """Everything that may land on one tracker."""
    wide = 2 if module.pushes_a > tracker.pair_a else 1
    if module.pushes_a > wide * tracker.pair_a:
        return []
    fused, own = string_fuse(module, plan.book) is not None, module.optimizer is not None
    counts = [
        k
        for k in range(1, tracker.pairs // wide + 1)
        if k * module.pushes_a <= tracker.i_sc_max_a
        and (fused or not wants_fuses(k, module, plan.book))
    ]
    return [
        _Option(f, k, n, margin, not own and k * module.i_mp_a > tracker.i_mp_max_a)
        for f, face in enumerate(faces)
        for n, margin in window(module, face.mounting, plan, unit, tracker)
        for k in counts
        if k * n <= face.modules
    ]


def why_none(module: Module, faces: list[Face], plan: Plan, unit: Taker) -> str:
    """What keeps every string off a unit's first tracker, in its numbers."""
    if not unit.trackers:
        return "it has none"
    tracker, pushes = unit.trackers[0], f"one string can push {module.pushes_a:g} A"
    at = f"tracker {tracker.id}"
    if module.pushes_a > tracker.i_sc_max_a:
        return f"{pushes}, {at} bears {tracker.i_sc_max_a:g} A"
    wide = 2 if tracker.pairs > 1 else 1
    if module.pushes_a > wide * tracker.pair_a:
        pair = "two pairs" if wide > 1 else "its pair"
        return f"{pushes}, {pair} of connectors on {at} carry {wide * tracker.pair_a:g} A"
    if module.optimizer and not fits(module.optimizer, tracker, _ceiling(module, plan, unit)):
        held = module.optimizer.string_v
        return f"{module.optimizer.name} strings are held at {held:g} V, which {at} does not take"
    mounting = faces[0].mounting if faces else "roof"
    fit = window(module, mounting, plan, unit, tracker)
    if fit:
        return f"the shortest has {fit[0][0]} modules, and no roof face has as many"
    ceiling = _ceiling(module, plan, unit)
    cold = cold_voltage(module, coldest(plan), plan.book)
    n = int(ceiling / cold.value(n=1) + 1e-9)
    if n == 0:
        return f"one module makes {cold.value(n=1):.0f} V in the cold, {ceiling:g} V is the limit"
    hot, stands = (f.value(n=n) for f in hot_voltages(module, hottest(plan, mounting)))
    if hot >= tracker.v_min:
        return (
            f"{n} modules are the most below {ceiling:g} V in the cold, and stand at {stands:.0f} V"
            f" open in the heat; {at} starts at {tracker.v_start:g} V"
        )
    return (
        f"{n} modules are the most below {ceiling:g} V in the cold, and make {hot:.0f} V in the"
        f" heat; {at} works from {tracker.v_min:g} V"
    )


def find(
    plan: Plan, units: Sequence[Taker], module: Module, faces: list[Face], most: int = 12
) -> Found:
    """Rank every legal arrangement: most modules used first, then the widest margin, then the
    fewest strings, then the most even among units. units: at least one, those of one sheet side by
    side.
    """
    kinds: dict[tuple[str, str], list[_Option]] = {}
    try:
        for u in units:
            new = (t for t in u.trackers if (u.sheet.id, t.id) not in kinds)
            kinds |= {(u.sheet.id, t.id): options(module, faces, plan, u, t) for t in new}
    except OutsideTable as exc:
        return Found((), 0, True, f"{exc}.")
    if not any(kinds.values()):
        unit = units[0]
        why = why_none(module, faces, plan, unit)
        fits = f"No string of {name_of(module)} fits a tracker of {unit.sheet.model}"
        return Found((), 0, True, f"{fits}: {why}.")
    first = dict.fromkeys(t.id for u in units for t in u.trackers)
    seats = [(u, t) for id in first for u in units for t in u.trackers if t.id == id]
    rows, complete = _rows(seats, kinds, faces, module, units)
    table = [o for opts in kinds.values() for o in opts]
    size = np.array([0, *(o.strings * o.modules for o in table)])
    margin = np.array([9.0, *(o.margin for o in table)])
    strings = np.array([0, *(o.strings for o in table)])
    used, least, count = size[rows].sum(1), margin[rows].min(1), strings[rows].sum(1)
    peak = np.max([size[rows[:, own]].sum(1) for own in _seats_of(units, seats)], axis=0)
    order = np.lexsort((peak, count, -np.round(least, 4), -used))[:most]
    best = [
        _arrangement(rows[i], seats, table, int(used[i]), float(least[i])) for i in order if used[i]
    ]
    if not best:  # every string fits a tracker and a face: it is more power than a unit takes
        return Found((), 0, complete, _too_much(module, units, kinds))
    return Found(tuple(best), int((used > 0).sum()), complete)


def _too_much(
    module: Module, units: Sequence[Taker], kinds: dict[tuple[str, str], list[_Option]]
) -> str:
    sheet = units[0].sheet
    short = min(o.modules for opts in kinds.values() for o in opts)
    return (
        f"The shortest string of {name_of(module)} that works on {sheet.model} has {short} modules,"
        f" {short * module.p_max_w:g} W; it takes {sheet.pv_power_max_w:g} W of PV."
    )


def _seats_of(units: Sequence[Taker], seats: Sequence[tuple[Taker, Tracker]]) -> list[list[int]]:
    """The columns of each unit's trackers."""
    return [[k for k, (u, _) in enumerate(seats) if u is unit] for unit in units]


def _rows(
    seats: list[tuple[Taker, Tracker]],
    kinds: dict[tuple[str, str], list[_Option]],
    faces: list[Face],
    module: Module,
    units: Sequence[Taker],
) -> tuple[np.ndarray, bool]:
    """Every row of choices, one column a seat, 0 for an empty tracker; choices are numbered from 1
    through all kinds.
    """
    table = [o for opts in kinds.values() for o in opts]
    need = np.zeros((len(table) + 1, len(faces)), dtype=np.int32)
    for i, o in enumerate(table, 1):
        need[i, o.face] = o.strings * o.modules
    room = np.array([f.modules for f in faces])
    rows = np.zeros((1, 0), dtype=np.int32)
    left = room[None, :].copy()
    loads = np.zeros((1, len(units)))
    complete, start, before = True, 1, None
    ids: dict[tuple[str, str], tuple[int, int]] = {}
    for key, opts in kinds.items():
        ids[key] = (start, start + len(opts))
        start += len(opts)
    for unit, tracker in seats:
        i, key = units.index(unit), (unit.sheet.id, tracker.id)
        most = unit.sheet.pv_power_max_w
        power = most / module.p_max_w if most else 1e9
        low, high = ids[key]
        picks = np.array([0, *range(low, high)], dtype=np.int32)
        n_rows, n_picks = len(rows), len(picks)
        at = np.repeat(np.arange(n_rows), n_picks)
        pick = np.tile(picks, n_rows)
        ok = (left[at] >= need[pick]).all(1)
        if before is not None and _alike(before[1], tracker) and len(units) == 1:
            base = low - ids[before[0].sheet.id, before[1].id][0]
            last = rows[at, -1]
            ok &= np.where(last == 0, pick == 0, (pick == 0) | (pick - base <= last))
        loads_at = loads[at, i] + need[pick].sum(1)
        ok &= loads_at <= power + 1e-9
        at, pick = at[ok], pick[ok]
        if len(at) > ROWS_MOST:
            full = (room.sum() - left[at].sum(1)) + need[pick].sum(1)
            keep = np.argsort(-full, kind="stable")[:ROWS_MOST]
            at, pick, complete = at[keep], pick[keep], False
        rows = np.column_stack([rows[at], pick])
        left = left[at] - need[pick]
        loads = loads[at].copy()
        loads[:, i] += need[pick].sum(1)
        before = unit, tracker
    return rows, complete


def _alike(a: Tracker, b: Tracker) -> bool:
    """Whether two trackers take the same strings: their names and terminals apart."""
    skip = {"id", "terminals"}
    return a.model_dump(exclude=skip) == b.model_dump(exclude=skip)


def _arrangement(
    row: np.ndarray,
    seats: list[tuple[Taker, Tracker]],
    table: list[_Option],
    used: int,
    margin: float,
) -> Arrangement:
    chosen = [(u, t, table[int(p) - 1]) for (u, t), p in zip(seats, row, strict=True) if p]
    lots = tuple(
        sorted(
            (
                Lot(*((1, u.n) if u.controls else (u.n, 0)), t.id, o.face, o.strings, o.modules)
                for u, t, o in chosen
            ),
            key=lambda x: (x.controller, x.inverter, x.tracker),
        )
    )
    return Arrangement(lots, used, margin, any(o.clips for _, _, o in chosen))
