"""One string on the tracker it lands on.

                 ┌── tracker window ──┐
0 ── v_min ── V_mp,hot ……… V_mp ── v_max ……… V_oc,cold ── V_max of the inverter
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, duty, note, stop
from gumboot.core.basis.words import listed
from gumboot.core.codes import OutsideTable, nec
from gumboot.core.codes.book import Book
from gumboot.core.kit import Module, Tracker
from gumboot.core.plan import Plan, PvString
from gumboot.core.size.strings.optimized import optimizer_findings, volts_of
from gumboot.core.size.strings.rows import joined, parted
from gumboot.core.size.strings.taker import Taker, taker_of
from gumboot.core.size.strings.voltage import (
    SILENT_V,
    cold_voltage,
    coldest,
    hot_voltages,
    hottest,
    maximum_current,
    string_fuse,
    wants_fuses,
)

OPEN_LEAST = 0.9  # of the least open-circuit voltage by day: common practice


@dataclass(frozen=True, slots=True)
class StringDesign:
    """One string's figures. Voltages V, currents A, power W. body: what it lands on; modules: how
    many in series, each a `module`; rows: of so many, joined at the array.
    """

    key: str
    letter: str
    body: str
    tracker: str
    modules: int
    module: Module
    v_oc_cold: Figure
    v_mp_hot: Figure
    v_oc_hot: Figure
    i_max: Figure
    power: Figure
    fuse: Figure | None = None
    # two pairs of connectors bridged with the maker's jumper, since one pair carries too little
    jumper: bool = False
    rows: int = 1

    @property
    def counted(self) -> str:
        """Its modules as they are said: "10", or "2 × 10" of two rows."""
        return f"{self.rows} × {self.modules}" if self.rows > 1 else f"{self.modules}"

    @property
    def working_v(self) -> Figure:
        """What it works at: what its inverter holds it at where optimizers stand at its modules."""
        if self.module.optimizer:
            return self.v_mp_hot.renamed("V_run")
        volts = self.modules * self.module.v_mp_v
        return given("V_run", volts, "V", "String voltage at maximum power", "module sheet")

    @property
    def working_a(self) -> Figure:
        """What it works with at full power, all its rows."""
        name, volts = "Current at maximum power", self.working_v
        if self.module.optimizer:
            return solve("I", "A", name, "P / V_run", self.power, volts, source="definition")
        one = given("I", self.module.i_mp_a, "A", name, "module sheet")
        if self.rows == 1:
            return one
        row = given("n_row", self.rows, "", "Rows joined at the array", "plan")
        return solve("I", "A", name, "n_row * I_mp", row, one.renamed("I_mp"), source="sum")

    @property
    def open_v(self) -> tuple[float, float]:
        """(least, most) V that it shows open, in any light."""
        if self.module.optimizer:
            half = self.module.optimizer.off_v / 2
            return self.v_oc_hot.n - half, self.v_oc_hot.n + half
        return OPEN_LEAST * self.v_oc_hot.n, self.v_oc_cold.n

    @property
    def open_says(self) -> str:
        """The same in words: "344 to 480 V"; of optimizers "11.5 to 12.5 V"."""
        digits = 1 if self.module.optimizer else 0
        return " to ".join(f"{v:.{digits}f}" for v in self.open_v) + " V"

    @property
    def parted(self) -> str:
        """How it is parted from its unit to be measured."""
        if self.body.startswith("controller-"):
            return f"Breaker of string {self.letter} off; read at its array's side."
        return "PV switch off, connectors parted."

    @property
    def on(self) -> str:
        """What it lands on, in few signs: tracker "1.2", or charge controller "C1"."""
        kind, _, n = self.body.partition("-")
        return f"C{n}" if kind == "controller" else f"{n}.{self.tracker}"


def design_string(
    s: PvString, plan: Plan, units: tuple[Taker, ...], module: Module
) -> tuple[StringDesign | None, list[Finding]]:
    """One string and what is wrong with it."""
    key = f"pv-{s.letter}"
    n = given("n", s.modules, "", "Modules in series", "plan")
    if module.optimizer:
        cold, hot_mp, hot_oc = volts_of(module.optimizer, n, plan.book)
    else:
        try:
            cold = cold_voltage(module, coldest(plan), plan.book).figure(n)
        except OutsideTable as exc:
            cure = Cure("Choose a module whose sheet gives the coefficient of Voc, and use that")
            says = f"String {s.letter}: {exc}."
            return None, [stop(f"{key}.cold", key, says, f"{nec.BOOK} 690.7(A)", cure)]
        hot_mp, hot_oc = (f.figure(n) for f in hot_voltages(module, hottest(plan, s.mounting)))
    p_max = given("P_max", module.p_max_w, "W", "Module power", "module sheet")
    power = solve("P", "W", "String power", "n * P_max", n, p_max, source="module sheet")
    i_max = maximum_current(module, plan.book)
    if s.rows > 1:
        row = given("n_row", s.rows, "", "Rows joined at the array", "plan")
        one, each = power.renamed("P_row"), i_max.renamed("I_row")
        power = solve("P", "W", "String power", "n_row * P_row", row, one, source="sum")
        i_max = solve("I_max", "A", "All its rows", "n_row * I_row", row, each, source="sum")
    taker = taker_of(units, s)
    tracker = taker.tracker(s.tracker) if taker else None
    on = [x for x in plan.strings if x.on == s.on]
    beside, parallel = len(on), sum(x.rows for x in on)
    fused = wants_fuses(parallel, module, plan.book)
    fuse = string_fuse(module, plan.book) if fused and s.rows == 1 else None
    two = tracker is not None and s.rows * module.pushes_a > tracker.pair_a
    jumper = tracker is not None and two and tracker.pairs >= 2 * beside
    found = StringDesign(
        key,
        s.letter,
        taker.body if taker else "",
        s.tracker,
        s.modules,
        module,
        cold,
        hot_mp,
        hot_oc,
        i_max,
        power,
        fuse,
        jumper,
        s.rows,
    )
    if taker is None:
        return found, [_on_nothing(key, s, plan, units)]
    if tracker is None:
        names = ", ".join(t.id for t in taker.trackers) or "none"
        return found, [
            stop(
                f"{key}.tracker",
                key,
                f"String {s.letter} is on tracker {s.tracker}, which {taker.sheet.model} does not"
                " have.",
                "plan",
                Cure(f"Choose a tracker out of {names}"),
            )
        ]
    alike, book = _alike(s, plan, taker), plan.book
    own = module.optimizer
    return found, [
        *voltage_findings(found, alike, book, taker, tracker, module, plan.site.building),
        *(
            optimizer_findings(
                key, s.letter, s.modules, module, plan, tracker, lambda n: _put(n, alike)
            )
            if own
            else ()
        ),
        *current_findings(found, tracker, module, parted(s, plan) if s.rows > 1 else None),
        *([_up_already(key, s, book)] if s.there else []),
        *([joined(s, found.i_max.text, fused, plan)] if s.rows > 1 else []),
    ]


def _up_already(key: str, s: PvString, book: Book) -> Finding:
    says = (
        f"The modules of string {s.letter} are there already: where one of their connectors meets a"
        " new one both are of one type and make, or listed for each other; frames are bonded with"
        " the rest, and no cable or junction box is cracked."
    )
    return duty(f"{key}.kept", key, says, book.clauses["pv connectors"], Asked("Land"))


def _alike(s: PvString, plan: Plan, taker: Taker) -> list[tuple[int, str]]:
    """It and those of one count in parallel with it on its tracker: their index in the plan, and
    letter. What is changed in one is changed in all.
    """
    return [
        (i, x.letter)
        for i, x in enumerate(plan.strings)
        if taker.has(x) and (x.tracker, x.modules, x.module) == (s.tracker, s.modules, s.module)
    ]


def _put(count: int, alike: Sequence[tuple[int, str]]) -> Cure:
    letters = [letter for _, letter in alike]
    says = f"Put {count} modules in string{'s' if len(letters) > 1 else ''} {listed(letters)}"
    return Cure(says, tuple(Change(f"/strings/{i}/modules", count) for i, _ in alike))


def _on_nothing(key: str, s: PvString, plan: Plan, units: tuple[Taker, ...]) -> Finding:
    """A string on a unit that the job does not have."""
    if s.controller:
        n, fitted, what = s.controller, plan.kit.controllers_fitted, "charge controller"
    else:
        n, fitted, what = s.inverter, plan.kit.inverters, "inverter"
    takes_none = fitted >= n  # it is there all the same
    planned = "1 is" if fitted == 1 else f"{fitted or 'none'} are"
    has = "which takes no strings" if takes_none else f"but {planned} planned"
    seats = [(u, t.id) for u in units for t in u.trackers]
    seats.sort(key=lambda x: not x[0].free(plan, x[1]))
    cure = Cure("Put the string on a unit that is planned")
    if seats:
        unit, tracker = seats[0]
        move = unit.move(s, plan.strings.index(s), tracker)
        cure = Cure(f"Put it on {unit.at(tracker)}", move)
    says = f"String {s.letter} is on {what} {n}, {has}."
    return stop(f"{key}.inverter", key, says, "plan", cure)


def voltage_findings(
    s: StringDesign,
    alike: Sequence[tuple[int, str]],
    book: Book,
    taker: Taker,
    tracker: Tracker,
    module: Module,
    building: str,
) -> list[Finding]:
    """Cold against the ceilings, hot against the tracker window, with the module count that cures
    it, in all that are alike.
    """
    found: list[Finding] = []
    ceilings = [
        (taker.sheet.pv_v_max or SILENT_V, f"{taker.sheet.model} takes"),
        (module.system_v_max, "the module is built for"),
    ]
    house = {"dwelling": "in a dwelling", "other": "on a building"}.get(building, "here")
    allowed = (book.building_v[building], f"{book.clauses['dwelling']} allows {house}")
    ceiling, whose = min([*ceilings, allowed])
    if module.optimizer:
        return _too_high(s, ceiling, whose, book)
    rule = book.clauses["cold voltage"]
    per_module = s.v_oc_cold.n / s.modules
    most = int(ceiling / per_module)
    least = next(
        (
            n
            for n in range(1, most + 1)
            if n * s.v_mp_hot.n / s.modules >= tracker.v_min
            and n * s.v_oc_hot.n / s.modules >= tracker.v_start
        ),
        None,
    )
    if s.v_oc_cold.n > ceiling:
        cures = (_put(most, alike),) if most >= 1 else (Cure("Choose another module"),)
        found.append(
            stop(
                f"{s.key}.cold",
                s.key,
                f"String {s.letter} reaches {s.v_oc_cold.against(ceiling)} on the coldest"
                f" morning; {whose}"
                f" {ceiling:g} V.",
                rule,
                *cures,
                figures=(s.v_oc_cold,),
            )
        )
    elif s.v_oc_cold.n > tracker.v_max:
        found.append(
            note(
                f"{s.key}.window",
                s.key,
                f"String {s.letter} reaches {s.v_oc_cold.text} when cold; tracker {tracker.id}"
                f" follows up to {tracker.v_max:g} V and waits above.",
                taker.source,
                Cure("Accept a late start on cold mornings, or shorten the string"),
                figures=(s.v_oc_cold,),
            )
        )
    grow = (
        (_put(least, alike),)
        if least and least > s.modules
        else (Cure("Choose a unit whose tracker starts lower"),)
    )
    if s.v_mp_hot.n < tracker.v_min:
        found.append(
            stop(
                f"{s.key}.hot",
                s.key,
                f"String {s.letter} falls to {s.v_mp_hot.text} when hot; tracker {tracker.id} works"
                f" from {tracker.v_min:g} V.",
                COMMON_PRACTICE,
                *grow,
                figures=(s.v_mp_hot,),
            )
        )
    elif s.v_oc_hot.n < tracker.v_start:
        found.append(
            stop(
                f"{s.key}.start",
                s.key,
                f"String {s.letter} gives {s.v_oc_hot.text} open when hot; tracker {tracker.id}"
                f" starts at {tracker.v_start:g} V.",
                COMMON_PRACTICE,
                *grow,
                figures=(s.v_oc_hot,),
            )
        )
    return found


def _too_high(s: StringDesign, ceiling: float, whose: str, book: Book) -> list[Finding]:
    """A string whose converters together may reach more volts than may stand there."""
    if s.v_oc_cold.n <= ceiling:
        return []
    says = f"String {s.letter} may reach {s.v_oc_cold.against(ceiling)}; {whose} {ceiling:g} V."
    rule, told = book.clauses["converters in series"], s.v_oc_cold.formula == ""
    cure = Cure(
        "Choose the inverter that the optimizers are made for"
        if told
        else "Enter the most volts of a string by the optimizer's manual, or shorten the string"
    )
    return [stop(f"{s.key}.cold", s.key, says, rule, cure, figures=(s.v_oc_cold,))]


def current_findings(
    s: StringDesign, tracker: Tracker, module: Module, apart: Cure | None = None
) -> list[Finding]:
    """One string's current against its connectors: one pair, or two bridged with the maker's
    jumper. apart: what makes each of its rows a string of its own.
    """
    pushes = s.rows * module.pushes_a
    if pushes <= tracker.pair_a:
        return []
    says = (
        f"String {s.letter} can push {pushes:g} A; one pair of connectors on tracker"
        f" {s.tracker} carries {tracker.pair_a:g} A"
    )
    if s.jumper and pushes <= 2 * tracker.pair_a:
        return [
            duty(
                f"{s.key}.pair",
                s.key,
                f"{says}, two bridged {2 * tracker.pair_a:g} A: the maker's jumper is across both"
                " pairs before the string is plugged in.",
                COMMON_PRACTICE,
                Asked("Land"),
            )
        ]
    return [
        stop(
            f"{s.key}.pair",
            s.key,
            f"{says}.",
            COMMON_PRACTICE,
            *([apart] if apart else []),
            Cure("Choose a module of lower current, or a unit whose connectors carry it"),
        )
    ]
