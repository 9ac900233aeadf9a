"""Sizing under IEC 60364. A size serves when all of these hold (each of n sets carries its share):

coordinated        I_b ≤ I_n ≤ I_z, I_z = n · I_t · k_t · k_g   60364-4-43 433.1, 60364-5-52
small overloads    I_2 = 1.45 I_n ≤ 1.45 I_z                    433.1 (true of 60898 breakers when
the first holds)
drop               dV / U ≤ limit                               60364-5-52 Annex G; limits common
practice
fits               least ≤ size ≤ most of both ends             the maker's terminal
"""

from __future__ import annotations

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given, picked, solve
from gumboot.core.codes import books, iec
from gumboot.core.kit import ConductorType
from gumboot.core.network.circuit import Circuit
from gumboot.core.size.conductors.nec import said
from gumboot.core.size.conductors.trial import DROP_PCT, Conditions, SizeTrial, terminal_faults


class Iec:
    """IEC 60364 with IEC 62548 for PV."""

    book = books.IEC
    sizes = iec.SIZES
    standard_a = iec.STANDARD_A
    clause_size = "IEC 60364-4-43 433.1, 60364-5-52"
    clause_protection = "IEC 60364-4-43 433.1"
    warm = "is more than its rating; it will trip"

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

    def protection(self, i_req: Figure, named_a: float | None) -> Figure:
        """The maker's named rating where it is enough, else IEC 60898's next."""
        if named_a is not None and named_a >= i_req.n - 1e-9:
            return given(
                "I_n",
                named_a,
                "A",
                "Protection, as the maker or the brief names it",
                "inverter sheet or brief",
            )
        return iec.protection(i_req)

    def carrying(self, circuit: Circuit) -> int:
        """A circuit counts once."""
        return 1

    def ampacity(
        self, circuit: Circuit, conditions: Conditions, cable: ConductorType, size: str
    ) -> float:
        """Capacity in its place; 0 for a size below the first of methods F."""
        if conditions.run.method == "F" and iec.rank(size) < iec.rank("25 mm²"):
            return 0.0
        if cable.material == "Al" and iec.rank(size) < iec.rank("16 mm²"):
            return 0.0
        table = iec.ampacity(
            size,
            cable.temp_c,
            conditions.run.method,
            3 if circuit.three_phase else 2,
            cable.material,
        ).n
        return (
            table
            * iec.ambient_factor(conditions.ambient_c, cable.temp_c, conditions.run.method).n
            * iec.group_factor(conditions.together, conditions.run.method).n
        )

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
        run = conditions.run
        table = iec.ampacity(
            size, cable.temp_c, run.method, 3 if circuit.three_phase else 2, cable.material
        )
        factors = (
            iec.ambient_factor(conditions.ambient_c, cable.temp_c, run.method),
            iec.group_factor(conditions.together, run.method),
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
        want = max(i_req.n, protection.n if protection else 0)
        fails: list[str] = []
        if in_place.n < want:
            flows = (
                f"{protection.text} protects it"
                if protection and protection.n >= i_req.n
                else f"{i_req.text} is needed"
            )
            fails.append(f"{said(size, sets)} carries {in_place.text} where it runs; {flows}")
        enough = not fails
        if pct.n > DROP_PCT[circuit.family][1]:
            fails.append(
                f"{said(size, sets)} drops {pct.text} over {length.text}; the limit is"
                f" {DROP_PCT[circuit.family][1]:g} %"
            )
        fails += terminal_faults(circuit, size, sets, cable.material)
        return SizeTrial(size, cable, sets, table, in_place, drop, pct, tuple(fails), enough)

    def earth(
        self,
        circuit: Circuit,
        trial: SizeTrial,
        least: str,
        protection: Figure | None,
        i_req: Figure,
    ) -> Figure:
        """By the line conductor, Table 54.2."""
        base = iec.protective_conductor(trial.size, trial.cable.material)
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

    def permitted(self, trial: SizeTrial, protection: Figure | None) -> Figure:
        """The lesser of conductor and protection."""
        if protection is None:
            return solve(
                "I_perm",
                "A",
                "Continuous current permitted",
                "1 * I_z",
                trial.in_place,
                source=self.clause_protection,
                doubt=MEMORY,
            )
        return solve(
            "I_perm",
            "A",
            "Continuous current permitted",
            "min(I_z, I_n)",
            trial.in_place,
            protection.renamed("I_n"),
            source=self.clause_protection,
            doubt=MEMORY,
            assumption="what the conductor and breaker as fitted allow",
        )


IEC = Iec()
