"""The board's figures, leg by leg.

leg L1 ──┬── kitchen        running: the sum
         ├── well pump      starting: the others run, and one starts
leg L2 ──┴── freezer        a circuit on both legs gives half to each
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from gumboot.core.basis.clock import DAY, covered
from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.kit import LINES, Gateway, Inverter
from gumboot.core.plan import Load, LoadKind, Plan, Window
from gumboot.core.size.conductors import SizedCircuit
from gumboot.core.size.derating import derated

STARTING: dict[LoadKind, float] = {
    "resistive": 1.0,
    "heater": 1.0,
    "electronics": 1.5,
    "motor": 4.0,
    "pump": 5.0,
}  # times running power
STARTS_S: dict[LoadKind, float] = {
    "resistive": 0.0,
    "heater": 0.0,
    "electronics": 0.1,
    "motor": 1.0,
    "pump": 2.0,
}  # how long a start lasts, s
COINCIDE_S = 0.5  # starts shorter than this are not counted on to meet: common practice
SOFT_START = 0.4  # what a soft starter leaves of the start; all common practice, from memory
STEP_MIN = 15
DAY_STEPS = DAY // STEP_MIN
NIGHT = (18 * 60, 8 * 60)  # when no sun is counted on, by the clock: common practice
PHASE_V = {
    "split-phase 120/240 V": 120.0,
    "single-phase 230 V": 230.0,
    "three-phase 400/230 V": 230.0,
}
Day = NDArray[np.float64]  # W by quarter hour of the day: shape (96,)


def spans(windows: Sequence[Window]) -> list[tuple[int, int]]:
    """Windows as (start, end) in minutes."""
    return [(w.start_min, w.end_min) for w in windows]


def may_run(load: Load) -> NDArray[np.bool_]:
    """In which quarter hours of the day it may run: shape (96,)."""
    return _quarters(tuple(spans(load.hours)))


@lru_cache(maxsize=256)
def _quarters(hours: tuple[tuple[int, int], ...]) -> NDArray[np.bool_]:
    return np.asarray(covered(hours).reshape(DAY_STEPS, STEP_MIN).any(axis=1))


def share(load: Load, leg: str) -> float:
    """The share of a circuit's power on one leg, or on "all": 1/2 for each of two."""
    legs = load.legs.split("+")
    return 1.0 if leg == "all" else 1.0 / len(legs) if leg in legs else 0.0


def starting_power(load: Load, leg_v: float) -> Figure:
    """Power in W at the moment it starts: as given, locked-rotor current times voltage, or a
    multiple by its kind; a soft starter leaves 40 %.
    """
    run = given("P_run", load.running_w, "W", f"Running power of {load.name}", "load board")
    name = f"Starting power of {load.name}"
    if load.starting_w is not None:
        plain = given("P_st", load.starting_w, "W", name, "load board")
    elif load.locked_rotor_a is not None:
        n = given("n_leg", len(load.legs.split("+")), "", "Legs it stands on", "load board")
        amps = given("I_LR", load.locked_rotor_a, "A", "Locked-rotor current", "load board")
        volts = given("V_leg", leg_v, "V", "Leg to neutral", "supply")
        plain = solve(
            "P_st", "W", name, "I_LR * n_leg * V_leg", amps, n, volts, source="definition"
        )
    else:
        k = given(
            "k_st", STARTING[load.kind], "", f"Start over running, {load.kind}", COMMON_PRACTICE
        )
        plain = solve(
            "P_st",
            "W",
            name,
            "k_st * P_run",
            k,
            run,
            source=COMMON_PRACTICE,
            doubt="read the plate",
        )
    if not load.soft_start:
        return plain
    soft = given("k_soft", SOFT_START, "", "What a soft starter leaves of a start", COMMON_PRACTICE)
    return solve(
        "P_soft",
        "W",
        f"{name}, soft",
        "max(P_run, k_soft * P_st)",
        run,
        soft,
        plain,
        source=COMMON_PRACTICE,
    )


@dataclass(frozen=True, slots=True)
class Leg:
    """One leg, or "all". W at once, in the worst quarter hour (from `worst_at`, minutes), in the
    worst start (of load `starter`); and the ratings.
    """

    name: str
    at_once: Figure
    running: Figure
    worst_at: int
    start: Figure
    starter: str
    continuous: Figure
    surge: Figure | None


@dataclass(frozen=True, slots=True)
class Board:
    """The circuits on backup, in all and leg by leg; what the feed passes, A a leg; energy in kWh
    of a day and a night, and nights covered.

    together: pairs of loads (ids) that each start alone and not at one moment.
    """

    total: Leg
    legs: tuple[Leg, ...]
    pass_through: Figure | None
    house: tuple[Figure, ...]
    starting: dict[str, Figure]
    together: tuple[tuple[str, str], ...]
    e_day: Figure
    e_night: Figure
    nights: Figure | None


class Sheet:
    """Some loads as arrays over the quarter hours: what each draws running, and the more it draws
    while starting.
    """

    def __init__(self, loads: Sequence[Load], starting: dict[str, Figure]) -> None:
        self.loads = list(loads)
        self.may = np.array([may_run(x) for x in loads], bool).reshape(len(loads), DAY_STEPS)
        self.watts = np.array([x.running_w for x in loads])
        self.extra = np.array([max(0.0, starting[x.id].n - x.running_w) for x in loads])
        self._shares: dict[str, Day] = {}
        self._draws: dict[str, Day] = {}

    def shares(self, leg: str) -> Day:
        """Share of each load on a leg: shape (loads,)."""
        if leg not in self._shares:
            self._shares[leg] = np.array([share(x, leg) for x in self.loads])
        return self._shares[leg]

    def draw(self, leg: str) -> Day:
        """W on a leg by quarter hour, all that may run running."""
        if leg not in self._draws:
            self._draws[leg] = (self.watts * self.shares(leg)) @ self.may
        return self._draws[leg]

    def starts(self, leg: str, which: Sequence[int]) -> float:
        """The highest W on a leg when these start at one moment, the others running; 0 when no hour
        has them all.
        """
        when = np.logical_and.reduce(self.may[list(which)])
        extra = float((self.extra * self.shares(leg))[list(which)].sum())
        return float(self.draw(leg)[when].max()) + extra if when.any() and extra > 0 else 0.0

    def pair_starts(self, leg: str, movers: Sequence[int]) -> NDArray[np.float64]:
        """`starts` of every pair of some loads at once, each alone on the diagonal."""
        rows = list(movers)
        if not rows:
            return np.zeros((0, 0))
        may = self.may[rows]
        both = may[:, None, :] & may[None, :, :]
        extra = (self.extra * self.shares(leg))[rows]
        together = extra[:, None] + extra[None, :] - np.diag(extra)
        draw = np.where(both, self.draw(leg), -np.inf).max(axis=2)
        return np.where(both.any(axis=2) & (together > 0), draw + together, 0.0)


def _sum(
    symbol: str, name: str, watts: Sequence[tuple[str, float]], assumption: str = ""
) -> Figure:
    """A sum of circuits, each an input: W."""
    parts = [given(f"P_{i + 1}", w, "W", n, "load board") for i, (n, w) in enumerate(watts)]
    return solve(
        symbol,
        "W",
        name,
        " + ".join(p.symbol for p in parts) or "0",
        *parts,
        source="sum",
        assumption=assumption,
    )


def design_leg(name: str, sheet: Sheet, continuous: Figure, surge: Figure | None) -> Leg:
    """Sums of one leg, or of "all"."""
    shares, draw = sheet.shares(name), sheet.draw(name)
    on = [i for i, s in enumerate(shares) if s > 0]

    def watts(some: Iterable[int]) -> list[tuple[str, float]]:
        return [(sheet.loads[i].name, float(sheet.watts[i] * shares[i])) for i in some]

    at = int(draw.argmax()) if on else 0
    running = _sum(
        "P_hour",
        "Running in the worst quarter hour",
        watts(i for i in on if sheet.may[i, at]),
        "each in the hours stated for it",
    )
    movers = [i for i in on if sheet.extra[i] > 0]
    starts = list(zip(sheet.pair_starts(name, movers).diagonal().tolist(), movers, strict=True))
    most, first = max(starts, default=(0.0, -1))
    start, starter = running, ""
    if most > running.n:
        when = int(np.where(sheet.may[first], draw, -1.0).argmax())
        rest = watts(i for i in on if i != first and sheet.may[i, when])
        one = (
            f"{sheet.loads[first].name}, starting",
            float((sheet.watts[first] + sheet.extra[first]) * shares[first]),
        )
        start, starter = (
            _sum("P_start", "Worst start", [*rest, one], "the others run, one starts"),
            sheet.loads[first].id,
        )
    return Leg(
        name,
        _sum("P_sum", "All running at once", watts(on)),
        running,
        at * STEP_MIN,
        start,
        starter,
        continuous,
        surge,
    )


def ratings(
    inverter: Inverter, inverters: int, lines: int, hot: Figure | None = None
) -> tuple[Figure, Figure | None, Figure, Figure | None]:
    """(continuous of all, surge of all, continuous of one leg, surge of one leg) in W. hot: the
    power of one in the hottest air.
    """
    n = given("n_inv", inverters, "", "Inverters", "plan")
    plain = given("P_inv", inverter.power_w, "W", "Continuous power of one", "inverter sheet")
    p = (
        hot.renamed("P_inv") if hot and 0 < hot.n < inverter.power_w else plain
    )  # in air that stops it nothing can be shared out
    whole = solve("P_cont", "W", "Continuous, all inverters", "n_inv * P_inv", n, p, source="sum")
    if inverter.leg_max_w:
        one = given(
            "P_one", inverter.leg_max_w, "W", "Continuous power of one on one leg", "inverter sheet"
        )
        if p is not plain:
            cool = one.renamed("P_cool")
            one = solve(
                "P_one",
                "W",
                "The same in the hottest air",
                "P_cool * P_inv / P_full",
                cool,
                p,
                plain.renamed("P_full"),
                source=COMMON_PRACTICE,
            )
        leg = solve("P_leg", "W", "Continuous on one leg", "n_inv * P_one", n, one, source="sum")
    else:
        k = given("n_leg", lines, "", "Legs", "supply")
        leg = solve(
            "P_leg",
            "W",
            "Continuous on one leg",
            "P_cont / n_leg",
            whole,
            k,
            source=COMMON_PRACTICE,
            assumption="an even share, since the sheet states no other",
        )
    if inverter.surge_w is None:
        return whole, None, leg, None
    s = given(
        "P_sur",
        inverter.surge_w,
        "W",
        f"Surge of one, {inverter.surge_s or 0:g} s",
        "inverter sheet",
    )
    surge = solve("P_surge", "W", "Surge, all inverters", "n_inv * P_sur", n, s, source="sum")
    on_leg = solve(
        "P_sleg",
        "W",
        "Surge on one leg",
        "P_surge * P_leg / P_cont",
        surge,
        leg,
        whole,
        source=COMMON_PRACTICE,
    )
    return whole, surge, leg, on_leg


def design_board(
    plan: Plan,
    inverter: Inverter,
    gateway: Gateway | None,
    sized: Sequence[SizedCircuit],
    energy: Figure | None,
) -> Board | None:
    """All figures of the board; None when no load is listed. energy: usable kWh of the bank."""
    if not plan.loads:
        return None
    lines, leg_v = LINES[inverter.supply], PHASE_V[inverter.supply]
    starting = {x.id: starting_power(x, leg_v) for x in plan.loads}
    sheet = Sheet([x for x in plan.loads if x.backed and plan.backup.loads != "nothing"], starting)
    whole, surge, leg_c, leg_s = ratings(
        inverter, plan.kit.inverters, len(lines), derated(inverter, plan)
    )
    legs = tuple(design_leg(str(n), sheet, leg_c, leg_s) for n in lines)
    total = design_leg("all", sheet, whole, surge)
    v = given("V_leg", leg_v, "V", "Leg to neutral", "supply")
    house = tuple(
        solve(
            "I_leg",
            "A",
            f"{x.name} in the worst quarter hour",
            "P_hour / V_leg",
            x.running,
            v,
            source="definition",
        )
        for x in legs
    )
    e_day, e_night, nights = nights_covered(
        sheet.loads, energy, inverter.standby_w * plan.kit.inverters
    )
    limit = pass_through(plan, inverter, gateway, sized)
    return Board(
        total,
        legs,
        limit,
        house,
        starting,
        not_together(sheet, total, legs),
        e_day,
        e_night,
        nights,
    )


def nights_covered(
    loads: Sequence[Load], energy: Figure | None, standby_w: float = 0.0
) -> tuple[Figure, Figure, Figure | None]:
    """(kWh of a day, kWh of a night without sun, nights the bank covers) of the circuits on backup
    and of the inverters themselves.
    """
    dark = covered([NIGHT]).reshape(DAY_STEPS, STEP_MIN).all(axis=1)
    hours = [
        (
            x,
            float(may_run(x).sum()) * STEP_MIN / 60,
            float((may_run(x) & dark).sum()) * STEP_MIN / 60,
        )
        for x in loads
    ]
    used = "running power, hours and share of time"
    day = _sum(
        "Wh_day", "Energy of a day", [(x.name, x.running_w * x.duty * h) for x, h, _ in hours], used
    )
    night = _sum(
        "Wh_night",
        "Energy from 18:00 to 08:00",
        [(x.name, x.running_w * x.duty * h) for x, _, h in hours],
        used,
    )
    own = given("P_own", standby_w, "W", "What the inverters draw themselves", "inverter sheet")
    h_day, h_night = (
        given("h_day", 24, "h", "Hours of a day", "definition"),
        given(
            "h_night", (NIGHT[1] - NIGHT[0]) % DAY / 60, "h", "Hours of a night", COMMON_PRACTICE
        ),
    )
    e_day = solve(
        "E_day",
        "kWh",
        "Backed-up loads, a day",
        "(Wh_day + h_day * P_own) / 1000",
        day,
        h_day,
        own,
        source="definition",
    )
    e_night = solve(
        "E_night",
        "kWh",
        "Backed-up loads, a night",
        "(Wh_night + h_night * P_own) / 1000",
        night,
        h_night,
        own,
        source="definition",
    )
    if energy is None or e_night.n <= 0:
        return e_day, e_night, None
    return (
        e_day,
        e_night,
        solve(
            "n_night",
            "",
            "Nights covered by a full bank",
            "E / E_night",
            energy,
            e_night,
            source="definition",
        ),
    )


def pass_through(
    plan: Plan, inverter: Inverter, gateway: Gateway | None, sized: Sequence[SizedCircuit]
) -> Figure | None:
    """What the house may draw through the equipment with the grid on, A a leg: the least of unit,
    and breakers (at 80 % under the NEC) and conductors.
    """
    if plan.supply.kind == "off-grid":
        return None
    n = given("n_inv", plan.kit.inverters, "", "Inverters", "plan")
    inputs: list[Figure] = []
    formula: list[str] = []
    if gateway:
        inputs.append(
            given("I_box", gateway.i_max_a, "A", f"What {gateway.model} passes", "gateway sheet")
        )
        formula.append("I_box")
        feeds = [("changeover", "I_feed", "I_feed"), ("loads", "I_loads", "I_loads")]
    elif inverter.pass_through_a:
        inputs += [
            n,
            given(
                "I_thru",
                inverter.pass_through_a,
                "A",
                "Pass-through of one inverter",
                "inverter sheet",
            ),
        ]
        formula.append("n_inv * I_thru")
        feeds = [
            ("grid", "I_grid", "n_inv * I_grid"),
            ("grid-feeder", "I_feed", "I_feed"),
            ("backup-feeder", "I_back", "I_back"),
            ("loads", "I_loads", "I_loads"),
        ]
    else:
        return None
    for family, symbol, text in feeds:
        fed = [s.permitted for s in sized if s.circuit.family == family]
        if fed:
            inputs.append(min(fed, key=lambda f: f.n).renamed(symbol))
            formula.append(text)
    text = (
        f"min({', '.join(formula)})"
        if len(formula) > 1
        else formula[0]
        if "*" in formula[0]
        else f"1 * {formula[0]}"
    )
    return solve(
        "I_pass", "A", "What the feed passes, a leg", text, *inputs, source=COMMON_PRACTICE
    )


def not_together(sheet: Sheet, total: Leg, legs: Sequence[Leg]) -> tuple[tuple[str, str], ...]:
    """Pairs of loads (ids) that each start alone but not at the same moment, within the hours both
    may run; starts of a blink aside.
    """
    movers = [
        i
        for i, extra in enumerate(sheet.extra)
        if extra > 0 and STARTS_S[sheet.loads[i].kind] >= COINCIDE_S
    ]
    bad: set[tuple[int, int]] = set()
    for leg, most in ((x.name, x.surge.n) for x in (total, *legs) if x.surge):
        watts = sheet.pair_starts(leg, movers)
        alone = np.diag(watts) <= most
        over = np.triu((watts > most) & alone[:, None] & alone[None, :], 1)
        bad |= {(movers[a], movers[b]) for a, b in zip(*np.nonzero(over), strict=True)}
    rows = sorted(bad)
    return tuple((sheet.loads[i].id, sheet.loads[j].id) for i, j in rows)
