"""From a circuit to a sized one: the place it runs in, the least-cost legal cable, its earth, and
what it permits.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, picked, solve
from gumboot.core.basis.finding import Change, Cure, Finding, stop
from gumboot.core.basis.sizes import area_mm2, spoken
from gumboot.core.codes import OutsideTable
from gumboot.core.kit import Catalogue, ConductorType
from gumboot.core.network.circuit import Circuit
from gumboot.core.plan import Fitted, Plan
from gumboot.core.size.conductors.trial import DROP_PCT, Conditions, Rules, SizeTrial

SETS_MOST = 4


@dataclass(frozen=True, slots=True)
class Choice:
    """A legal way to run a circuit, and what it costs in the crew's own coin. `binds`: why the next
    size down does not serve.
    """

    trial: SizeTrial
    binds: str
    cost: Figure
    least: str  # the size that ampacity alone asks for


@dataclass(frozen=True, slots=True)
class SizedCircuit:
    """A circuit with everything that follows for it."""

    circuit: Circuit
    conditions: Conditions
    rules: Rules
    i_req: Figure
    protection: Figure | None
    proposed: Figure | None
    binds: str
    choices: tuple[Choice, ...]
    trial: SizeTrial
    permitted: Figure
    protective: Figure
    protective_needed: Figure

    @property
    def id(self) -> str:
        """The circuit's key."""
        return self.circuit.id

    @property
    def size(self) -> str:
        """The size that will be run."""
        return self.trial.size

    @property
    def sets(self) -> int:
        """How many conductors share each line's current."""
        return self.trial.sets

    @property
    def cable(self) -> ConductorType:
        """The cable that will be run."""
        return self.trial.cable

    @property
    def conductor_text(self) -> str:
        """Conductors as the crew says them: "2 × 2/0 AWG + 4 AWG earth"."""
        live = len(self.circuit.conductors) - 1
        sets = f"{self.sets} sets of " if self.sets > 1 else ""
        return (
            f"{sets}{live} × {spoken(self.size)}{' Al' if self.cable.material == 'Al' else ''} +"
            f" {spoken(str(self.protective.value))} earth"
        )

    @property
    def label_text(self) -> str:
        """What its label says at both ends: "C10 · Battery bus to inverter 2 · 4 AWG · 250 A ·
        LIMIT 100 A continuous".
        """
        parts = [
            f"C{self.circuit.number}",
            self.circuit.name,
            spoken(self.size) + (" Al" if self.cable.material == "Al" else ""),
        ]
        parts += [self.protection.text] if self.protection else []
        return " · ".join([*parts, f"LIMIT {int(self.permitted.n)} A continuous"])

    @property
    def limited_by(self) -> str:
        """What binds the current it permits: "the 75 °C terminals of the main panel"."""
        return min(self.rules.limits(self.trial, self.protection, self.circuit.owns))[1]

    @property
    def protection_text(self) -> str:
        """Protection as printed on the line: "250 A", or none."""
        return self.protection.text if self.protection else "none"


def places(circuits: Sequence[Circuit], rules: Rules) -> dict[str, Conditions]:
    """Where each circuit runs, by its key, with what shares its raceway counted."""
    ways: dict[str, list[Circuit]] = {}
    for c in circuits:
        if c.run and c.run.raceway:
            ways.setdefault(c.run.raceway, []).append(c)
    out: dict[str, Conditions] = {}
    for c in circuits:
        if c.run is None:
            continue
        shares = ways.get(c.run.raceway, [c]) if c.run.raceway else [c]
        together = c.run.in_raceway or sum(rules.carrying(x) for x in shares)
        out[c.id] = Conditions(
            c.run, c.ambient_c, max(together, 1), tuple(x.id for x in shares if x.id != c.id)
        )
    return out


def cost_of(
    circuit: Circuit, cable: ConductorType, size: str, sets: int, length_m: float
) -> Figure:
    """What cable and ends cost, in the crew's own coin: only ratios matter."""
    n = given("n", (len(circuit.conductors) - 1) * sets, "", "Live conductors", "plan")
    s = given("S", round(area_mm2(size), 2), "mm²", "Cross-section", "ASTM B258, IEC 60228")
    metre = given("k_m", cable.cost_mm2_m, "per mm²·m", "Cost of the metal laid", "catalogue")
    length = given("L", length_m, "m", "Length one way", "brief")
    ends = given("k_end", cable.cost_end, "each", "Cost of making off an end", "catalogue")
    return solve(
        "cost",
        "",
        "Cost, cable and ends",
        "n * (S * k_m * L + 2 * k_end)",
        n,
        s,
        metre,
        length,
        ends,
        source=COMMON_PRACTICE,
    )


def least_size(
    circuit: Circuit,
    conditions: Conditions,
    cable: ConductorType,
    sets: int,
    rules: Rules,
    i_req: Figure,
    protection: Figure | None,
) -> Choice | None:
    """The least size of one cable in so many sets that serves; None when no size does."""
    binds, least = "", ""
    rated = protection.n if protection else i_req.n
    carried = rules.carried(circuit, conditions, cable, rated)
    short = sum(0 < a * sets < i_req.n for a in carried)
    tabled = [size for size, a in zip(cable.sizes, carried, strict=True) if a > 0]
    for size in tabled[
        max(0, short - 1) :
    ]:  # capacity grows with size: of those too small only the last is worth naming
        tried = rules.judge(circuit, conditions, cable, size, sets, i_req, protection)
        if not least and tried.enough:
            least = size
        if not tried.fails:
            return Choice(
                tried,
                binds or "the smallest size of the cable",
                cost_of(circuit, cable, size, sets, conditions.run.length_m),
                least or size,
            )
        binds = tried.fails[0]
    return None


def nearest(
    circuit: Circuit,
    conditions: Conditions,
    cable: ConductorType,
    sets: int,
    rules: Rules,
    i_req: Figure,
    protection: Figure | None,
) -> str:
    """The size to show where none serves: the least that carries the current, so that what then
    fails is named; else the largest.
    """
    rated = protection.n if protection else i_req.n
    carried = rules.carried(circuit, conditions, cable, rated)
    tabled = (x for x, a in zip(cable.sizes, carried, strict=True) if a > 0)
    return next(
        (
            x
            for x in tabled
            if rules.judge(circuit, conditions, cable, x, sets, i_req, protection).enough
        ),
        cable.sizes[-1],
    )


def choices_of(
    circuit: Circuit,
    conditions: Conditions,
    cables: Sequence[ConductorType],
    rules: Rules,
    i_req: Figure,
    protection: Figure | None,
) -> tuple[Choice, ...]:
    """Every legal way, the cheapest first: each cable, in one set or as many as terminals hold."""
    holds = min(
        (
            t.holds
            for e in (circuit.source, circuit.load)
            for t in e.terminals
            if t.conductor in circuit.conductors and t.conductor != "PE"
        ),
        default=1,
    )
    counts = (
        range(1, min(holds, SETS_MOST) + 1)
        if conditions.run.parallel == 1
        else [conditions.run.parallel]
    )
    found = [
        c
        for cable in cables
        for sets in counts
        if (c := least_size(circuit, conditions, cable, sets, rules, i_req, protection))
    ]
    return tuple(sorted(found, key=lambda c: c.cost.n))


def fuse_of(circuit: Circuit, i_req: Figure, fitted: Fitted, rules: Rules) -> Figure | None:
    """Its own protection, the crew's choice, the maker's where it is enough, or the book's."""
    if circuit.own_protection:
        return circuit.own_protection
    if circuit.system == "pv":
        return None
    if fitted.protection_a:
        return given("I_n", fitted.protection_a, "A", "Protection, the crew's choice", "plan")
    named = circuit.protection_named_a
    if named and named >= rules.book.continuous * circuit.current.n - 1e-9:
        name, source = "Protection, as the maker or the brief names it", "inverter sheet or brief"
        return given("I_n", named, "A", name, source)
    wanted, most = rules.protection(i_req), circuit.protection_max_a
    least = rules.book.continuous * circuit.current.n - 1e-9
    allowed = [a for a in rules.standard_a if least <= a <= most] if wanted.n > most else []
    if allowed:  # a battery's under IEC 60364, where 1.25 times its current is common practice
        name = "Protection, the largest its port's maker allows"
        return given("I_n", max(allowed), "A", name, "inverter sheet")
    return wanted


def size_circuit(
    circuit: Circuit, conditions: Conditions | None, catalogue: Catalogue, plan: Plan, rules: Rules
) -> tuple[SizedCircuit | None, list[Finding]]:
    """One circuit sized; None with a stop when it cannot be."""
    fitted, book = plan.fitted.get(circuit.id, Fitted()), plan.code
    if circuit.missing:
        return None, []  # the shelf lacks a device; the network says which
    if conditions is None:
        return None, [
            stop(
                f"{circuit.id}.run",
                circuit.id,
                f"{circuit.name}: the length of this run is not known.",
                "plan",
                Cure("Type the run's length in Brief"),
            )
        ]
    if conditions.run.method not in rules.book.methods:
        good = rules.book.method_first
        changes = (Change(f"{run_path(circuit, plan)}/method", good),)
        return None, [
            stop(
                f"{circuit.id}.method",
                circuit.id,
                f"{circuit.name}: “{conditions.run.method}” is not a way of running cable that"
                f" {rules.book.name} has a table for.",
                rules.clause_size,
                Cure(f"Run it by “{good}”", changes),
            )
        ]
    cables = [
        c
        for m in dict.fromkeys(("Cu", conditions.run.material))
        if (c := catalogue.conductor(circuit.family, book, m))
    ]
    try:
        if not cables:
            raise OutsideTable(
                f"the shelf has no cable for {circuit.family} runs under {rules.book.name}"
            )
        i_req = rules.required(circuit)
        protection = fuse_of(circuit, i_req, fitted, rules)
        choices = choices_of(circuit, conditions, cables, rules, i_req, protection)
        best = choices[0] if choices else None
        proposed = propose(best, i_req, rules) if best else None
        if best and fitted.size in (None, best.trial.size):
            trial, binds, least = best.trial, best.binds, best.least
        else:
            cable = cables[-1]
            sets = conditions.run.parallel
            trial = rules.judge(
                circuit,
                conditions,
                cable,
                fitted.size or nearest(circuit, conditions, cable, sets, rules, i_req, protection),
                sets,
                i_req,
                protection,
            )
            binds = "the crew's own choice" if fitted.size else "none fits: the nearest to it"
            least = best.least if best else trial.size
        needed = at_earth_terminals(
            rules.earth(circuit, trial, least, protection, i_req), circuit, rules
        )
        earth = needed
        if fitted.earth:
            unit = needed.unit if fitted.earth in rules.sizes else ""
            earth = picked(
                needed.symbol,
                fitted.earth,
                unit,
                needed.name,
                "the crew's own choice",
                needed,
                source="plan",
            )
        permitted = rules.permitted(trial, protection, circuit.owns)
        return (
            SizedCircuit(
                circuit,
                conditions,
                rules,
                i_req,
                protection,
                proposed,
                binds,
                choices,
                trial,
                permitted,
                earth,
                needed,
            ),
            [],
        )
    except OutsideTable as exc:
        return None, [
            stop(
                f"{circuit.id}.table",
                circuit.id,
                f"{circuit.name}: {exc}.",
                rules.book.name,
                Cure(
                    "Change the kit, the run or its surroundings so that the book's tables cover it"
                ),
            )
        ]


def at_earth_terminals(earth: Figure, circuit: Circuit, rules: Rules) -> Figure:
    """Grown to the least of the book's sizes that the earth terminals of both ends take, whichever
    system those name it in, where that is more.
    """
    takes = [t for e in (circuit.source, circuit.load) for t in e.terminals if t.conductor == "PE"]
    want = max((area_mm2(t.least) for t in takes if t.least), default=0.0) * 0.999
    if want <= area_mm2(str(earth.value)):
        return earth
    least = next((x for x in rules.sizes if area_mm2(x) >= want), rules.sizes[-1])
    return picked(
        earth.symbol,
        least,
        earth.unit,
        earth.name,
        "the least that the earth terminals at its ends take",
        earth,
        source="maker's sheets",
    )


def run_path(circuit: Circuit, plan: Plan) -> str:
    """Where a circuit's run stands in the plan, as a JSON Pointer."""
    if circuit.family == "pv":
        return next(
            f"/strings/{i}/run"
            for i, s in enumerate(plan.strings)
            if circuit.id == f"pv-{s.letter}"
        )
    return f"/runs/{circuit.id if circuit.id in plan.runs else circuit.family}"


def propose(best: Choice, i_req: Figure, rules: Rules) -> Figure:
    """The cheapest legal choice as a figure that says what binds it."""
    j = best.trial
    return picked(
        "S",
        j.size,
        "",
        "Conductor" if j.sets == 1 else f"Conductor, {j.sets} sets",
        f"least-cost legal set; what binds it: {best.binds}",
        i_req,
        j.at_terminal,
        j.in_place,
        j.drop_pct,
        best.cost,
        source=rules.clause_size,
        doubt="from memory: check your edition",
    )


def size_for_aim(s: SizedCircuit) -> str | None:
    """The least size that serves and keeps the drop within the aim; None when no size of the cable
    does.
    """
    try:
        bigger = [size for size in s.cable.sizes if s.rules.rank(size) > s.rules.rank(s.size)]
        tried = (
            s.rules.judge(s.circuit, s.conditions, s.cable, size, s.sets, s.i_req, s.protection)
            for size in bigger
        )
        return next(
            (
                j.size
                for j in tried
                if not j.fails and j.drop_pct.n <= DROP_PCT[s.circuit.family][0]
            ),
            None,
        )
    except OutsideTable:
        return None


def permitted_by_size(s: SizedCircuit) -> dict[str, Figure]:
    """What each size of the cable would permit here, in A, were it fitted "for now"; sizes outside
    the tables are left out.
    """
    out: dict[str, Figure] = {}
    for size in s.cable.sizes:
        try:
            out[size] = s.rules.permitted(
                s.rules.judge(
                    s.circuit, s.conditions, s.cable, size, s.sets, s.i_req, s.protection
                ),
                s.protection,
                s.circuit.owns,
            )
        except OutsideTable:
            continue
    return out
