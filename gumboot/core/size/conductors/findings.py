"""What is wrong with a sized circuit, and what would mend it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, solve
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, check, duty, note, stop
from gumboot.core.basis.sizes import area_mm2, spoken
from gumboot.core.basis.words import inside, listed
from gumboot.core.codes import OutsideTable
from gumboot.core.kit import Converter, Inverter
from gumboot.core.network.circuit import Circuit
from gumboot.core.plan import Fitted, Plan
from gumboot.core.size.conductors.nec import said
from gumboot.core.size.conductors.sizing import SizedCircuit, size_for_aim
from gumboot.core.size.conductors.trial import DROP_PCT, terminal_faults
from gumboot.core.size.limits import limit_cure

if TYPE_CHECKING:
    from gumboot.core.design import Design


def size_findings(
    s: SizedCircuit,
    fitted: Fitted,
    port_length_m: float | None = None,
    held: Sequence[Cure] = (),
) -> list[Finding]:
    """All that is wrong with one sized circuit. held: what a limit keyed in Set would cure."""
    return (
        conductor_findings(s, fitted, held)
        + earth_findings(s, fitted)
        + protection_findings(s, fitted, held)
        + place_findings(s, port_length_m)
        + there_findings(s, fitted)
    )


def there_findings(s: SizedCircuit, fitted: Fitted) -> list[Finding]:
    """Wiring that is there already, whose size or earth nobody has typed."""
    own = {"size": (fitted.size, s.size), "earth": (fitted.earth, str(s.protective.value))}
    least = {k: found for k, (typed, found) in own.items() if not typed}
    if not s.conditions.run.there or not least:
        return []
    kinds, sizes = " and ".join(least), " and ".join(map(spoken, least.values()))
    one = len(least) == 1
    says = (
        f"{s.circuit.name} is there already, and its {kinds} {'is' if one else 'are'} not typed:"
        f" taken as {sizes}, the least that would serve."
    )
    words = f"Its {kinds} {'is' if one else 'are'} {sizes}"
    take = Cure(words, tuple(Change(f"/fitted/{s.id}/{k}", v) for k, v in least.items()))
    read = Cure("Read it on site, and fix it under Size")
    return [check(f"{s.id}.there", s.id, says, "survey", take, read)]


DROP_ALL_PCT = 5.0  # from the supply to the end
SMALLER = Cure("Choose smaller equipment")
BY_BATTERY = ("battery", "pack")
BY_GRID = ("grid", "grid-feeder", "backup", "backup-feeder", "changeover", "tap", "sub-feeder")


def limit_cures(
    plan: Plan,
    s: SizedCircuit,
    fitted: Fitted,
    unit: Converter,
    units: int,
    most: dict[str, float],
) -> list[Cure]:
    """Limits keyed in Set under which the conductor serves: the crew's own, or the largest that
    goes into its terminals; and under which the port's largest protection does. unit: whose menu
    keys it; units: how many share it; most: what packs and unit allow.
    """
    family = s.circuit.family
    over = _over_maximum(s) and not fitted.protection_a
    if not (s.trial.fails or over) or family not in (*BY_BATTERY, *BY_GRID, "controller"):
        return []
    if s.circuit.own_protection or s.trial.drop_pct.n > DROP_PCT[family][1]:
        return []
    if fitted.size and terminal_faults(s.circuit, fitted.size, s.sets, s.cable.material):
        return []
    carries = s.circuit.current.n
    if s.trial.fails:
        most_a = s.permitted.n if fitted.size else _largest_that_fits(s)
        carries = s.rules.drawn_under(most_a, _asked_of(s))
    if over:
        allowed = [a for a in s.rules.standard_a if a <= s.circuit.protection_max_a]
        carries = min(carries, max(allowed, default=0.0) / _asked_of(s))
    wide = carries / units
    if carries >= s.circuit.current.n or wide < LEAST_LIMIT_A:
        return []
    if family == "controller":
        return limit_cure(
            plan, unit, ("charge",), wide, "Keep it, and limit its charge to {} in Set"
        )
    if family in BY_BATTERY:
        says = "Keep it, and limit charge and discharge to {} in Set"
        return limit_cure(plan, unit, ("charge", "discharge"), wide, says, most)
    if not isinstance(unit, Inverter) or unit.pass_through_a is None or wide < _put_out(s):
        return []  # what the unit itself puts out is not held by this line
    says = "Limit what passes through to {} in Set, and lock the menu"
    return limit_cure(plan, unit, ("pass_through",), wide, says)


LEAST_LIMIT_A = 5.0


def _asked_of(s: SizedCircuit) -> float:
    """What its rating is of its current: 1.25 on a battery, and of every current under the NEC."""
    return s.i_req.n / s.circuit.current.n


def _over_maximum(s: SizedCircuit) -> bool:
    """Whether its protection is above what the port's maker allows."""
    c, p = s.circuit, s.protection
    return p is not None and not c.own_protection and p.n > c.protection_max_a


def _put_out(s: SizedCircuit) -> float:
    """What a unit puts out by itself, of the working of its current."""
    parts = {f.symbol: f for f in s.circuit.current.walk()}
    own = next((parts[k] for k in ("I_line", "I_out", "I_inv") if k in parts), None)
    return own.n if own else 0.0


def _largest_that_fits(s: SizedCircuit) -> float:
    """What the largest size that both ends take permits, with a protection to suit, in A."""
    best = 0.0
    for size in s.cable.sizes:
        if terminal_faults(s.circuit, size, s.sets, s.cable.material):
            continue
        try:
            trial = s.rules.judge(
                s.circuit, s.conditions, s.cable, size, s.sets, s.i_req, s.protection
            )
        except OutsideTable:
            continue
        best = max(best, s.rules.permitted(trial, None).n)
    return best


def conductor_findings(s: SizedCircuit, fitted: Fitted, held: Sequence[Cure] = ()) -> list[Finding]:
    """The fitted conductor judged: what it fails, with the size that serves as the cure; drop above
    the aim.
    """
    c, found = s.circuit, list[Finding]()
    path = f"/fitted/{c.id}/size"
    if s.trial.fails:
        cures: list[Cure] = []
        if s.proposed and fitted.size:
            cures.append(
                Cure(
                    f"Fit {said(str(s.proposed.value), s.choices[0].trial.sets)}",
                    (
                        Change(
                            path, str(s.proposed.value) if s.choices[0].trial.sets == 1 else None
                        ),
                    ),
                )
            )
        if not s.proposed:
            cures.append(
                Cure(
                    "Shorten the run, cool it, share it out in fewer conductors a raceway, or"
                    " choose smaller equipment"
                )
            )
        cures += held
        if c.family == "pack" and c.load.body.startswith("pack-"):
            apart = (Change("/kit/hookup", "bus"), Change("/kit/takeoff", "star"))
            cures.append(Cure("Bring each pack to a bus by a lead of its own", apart))
        found.append(
            stop(
                f"{c.id}.conductor",
                c.id,
                f"{c.name}: {s.trial.fails[0]}.",
                s.rules.clause_size,
                *cures,
                figures=(s.i_req, s.trial.at_terminal, s.trial.in_place, s.permitted),
            )
        )
    elif s.trial.drop_pct.n > DROP_PCT[c.family][0]:
        bigger = size_for_aim(s)
        cures = [Cure(f"Fit {spoken(bigger)}", (Change(path, bigger),))] if bigger else []
        found.append(
            check(
                f"{c.id}.drop",
                c.id,
                f"{c.name} drops {s.trial.drop_pct.against(DROP_PCT[c.family][0])}; the aim is"
                f" {DROP_PCT[c.family][0]:g} %,"
                f" the limit {DROP_PCT[c.family][1]:g} %.",
                COMMON_PRACTICE,
                *cures,
                Cure("Shorten the run"),
                figures=(s.trial.drop_pct,),
            )
        )
    return found


def told_together(found: Iterable[Finding], circuits: Mapping[str, Circuit]) -> list[Finding]:
    """Findings with what is one and the same told once: strings that drop alike, with one cure for
    all, and runs of one kind whose one length is not known.
    """
    out: list[Finding] = []
    alike: dict[tuple[str, ...], list[Finding]] = {}
    for f in found:
        c = circuits.get(f.place)
        kind = f.key.rpartition(".")[2] if c and f.key.startswith(f"{c.id}.") else ""
        if c and kind == "drop" and c.family == "pv":
            key = (kind, f.says.removeprefix(c.name), *(x.text for x in f.cures))
        elif c and kind == "run" and c.family != "pv":
            key = (kind, c.family)
        else:
            out.append(f)
            continue
        if key not in alike:
            out.append(f)
        alike.setdefault(key, []).append(f)
    for (kind, *_), rows in alike.items():
        if len(rows) > 1:
            told = _strings_drop if kind == "drop" else _runs_unknown
            out[out.index(rows[0])] = told(rows, circuits)
    return out


def _runs_unknown(rows: Sequence[Finding], circuits: Mapping[str, Circuit]) -> Finding:
    name = circuits[rows[0].place].name
    more = f"{name} and {len(rows) - 1} more of its kind"
    return replace(rows[0], says=more + rows[0].says.removeprefix(name))


def _strings_drop(rows: Sequence[Finding], circuits: Mapping[str, Circuit]) -> Finding:
    names = [circuits[f.place].name for f in rows]
    letters = listed([n.removeprefix("String ") for n in names])
    rest = rows[0].says.removeprefix(names[0]).replace(" drops ", " each drop ")
    cures = tuple(
        Cure(same[0].text, tuple(change for c in same for change in c.changes))
        for same in zip(*(f.cures for f in rows), strict=True)
    )
    figures = tuple(x for f in rows for x in f.figures)
    return replace(rows[0], says=f"Strings {letters}{rest}", cures=cures, figures=figures)


def earth_findings(s: SizedCircuit, fitted: Fitted) -> list[Finding]:
    """The crew's own earth conductor against what the book asks."""
    need = s.protective_needed
    if not fitted.earth or area_mm2(fitted.earth) >= area_mm2(str(need.value)):
        return []
    says = (
        f"{s.circuit.name}: an earth of {spoken(fitted.earth)} is fixed;"
        f" {spoken(str(need.value))} is the least."
    )
    cure = Cure(
        f"Fit {spoken(str(need.value))}", (Change(f"/fitted/{s.id}/earth", str(need.value)),)
    )
    return [stop(f"{s.id}.earth", s.id, says, need.source, cure, figures=(need,))]


def _warm(s: SizedCircuit, p: Figure, right: Cure) -> Iterator[Finding]:
    """A breaker that carries more for long than it may: 80 % of it under the NEC, the whole under
    the IEC and of a pack's own; under the IEC one on a battery that is near it is a check.
    """
    c = s.circuit
    says = f"{c.name}: {c.current.text} continuous through a {p.text} breaker is"
    figures = (c.current, s.i_req)
    if p.n < c.current.n - 1e-9:
        cures = (SMALLER,) if c.owns else tuple(dict.fromkeys((right, SMALLER)))
        more = f"{says} more than its rating; it will trip."
        yield stop(f"{c.id}.warm", c.id, more, s.rules.clause_protection, *cures, figures=figures)
    elif c.owns:
        return
    elif p.n < s.rules.book.continuous * c.current.n - 1e-9:
        warm = f"{says} past 80 % of it; it will run warm and trip."
        cures = tuple(dict.fromkeys((right, SMALLER)))
        yield stop(f"{c.id}.warm", c.id, warm, s.rules.clause_protection, *cures, figures=figures)
    elif p.n != c.protection_named_a:  # its maker's word goes before common practice
        near = f"{says} past 80 % of it, which a battery's breaker is seldom drawn to."
        yield check(f"{c.id}.warm", c.id, near, COMMON_PRACTICE, right, figures=figures)


def protection_findings(
    s: SizedCircuit, fitted: Fitted, held: Sequence[Cure] = ()
) -> list[Finding]:
    """The fitted protection against the required current, the maker's maximum and the standard
    ratings. held: what a limit keyed in Set would cure.
    """
    c, p, found = s.circuit, s.protection, list[Finding]()
    if p is None:
        return found
    path = f"/fitted/{c.id}/protection_a"
    try:
        standard = s.rules.next_standard(s.i_req.n)
        right = Cure(f"Fit {standard:g} A", (Change(path, standard),))
    except OutsideTable:  # more than the book's series of ratings goes to
        standard, right = math.inf, SMALLER
    if p.n < s.i_req.n - 1e-9 and c.system != "pv":
        found += _warm(s, p, right)
    if _over_maximum(s):
        cures = (
            (right,)
            if standard <= c.protection_max_a and fitted.protection_a
            else (*held, Cure("Choose equipment whose port allows it"))
        )
        found.append(
            stop(
                f"{c.id}.maker",
                c.id,
                f"{c.name}: {p.text} is above the {c.protection_max_a:g} A the port's maker"
                " allows.",
                "inverter sheet",
                *cures,
                figures=(p,),
            )
        )
    if fitted.protection_a and not c.own_protection and p.n not in s.rules.standard_a:
        found.append(
            check(
                f"{c.id}.standard",
                c.id,
                f"{c.name}: {p.text} is not a standard rating.",
                s.rules.clause_protection,
                right,
                figures=(p,),
            )
        )
    return found


def place_findings(s: SizedCircuit, port_length_m: float | None) -> list[Finding]:
    """The maker's length limit, and conductors in parallel."""
    c, found = s.circuit, list[Finding]()
    if port_length_m is not None and s.conditions.run.length_m > port_length_m:
        found.append(
            stop(
                f"{c.id}.length",
                c.id,
                f"{c.name} is {s.conditions.run.length_m:g} m; the maker allows"
                f" {port_length_m:g} m.",
                "inverter sheet",
                Cure("Hang bank and inverter nearer to each other"),
            )
        )
    if s.sets > 1:
        found.append(
            duty(
                f"{c.id}.parallel",
                c.id,
                f"{c.name} runs in {s.sets} sets: all of one length, material and size, cut"
                " together, measured, made off alike, each with its earth.",
                s.rules.book.clauses["parallel"],
                Asked("Land"),
            )
        )
    return found


def drop_findings(circuits: Sequence[SizedCircuit]) -> list[Finding]:
    """Drops that add up from the supply to the end of a run: each within its limit may be too much
    together. IEC 60364-5-52 Table G.52.1; NEC 215.2(A)(2) note 2.
    """
    by_id, found = {s.id: s for s in circuits}, []
    for s in circuits:
        way = [by_id[k] for k in s.circuit.upstream if k in by_id]
        if s.circuit.power_factor is None or not way:
            continue
        parts = [x.trial.drop_pct.renamed(f"dV_{i}") for i, x in enumerate((s, *way), 1)]
        total = solve(
            "dV_all",
            "%",
            "Voltage drop from the supply",
            " + ".join(p.symbol for p in parts),
            *parts,
            source="definition",
        )
        if total.n <= DROP_ALL_PCT:
            continue
        worst = max((s, *way), key=lambda x: x.trial.drop_pct.n)
        says = (
            f"{s.circuit.name}: {total.against(DROP_ALL_PCT)} drop from the supply to its end,"
            f" over {len(parts)}"
            f" runs; {DROP_ALL_PCT:g} % is the most that is good practice."
        )
        cure = Cure(f"A larger conductor for {inside(worst.circuit.name)}, which drops most")
        rule = s.rules.book.clauses["drop"]
        found.append(check(f"{s.id}.drop.all", s.id, says, rule, cure, figures=(total,)))
    return found


def school_findings(s: SizedCircuit, named: str) -> list[Finding]:
    """The maker's named battery cable against what the tables say: the three schools side
    by side.
    """
    c, ampacity = s.circuit, s.rules.book.ampacity
    if (
        ampacity is None
        or not named
        or c.family != "battery"
        or s.proposed is None
        or area_mm2(named) * s.sets >= area_mm2(s.size) * s.sets
    ):
        return []
    raceway, free = ampacity(named, "raceway"), ampacity(named, "free-air")
    return [
        note(
            f"{c.id}.school",
            c.id,
            f"{c.name}: the maker names {spoken(named)}, which carries {raceway.text} in a raceway"
            f" and {free.text} in free air; {s.i_req.text} is needed.",
            f"{s.rules.book.clauses['schools']}; maker's sheet",
            Cure(
                f"Fit {spoken(str(s.proposed.value))} as the table asks, or run the cable in free"
                " air where the code official agrees"
            ),
            figures=(raceway, free, s.i_req),
        )
    ]


@dataclass(frozen=True, slots=True)
class School:
    """One school of choosing battery cable: the least size it would run, and what the raceway table
    says of that.
    """

    name: str
    size: str
    carries: str
    wanted: str
    enough: bool
    used: bool


def cable_schools(design: Design) -> list[School]:
    """The three schools side by side for the first battery circuit under the NEC; empty elsewhere,
    where one table by method decides.
    """
    s = next((x for x in design.circuits if x.circuit.family == "battery"), None)
    ampacity = s.rules.book.ampacity if s else None
    if s is None or ampacity is None:
        return []
    port = design.inverter.battery if design.inverter else None
    out: list[School] = []
    for method, name in s.rules.book.schools.items():
        fits = [(x, ampacity(x, method)) for x in s.cable.sizes]
        least = next(((x, a) for x, a in fits if a.n >= s.i_req.n), None)
        if least:
            out.append(
                School(
                    name,
                    spoken(least[0]),
                    least[1].text,
                    s.i_req.text,
                    True,
                    s.conditions.run.method == method,
                )
            )
    if port and port.named_size:
        a = ampacity(port.named_size, s.conditions.run.method)
        out.append(
            School(
                f"Maker's named size, as run here ({s.conditions.run.method.replace('-', ' ')})",
                spoken(port.named_size),
                a.text,
                s.i_req.text,
                a.n >= s.i_req.n,
                False,
            )
        )
    return out
