"""Sizing under IEC 60364. A size serves when all of these hold (each of n sets carries its share):

coordinated        I_b ≤ I_n ≤ I_z, I_z = n · I_t · k_t · k_g   60364-4-43 433.1, 60364-5-52
at both ends       I_n ≤ n · I_t70 · k_t70                      Table 52.1: 70 °C, unless marked
small overloads    I_2 = 1.45 I_n ≤ 1.45 I_z                    433.1 (true of 60898 breakers when
the first holds; a gG fuse has I_2 = 1.6 I_n, so 1.10 I_n ≤ I_z)
drop               dV / U ≤ limit                               60364-5-52 Annex G; limits common
practice
fits               least ≤ size ≤ most of both ends             the maker's terminal
"""

from __future__ import annotations

from functools import lru_cache

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given, picked, solve
from gumboot.core.basis.sizes import area_mm2
from gumboot.core.basis.words import inside
from gumboot.core.codes import books, iec
from gumboot.core.kit import ConductorType
from gumboot.core.network.circuit import Circuit, End
from gumboot.core.size.conductors.nec import said
from gumboot.core.size.conductors.trial import DROP_PCT, Conditions, SizeTrial, terminal_faults


class Iec:
    """IEC 60364 with IEC 62548 for PV."""

    book = books.IEC
    sizes = iec.SIZES
    standard_a = iec.STANDARD_A
    clause_size = "IEC 60364-4-43 433.1, 60364-5-52"
    clause_protection = "IEC 60364-4-43 433.1"

    rank = staticmethod(iec.rank)
    next_standard = staticmethod(iec.next_standard)

    def required(self, circuit: Circuit) -> Figure:
        """Design current: as it flows on AC; 1.25 times on a battery (common practice); PV's 1.25
        I_sc is in its maximum already (62548).
        """
        if circuit.system == "dc":
            return solve(
                "I_req",
                "A",
                "Required rating",
                f"1.25 * {circuit.current.symbol}",
                circuit.current,
                source=COMMON_PRACTICE,
                assumption="the current is continuous",
            )
        source = "IEC 62548" if circuit.system == "pv" else "IEC 60364-4-43 433.1"
        return solve(
            "I_b",
            "A",
            "Design current",
            f"1 * {circuit.current.symbol}",
            circuit.current,
            source=source,
            doubt=MEMORY,
        )

    def protection(self, i_req: Figure) -> Figure:
        """IEC 60898's next."""
        return iec.protection(i_req)

    def carrying(self, circuit: Circuit) -> int:
        """A circuit counts once."""
        return 1

    def carried(
        self, circuit: Circuit, conditions: Conditions, cable: ConductorType, rated_a: float
    ) -> tuple[float, ...]:
        """Capacity of each size in its place; 0 for a size below the first of methods F."""
        method = method_of(conditions, cable)
        factor = (
            iec.ambient_factor(conditions.ambient_c, cable.temp_c, method).n
            * iec.group_factor(conditions.together, method).n
        )
        lines = 3 if circuit.three_phase else 2
        cells = tabled(cable.sizes, cable.material, cable.temp_c, method, lines)
        return tuple(a * factor for a in cells)

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
        run, method = conditions.run, method_of(conditions, cable)
        loaded = 3 if circuit.three_phase else 2
        table = iec.ampacity(size, cable.temp_c, method, loaded, cable.material)
        together = conditions.together + (0 if run.in_raceway else sets - 1)
        factors = (
            iec.ambient_factor(conditions.ambient_c, cable.temp_c, method),
            iec.group_factor(together, method),
        )
        n = (given("n_set", sets, "", "Sets in parallel", "plan"),) if sets > 1 else ()
        in_place = solve(
            "I_z",
            "A",
            "Capacity in its place",
            f"{'n_set * ' if sets > 1 else ''}I_t * k_t * k_g",
            table,
            *factors,
            *n,
            source="IEC 60364-5-52 523",
            doubt=MEMORY,
        )
        length = given("L", run.length_m, "m", "Length one way", "brief")
        drop = iec.voltage_drop(
            circuit.drop_current.renamed("I"),
            length,
            size,
            circuit.power_factor,
            3 if circuit.three_phase else 1,
            sets,
            cable.material,
        )
        pct = solve(
            "dV_pct",
            "%",
            "Voltage drop",
            "100 * dV / V_run",
            drop,
            circuit.voltage.renamed("V_run"),
            source="definition",
        )
        melts = FUSE_OVER if circuit.source.port == FUSED and protection else 1.0
        want = max(i_req.n, melts * protection.n if protection else 0)
        want_end = max(i_req.n, protection.n if protection else 0)
        fails: list[str] = []
        if in_place.n < want:
            flows = (
                f"its fuse of {protection.text} asks {given('', want, 'A', '', '').text}"
                if protection and melts > 1
                else f"{protection.text} protects it"
                if protection and protection.n >= i_req.n
                else f"{i_req.text} is needed"
            )
            fails.append(
                f"{said(size, sets)} carries {in_place.against(want)} where it runs; {flows}"
            )
        weaker = min((circuit.source, circuit.load), key=terminal_temp_c)
        terminal_c, at_terminal, where = terminal_temp_c(weaker), table, "the conductor's table"
        if terminal_c < cable.temp_c:
            cell = iec.ampacity(size, terminal_c, method, loaded, cable.material)
            at_terminal = solve(
                "I_end",
                "A",
                f"Capacity at the terminals of {inside(weaker.label)}",
                "I_t * k_t",
                cell,
                iec.ambient_factor(conditions.ambient_c, terminal_c, method),
                source="IEC 60364-5-52 Table 52.1",
                doubt=MEMORY,
            )
            where = f"the {terminal_c} °C terminals of {inside(weaker.label)}"
            if sets * at_terminal.n < want_end:
                carries = at_terminal.against(want_end)
                fails.append(f"{said(size, sets)} carries {carries} at {where}")
        enough = not fails
        if pct.n > DROP_PCT[circuit.family][1]:
            fails.append(
                f"{said(size, sets)} drops {pct.against(DROP_PCT[circuit.family][1])} over"
                f" {length.text}; the limit is"
                f" {DROP_PCT[circuit.family][1]:g} %"
            )
        fails += terminal_faults(circuit, size, sets, cable.material)
        return SizeTrial(
            size, cable, sets, at_terminal, where, in_place, drop, pct, tuple(fails), enough
        )

    def earth(
        self,
        circuit: Circuit,
        trial: SizeTrial,
        least: str,
        protection: Figure | None,
        i_req: Figure,
    ) -> Figure:
        """By the line conductor, Table 54.2; of a battery the lesser of that and what its fault
        asks until its device clears it, 543.1.2.
        """
        base = iec.protective_conductor(trial.size, trial.cable.material)
        if circuit.fault and circuit.system == "dc":
            base = battery_earth(base, circuit.fault, trial.cable.temp_c)
        if trial.sets == 1:
            return base
        return picked(
            "S_PE",
            base.value,
            "",
            "Protective conductor",
            "one with each set",
            base,
            source=base.source,
            doubt=MEMORY,
        )

    def drawn_under(self, carries_a: float, asked: float) -> float:
        """What the largest preferred rating that it carries serves. 433.1: I_b ≤ I_n ≤ I_z."""
        return max((a for a in self.standard_a if a <= carries_a), default=0.0) / asked

    def limits(
        self, trial: SizeTrial, protection: Figure | None, own: bool = False
    ) -> list[tuple[float, str]]:
        """What conductor, terminals and protection let through for long, in A, in words."""
        out = [(trial.in_place.n, "the conductor where it runs")]
        if trial.at_terminal.symbol == "I_end":
            out.append((trial.sets * trial.at_terminal.n, trial.terminals))
        return [*out, (protection.n, "its protection")] if protection else out

    def permitted(self, trial: SizeTrial, protection: Figure | None, own: bool = False) -> Figure:
        """The least of conductor, terminals and protection."""
        parts = [trial.in_place]
        formula = ["I_z"]
        if trial.at_terminal.symbol == "I_end":
            parts.append(trial.at_terminal)
            formula.append("n_set * I_end" if trial.sets > 1 else "I_end")
            if trial.sets > 1:
                parts.append(given("n_set", trial.sets, "", "Sets in parallel", "plan"))
        if protection:
            parts.append(protection.renamed("I_n"))
            formula.append("I_n")
        return solve(
            "I_perm",
            "A",
            "Continuous current permitted",
            f"min({', '.join(formula)})" if len(formula) > 1 else "1 * I_z",
            *parts,
            source=self.clause_protection,
            doubt=MEMORY,
            assumption=f"what binds: {min(self.limits(trial, protection))[1]}",
        )


FUSED = "fuse"  # the port of a circuit that starts at a fuse
FUSE_OVER = 1.6 / 1.45  # I_2 = 1.6 I_n of a gG fuse from 16 A: IEC 60269-1, 60364-4-43 433.1
T_DC = given("t", 0.02, "s", "Until a breaker or fuse far above its rating opens", COMMON_PRACTICE)
LEAST_PE = "4 mm²"  # where nothing protects it: 60364-5-54 543.1.3


def battery_earth(by_table: Figure, fault: Figure, temp_c: int) -> Figure:
    """The lesser of Table 54.2 and of what a fault asks of it for 0.02 s, 4 mm² at least."""
    asked = iec.adiabatic(fault.renamed("I_f"), T_DC, temp_c if temp_c in iec.K_PE else 70)
    want = max(asked.n, area_mm2(LEAST_PE))
    size = next((x for x in iec.SIZES if area_mm2(x) >= want - 1e-9), iec.SIZES[-1])
    if area_mm2(size) >= area_mm2(str(by_table.value)):
        return by_table
    return picked(
        "S_PE",
        size,
        "",
        "Protective conductor",
        "least size the fault leaves whole, no less than 4 mm²; Table 54.2 would ask"
        f" {by_table.value}",
        asked,
        by_table,
        source="IEC 60364-5-54 543.1.2",
        doubt=MEMORY,
    )


def method_of(conditions: Conditions, cable: ConductorType) -> str:
    """The table's method for a place: a cable of several cores has one of its own. Table A.52.3."""
    method = conditions.run.method
    return iec.AS_MULTI.get(method, method) if cable.cores == "multi" else method


@lru_cache(maxsize=256)
def tabled(
    sizes: tuple[str, ...], metal: str, temp_c: int, method: str, lines: int
) -> tuple[float, ...]:
    """The table's capacity in A of each size, 0 where it has none. Raises OutsideTable."""

    def cell(size: str) -> float:
        small = "25 mm²" if method == "F" else "16 mm²" if metal == "Al" else ""
        if small and iec.rank(size) < iec.rank(small):
            return 0.0
        if metal == "Al" and method in iec.COPPER_ONLY:
            return 0.0
        return iec.ampacity(size, temp_c, method, lines, metal).n

    return tuple(cell(size) for size in sizes)


def terminal_temp_c(end: End) -> int:
    """What an end's terminals stand in °C, as the tables have it: 70 where its maker is silent or
    says less than 90. IEC 60364-5-52 Table 52.1.
    """
    return 90 if end.temp_c >= 90 and not end.silent else iec.TERMINAL_C


IEC = Iec()
