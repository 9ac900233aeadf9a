"""Sizing a circuit: protection, conductor, earth, drop, and what the fitted conductor permits.

A size serves when all of these hold (I_req = 1.25 I):

    at the terminals   I_75 ≥ I_req                         110.14(C), 705.28, 690.8(B)
    in its place       I_table · F_temp · F_count ≥ I       310.15
    protected          I_n ≤ next standard of the lesser    240.4(B), (D)
    drop               dV / V ≤ limit                       common practice
    fits               least ≤ size ≤ most of both ends     the maker's terminal
"""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.circuits import Circuit
from gumboot.core.codes import OutsideTable, nec
from gumboot.core.findings import Change, Cure, Finding, check, note, stop
from gumboot.core.kit import ConductorType, Family
from gumboot.core.plan import Fitted, Run
from gumboot.core.units import FT_M
from gumboot.core.working import COMMON_PRACTICE, MEMORY, Figure, given, picked, solve

DROP_PCT: dict[Family, tuple[float, float]] = {  # aim, limit; common practice
    "pv": (1.5, 3.0), "pack": (1.0, 2.0), "battery": (1.0, 2.0), "grid": (1.0, 2.0), "grid-feeder": (1.0, 2.0), "backup": (1.5, 3.0), "backup-feeder": (1.5, 3.0),
}  # fmt: skip


ROOF = "raceways stand at least 7/8 in (23 mm) off the roof: nearer, 310.15(B)(2) adds 33 °C"


@dataclass(frozen=True, slots=True)
class Judged:
    """One size tried in one place; amps and per cent. `fails` says why it does not serve, most basic first."""

    size: str
    at_terminal: Figure
    in_place: Figure
    drop: Figure
    drop_pct: Figure
    fails: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Sized:
    """A circuit with everything that follows for it."""

    circuit: Circuit
    cable: ConductorType
    i_req: Figure
    protection: Figure | None
    proposed: Figure | None
    size: str
    judged: Judged
    permitted: Figure
    egc: Figure

    @property
    def id(self) -> str:
        """The circuit's key."""
        return self.circuit.id

    @property
    def conductor_text(self) -> str:
        """Conductors as the crew says them: "2 × 2/0 AWG + 4 AWG earth"."""
        live = len(self.circuit.conductors) - 1
        return f"{live} × {nec.spoken(self.size)} + {nec.spoken(str(self.egc.value))} earth"

    @property
    def protection_text(self) -> str:
        """Protection as printed on the line: "250 A", or none."""
        return self.protection.text if self.protection else "none"


def required(circuit: Circuit) -> Figure:
    """The current in A that conductor and protection are chosen for."""
    clause = {"pv": "690.8(B)", "dc": "706.30", "ac": "705.28, 705.30"}[circuit.system]
    return solve(
        "I_req",
        "A",
        "Required rating",
        f"1.25 * {circuit.current.symbol}",
        circuit.current,
        source=f"{nec.BOOK} {clause}",
        assumption="the current is continuous",
        doubt=MEMORY,
    )


def carrying(circuit: Circuit) -> int:
    """Current-carrying conductors in the raceway: as planned, else this circuit alone; the neutral of a balanced split-phase run does not count (310.15(E))."""
    return circuit.run.in_raceway if circuit.run and circuit.run.in_raceway else 2


def judge(circuit: Circuit, run: Run, cable: ConductorType, size: str, i_req: Figure, protection: Figure | None) -> Judged:
    """Try one size. Raises OutsideTable when the ambient or the size is outside the book."""
    terminal_c = min(circuit.source.temp_c, circuit.load.temp_c, cable.temp_c)
    method = run.method
    at_terminal = nec.ampacity(size, terminal_c, method)
    table = nec.ampacity(size, cable.temp_c, method)
    factors = (nec.ambient_factor(circuit.ambient_c, cable.temp_c), nec.count_factor(carrying(circuit) if method == "raceway" else 2))
    in_place = solve(
        "I_z",
        "A",
        "Ampacity in its place",
        f"{table.symbol} * F_temp * F_count",
        table,
        *factors,
        source=f"{nec.BOOK} 310.15",
        assumption=ROOF if circuit.family == "pv" and method == "raceway" else "",
        doubt=MEMORY,
    )
    length = given("L", run.length_m / FT_M, "ft", "Length one way", "brief")
    amps = circuit.drop_current.renamed("I")
    drop = (
        nec.voltage_drop_ac(amps, length, size, circuit.power_factor) if circuit.power_factor else nec.voltage_drop_dc(amps, length, size)
    )
    pct = solve("dV_pct", "%", "Voltage drop", "100 * dV / V_run", drop, circuit.voltage.renamed("V_run"), source="definition")
    fails: list[str] = []
    rank = nec.rank(size)
    if at_terminal.n < i_req.n:
        fails.append(f"{nec.spoken(size)} carries {at_terminal.text} at the {terminal_c} °C terminals; {i_req.text} is wanted")
    if in_place.n < circuit.current.n:
        fails.append(f"{nec.spoken(size)} carries {in_place.text} where it runs; {circuit.current.text} flows")
    most_a = nec.protectable(size, min(at_terminal.n, in_place.n))
    if protection and protection.n > most_a:
        fails.append(f"{nec.spoken(size)} may be protected at {most_a:g} A at most; {protection.text} is fitted")
    if pct.n > DROP_PCT[circuit.family][1]:
        fails.append(f"{nec.spoken(size)} drops {pct.text} over {length.text}; the limit is {DROP_PCT[circuit.family][1]:g} %")
    for where in (circuit.source, circuit.load):
        for t in where.terminals:
            if t.conductor in circuit.conductors and t.conductor != "PE" and not nec.rank(t.least) <= rank <= nec.rank(t.most):
                fails.append(
                    f"{nec.spoken(size)} does not fit {where.label} {t.label}, which takes {nec.spoken(t.least)} to {nec.spoken(t.most)}"
                )
    return Judged(size, at_terminal, in_place, drop, pct, tuple(fails))


def auto_size(circuit: Circuit, run: Run, cable: ConductorType, i_req: Figure, protection: Figure | None) -> tuple[Figure | None, str]:
    """(the least size that serves, saying what binds it; the least that ampacity alone asks for)."""
    binds, ampacity_least = "", ""
    terminal_c = min(circuit.source.temp_c, circuit.load.temp_c, cable.temp_c)
    short = sum(nec.ampacity(size, terminal_c, run.method).n < i_req.n for size in cable.sizes)
    for size in cable.sizes[max(0, short - 1) :]:  # ampacity grows with size: of those too small only the last is worth naming
        tried = judge(circuit, run, cable, size, i_req, protection)
        if not ampacity_least and tried.at_terminal.n >= i_req.n and tried.in_place.n >= circuit.current.n:
            ampacity_least = size
        if not tried.fails:
            rule = f"least size that serves; {binds}" if binds else "smallest size of the cable"
            return (
                picked(
                    "S",
                    size,
                    "",
                    "Conductor",
                    rule,
                    i_req,
                    tried.at_terminal,
                    tried.in_place,
                    tried.drop_pct,
                    source=f"{nec.BOOK} 110.14(C), 310.15, 240.4",
                    doubt=MEMORY,
                ),
                ampacity_least,
            )
        binds = tried.fails[0]
    return None, ampacity_least


def _fuse(circuit: Circuit, i_req: Figure, fitted: Fitted) -> Figure | None:
    if circuit.own_protection:
        return circuit.own_protection
    if circuit.family == "pv":
        return None
    if fitted.protection_a:
        return given("I_n", fitted.protection_a, "A", "Protection, the crew's choice", "plan")
    return nec.protection(i_req)


def permitted_current(judged: Judged, protection: Figure | None) -> Figure:
    """The continuous current in A that conductor and protection as fitted allow."""
    parts = [judged.at_terminal, judged.in_place]
    formula = f"min({judged.at_terminal.symbol} / 1.25, I_z)"
    if protection:
        parts.append(protection)
        formula = f"min({judged.at_terminal.symbol} / 1.25, I_z, I_n / 1.25)"
    return solve(
        "I_perm",
        "A",
        "Continuous current permitted",
        formula,
        *parts,
        source=f"{nec.BOOK} 110.14(C), 240.4",
        doubt=MEMORY,
        assumption="what the conductor and breaker as fitted allow",
    )


def size_circuit(circuit: Circuit, cable: ConductorType, fitted: Fitted) -> tuple[Sized | None, list[Finding]]:
    """One circuit sized and judged; None with a stop when it cannot be."""
    if circuit.run is None:
        return None, [
            stop(
                f"{circuit.id}.run",
                circuit.id,
                f"{circuit.name}: the length of this run is not known.",
                "plan",
                Cure("Type the run's length in Brief"),
            )
        ]
    try:
        i_req = required(circuit)
        protection = _fuse(circuit, i_req, fitted)
        proposed, ampacity_least = auto_size(circuit, circuit.run, cable, i_req, protection)
        size = fitted.size or (str(proposed.value) if proposed else cable.sizes[-1])
        judged = judge(circuit, circuit.run, cable, size, i_req, protection)
        base = nec.egc(protection.n if protection else nec.next_standard(i_req.n))
        earth = nec.egc_upsized(base, ampacity_least or size, size)
        sized = Sized(circuit, cable, i_req, protection, proposed, size, judged, permitted_current(judged, protection), earth)
        return sized, size_findings(sized, fitted) + protection_findings(sized, fitted)
    except OutsideTable as exc:
        return None, [
            stop(
                f"{circuit.id}.table",
                circuit.id,
                f"{circuit.name}: {exc}.",
                nec.BOOK,
                Cure("Change the kit, the run or its surroundings so that the book's tables cover it"),
            )
        ]


def size_for_aim(s: Sized) -> str | None:
    """The least size that serves and keeps the drop within the aim; None when no size of the cable does."""
    run = s.circuit.run
    if run is None:
        return None
    bigger = (size for size in s.cable.sizes if nec.rank(size) > nec.rank(s.size))
    tried = (judge(s.circuit, run, s.cable, size, s.i_req, s.protection) for size in bigger)
    return next((j.size for j in tried if not j.fails and j.drop_pct.n <= DROP_PCT[s.circuit.family][0]), None)


def size_findings(s: Sized, fitted: Fitted) -> list[Finding]:
    """The fitted conductor judged: what it fails, with the size that serves as the cure; drop above the aim."""
    c, found = s.circuit, list[Finding]()
    path = f"/fitted/{c.id}/size"
    if s.judged.fails:
        cures: list[Cure] = []
        if s.proposed and fitted.size:
            cures.append(Cure(f"Fit {nec.spoken(str(s.proposed.value))}", (Change(path, str(s.proposed.value)),)))
        if not s.proposed:
            cures.append(Cure("Shorten the run, cool it, share it out in fewer conductors a raceway, or choose smaller equipment"))
        if (
            c.family == "battery"
            and s.permitted.n >= 20
            and s.permitted.n < c.current.n
            and s.judged.drop_pct.n <= DROP_PCT["battery"][1]
            and (s.protection is None or not s.circuit.own_protection)
        ):
            whole = float(int(s.permitted.n))
            cures.append(
                Cure(
                    f"Keep it, and limit charge and discharge to {whole:g} A in Set",
                    (Change("/settings/charge_a", whole), Change("/settings/discharge_a", whole)),
                )
            )
        found.append(
            stop(
                f"{c.id}.conductor",
                c.id,
                f"{c.name}: {s.judged.fails[0]}.",
                f"{nec.BOOK} 110.14(C), 310.15, 240.4",
                *cures,
                figures=(s.i_req, s.judged.at_terminal, s.judged.in_place, s.permitted),
            )
        )
    elif s.judged.drop_pct.n > DROP_PCT[c.family][0]:
        bigger = size_for_aim(s)
        cures = [Cure(f"Fit {nec.spoken(bigger)}", (Change(path, bigger),))] if bigger else []
        found.append(
            check(
                f"{c.id}.drop",
                c.id,
                f"{c.name} drops {s.judged.drop_pct.text}; the aim is {DROP_PCT[c.family][0]:g} %, the limit {DROP_PCT[c.family][1]:g} %.",
                COMMON_PRACTICE,
                *cures,
                Cure("Shorten the run"),
                figures=(s.judged.drop_pct,),
            )
        )
    return found


def protection_findings(s: Sized, fitted: Fitted) -> list[Finding]:
    """The fitted protection against 125 % of the current, the maker's maximum and the standard ratings."""
    c, p, found = s.circuit, s.protection, list[Finding]()
    if p is None:
        return found
    path = f"/fitted/{c.id}/protection_a"
    right = Cure(f"Fit {nec.next_standard(s.i_req.n):g} A", (Change(path, nec.next_standard(s.i_req.n)),))
    if p.n < s.i_req.n:
        cures = () if c.own_protection else (right,)
        found.append(
            stop(
                f"{c.id}.warm",
                c.id,
                f"{c.name}: {c.current.text} continuous through a {p.text} breaker is past 80 % of it; it will run warm and trip.",
                f"{nec.BOOK} 705.30",
                *cures,
                Cure("Choose smaller equipment"),
                figures=(c.current, s.i_req),
            )
        )
    if not c.own_protection and p.n > c.protection_max_a:
        cures = (
            (right,)
            if nec.next_standard(s.i_req.n) <= c.protection_max_a and fitted.protection_a
            else (Cure("Choose equipment whose port allows it"),)
        )
        found.append(
            stop(
                f"{c.id}.maker",
                c.id,
                f"{c.name}: {p.text} is above the {c.protection_max_a:g} A the port's maker allows.",
                "inverter sheet",
                *cures,
                figures=(p,),
            )
        )
    if fitted.protection_a and not c.own_protection and p.n not in nec.STANDARD_A:
        found.append(
            check(f"{c.id}.standard", c.id, f"{c.name}: {p.text} is not a standard rating.", f"{nec.BOOK} 240.6(A)", right, figures=(p,))
        )
    return found


def school_findings(s: Sized, named: str) -> list[Finding]:
    """The maker's named battery cable against what the tables say: the three schools side by side."""
    c = s.circuit
    if not named or c.family != "battery" or s.proposed is None or nec.rank(named) >= nec.rank(str(s.proposed.value)):
        return []
    raceway, free = nec.ampacity(named, 75, "raceway"), nec.ampacity(named, 75, "free-air")
    return [
        note(
            f"{c.id}.school", c.id,
            f"{c.name}: the maker names {nec.spoken(named)}, which carries {raceway.text} in a raceway and {free.text} in free air; {s.i_req.text} is wanted.",
            f"{nec.BOOK} 310.16, 310.17; maker's sheet", Cure(f"Fit {nec.spoken(str(s.proposed.value))} as the table asks, or run the cable in free air where the code official agrees"),
            figures=(raceway, free, s.i_req),
        )
    ]  # fmt: skip
