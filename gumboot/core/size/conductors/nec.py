"""Sizing under the NEC. A size serves when all of these hold (I_req = 1.25 I; each of n sets
carries its share):

at both ends       n · I_75 ≥ I_req                     110.14(C): Table 310.16 whatever the
                                                        method, unless the terminal is marked
in its place       n · I_table · F_temp · F_count ≥ I   310.15
protected          I_n ≤ next standard of the lesser    240.4(B), (D)
drop               dV / V ≤ limit                       common practice
fits               least ≤ size ≤ most of both ends     the maker's terminal
"""

from __future__ import annotations

from functools import lru_cache

from gumboot.core.basis.figure import MEMORY, Figure, given, solve
from gumboot.core.basis.sizes import spoken
from gumboot.core.basis.units import FT_M
from gumboot.core.basis.words import inside
from gumboot.core.codes import books, nec
from gumboot.core.kit import ConductorType
from gumboot.core.network.circuit import Circuit, End
from gumboot.core.size.conductors.trial import DROP_PCT, Conditions, SizeTrial, terminal_faults

OFF_ROOF = "raceways stand at least 7/8 in (23 mm) off the roof: nearer, 310.15(B)(2) adds 33 °C"
TAP_LEAST = {"Cu": "6", "Al": "4"}  # AWG, 705.11, from memory
ON_ROOF = (
    "33 °C are added to the air, since the raceway lies less than 7/8 in (23 mm) off the roof:"
    " 310.15(B)(2)"
)


class Nec:
    """NFPA 70, 2023."""

    book = books.NEC
    sizes = nec.SIZES
    standard_a = nec.STANDARD_A
    clause_size = f"{nec.BOOK} 110.14(C), 310.15, 240.4"
    clause_protection = f"{nec.BOOK} 705.30"

    rank = staticmethod(nec.rank)
    next_standard = staticmethod(nec.next_standard)

    def required(self, circuit: Circuit) -> Figure:
        """125 % of the continuous current. NEC 690.8(B), 706.30, 705.28, 215.2."""
        clause = {"pv": "690.8(B)", "dc": "706.30", "ac": "705.28, 705.30"}[circuit.system]
        if circuit.family == "controller":
            clause = "690.8(A)(1), 690.8(B)"  # the rated output of a converter
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

    def protection(self, i_req: Figure) -> Figure:
        """NEC 240.6(A)."""
        return nec.protection(i_req)

    def carrying(self, circuit: Circuit) -> int:
        """Two of a DC pair or a split-phase run, whose balanced neutral does not count
        (310.15(E)(1)); three of three phases, and of two of them, whose neutral carries as much as
        a line (310.15(E)(2)).
        """
        return 3 if circuit.three_phase or (circuit.phases_apart and circuit.lines == 2) else 2

    def carried(
        self, circuit: Circuit, conditions: Conditions, cable: ConductorType, rated_a: float
    ) -> tuple[float, ...]:
        """Ampacity of each size at the weaker of both ends' terminals."""
        ends = (circuit.source, circuit.load)
        cells = tuple(sorted({cell_of(e, cable, conditions.run.method, rated_a) for e in ends}))
        return carried(cable.sizes, cable.material, cells)

    def judge(
        self,
        circuit: Circuit,
        conditions: Conditions,
        cable: ConductorType,
        size: str,
        sets: int,
        i_req: Figure,
        protection: Figure | None,
    ) -> SizeTrial:
        """Try one size. Raises OutsideTable."""
        run, metal = conditions.run, cable.material
        rated = protection.n if protection else i_req.n
        ends = [
            (at_end(e, size, cable, run.method, rated), e) for e in (circuit.source, circuit.load)
        ]
        at_terminal, weaker = min(ends, key=lambda x: x[0].n)
        terminal_c = terminal_temp_c(weaker, rated, cable)
        table = nec.ampacity(size, cable.temp_c, run.method, metal)
        roof = run.method == "raceway-on-roof"
        around_c = conditions.ambient_c + (nec.ROOF.n if roof else 0)
        enclosed = run.method != "free-air"
        factors = (
            nec.ambient_factor(around_c, cable.temp_c),
            nec.count_factor(conditions.together if enclosed else 2),
        )
        n = (given("n_set", sets, "", "Sets in parallel", "plan"),) if sets > 1 else ()
        times = "n_set * " if sets > 1 else ""
        in_place = solve(
            "I_z",
            "A",
            "Ampacity in its place",
            f"{times}{table.symbol} * F_temp * F_count",
            table,
            *factors,
            *n,
            source=f"{nec.BOOK} 310.15",
            assumption=(
                ON_ROOF
                if roof
                else OFF_ROOF
                if circuit.system == "pv" and run.method == "raceway"
                else ""
            ),
            doubt=MEMORY,
        )
        length = given("L", run.length_m / FT_M, "ft", "Length one way", "brief")
        amps = circuit.drop_current.renamed("I")
        phases = 3 if circuit.three_phase else 1
        if circuit.power_factor:
            drop = nec.voltage_drop_ac(
                amps, length, size, circuit.power_factor, phases, metal, sets
            )
        else:
            drop = nec.voltage_drop_dc(amps, length, size, metal, sets)
        pct = solve(
            "dV_pct",
            "%",
            "Voltage drop",
            "100 * dV / V_run",
            drop,
            circuit.voltage.renamed("V_run"),
            source="definition",
        )
        ends_a = sets * at_terminal.n
        fails: list[str] = []
        if ends_a < i_req.n:
            fails.append(
                f"{said(size, sets)} carries {given('', ends_a, 'A', '', '').against(i_req.n)}"
                f" at the"
                f" {terminal_c} °C terminals of {inside(weaker.label)}; {i_req.text} is needed"
            )
        if in_place.n < circuit.current.n:
            fails.append(
                f"{said(size, sets)} carries {in_place.against(circuit.current.n)} where it"
                f" runs; {circuit.current.text}"
                " flows"
            )
        if sets > 1 and nec.rank(size) < nec.rank("1/0"):
            fails.append(
                f"{said(size, sets)}: conductors in parallel start at 1/0 AWG ({nec.BOOK}"
                " 310.10(G))"
            )
        most_a = nec.protectable(size, min(ends_a, in_place.n), metal)
        if protection and protection.n > most_a:
            fails.append(
                f"{said(size, sets)} may be protected at {most_a:g} A at most; {protection.text} is"
                " fitted"
            )
        if circuit.family == "tap" and nec.rank(size) < nec.rank(TAP_LEAST[metal]):
            fails.append(f"ahead of the main {TAP_LEAST[metal]} AWG is the least (705.11)")
        enough = not fails
        if pct.n > DROP_PCT[circuit.family][1]:
            fails.append(
                f"{said(size, sets)} drops {pct.against(DROP_PCT[circuit.family][1])} over"
                f" {length.text}; the limit is"
                f" {DROP_PCT[circuit.family][1]:g} %"
            )
        fails += terminal_faults(circuit, size, sets, metal)
        named = at_terminal.called(f"{at_terminal.name}, at {inside(weaker.label)}")
        where = f"the {terminal_c} °C terminals of {inside(weaker.label)}"
        return SizeTrial(size, cable, sets, named, where, in_place, drop, pct, tuple(fails), enough)

    def earth(
        self,
        circuit: Circuit,
        trial: SizeTrial,
        least: str,
        protection: Figure | None,
        i_req: Figure,
    ) -> Figure:
        """Copper, NEC Table 250.122, grown with the line conductor (B) but not for an array's drop
        (690.45); full size in each raceway (F). Ahead of the main nothing of the house protects
        it: there it is a supply-side bonding jumper, 250.102(C).
        """
        if circuit.family == "tap":
            return nec.supply_bonding(trial.size, trial.cable.material)
        base = nec.egc(protection.n if protection else nec.next_standard(i_req.n))
        return nec.egc_upsized(base, trial.size if circuit.system == "pv" else least, trial.size)

    def drawn_under(self, carries_a: float, asked: float) -> float:
        """All of it: the next rating up may protect it. 240.4(B)."""
        return carries_a

    def limits(
        self, trial: SizeTrial, protection: Figure | None, own: bool = False
    ) -> list[tuple[float, str]]:
        """What each of terminals, place and protection lets through for long, in A, in words; of a
        pack's own breaker the whole, since it is listed with the pack.
        """
        out = [
            (trial.sets * trial.at_terminal.n / 1.25, trial.terminals),
            (trial.in_place.n, "the conductor where it runs"),
        ]
        if protection is None:
            return out
        whole = (protection.n, "the pack's own breaker")
        return [*out, whole if own else (protection.n / 1.25, "80 % of its protection")]

    def permitted(self, trial: SizeTrial, protection: Figure | None, own: bool = False) -> Figure:
        """The least of terminals and protection at 80 %, and the conductor in its place."""
        parts = [trial.at_terminal, trial.in_place]
        ends = f"{trial.at_terminal.symbol} / 1.25"
        if trial.sets > 1:
            parts.append(given("n_set", trial.sets, "", "Sets in parallel", "plan"))
            ends = f"n_set * {ends}"
        fuse = "" if protection is None else ", I_n" if own else ", I_n / 1.25"
        parts += [protection.renamed("I_n")] if protection else []
        return solve(
            "I_perm",
            "A",
            "Continuous current permitted",
            f"min({ends}, I_z{fuse})",
            *parts,
            source=f"{nec.BOOK} 110.14(C), 240.4",
            doubt=MEMORY,
            assumption=f"what binds: {min(self.limits(trial, protection, own))[1]}",
        )


def terminal_temp_c(end: End, rated_a: float, cable: ConductorType) -> int:
    """The column in °C that a conductor is judged by at an end: what is marked there, and where
    the maker is silent 60 °C up to 100 A and 75 °C above. NEC 110.14(C)(1).
    """
    marked = min(end.temp_c, 60 if rated_a <= 100 else 75) if end.silent else end.temp_c
    return min(marked, cable.temp_c)


def cell_of(end: End, cable: ConductorType, method: str, rated_a: float) -> tuple[int, str]:
    """Column in °C and table that a conductor is judged by at an end: Table 310.16 whatever the
    method, unless the terminals are marked for free air. NEC 110.14(C)(1).
    """
    table = "free-air" if method == "free-air" and end.free_air else "raceway"
    return terminal_temp_c(end, rated_a, cable), table


@lru_cache(maxsize=256)
def carried(
    sizes: tuple[str, ...], metal: str, cells: tuple[tuple[int, str], ...]
) -> tuple[float, ...]:
    """Ampacity in A of each size by the least of some columns. Raises OutsideTable."""
    return tuple(min(nec.ampacity(size, *cell, metal).n for cell in cells) for size in sizes)


def at_end(end: End, size: str, cable: ConductorType, method: str, rated_a: float) -> Figure:
    """Ampacity in A of one conductor at an end. Raises OutsideTable."""
    return nec.ampacity(size, *cell_of(end, cable, method, rated_a), cable.material)


def said(size: str, sets: int) -> str:
    """A size, and how many in parallel: "2 × 4/0 AWG"."""
    return spoken(size) if sets == 1 else f"{sets} × {spoken(size)}"


NEC = Nec()
