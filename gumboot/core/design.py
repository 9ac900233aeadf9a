"""design(plan, catalogue) -> Design: everything that follows from the plan.

Pure: no clock, no chance, no files. It never raises on a poor plan; what cannot be computed becomes a finding.
It raises BrokenCatalogue only when the catalogue itself cannot serve.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from gumboot.core.bank import Bank, bank_findings, design_bank, fault_current
from gumboot.core.circuits import lay_out
from gumboot.core.codes import nec
from gumboot.core.conductors import Sized, school_findings, size_circuit
from gumboot.core.findings import Change, Cure, Finding, Level, check, ordered, stop
from gumboot.core.kit import Catalogue, Inverter, Pack
from gumboot.core.plan import Fitted, Plan
from gumboot.core.settings import Job, Setting, fill_menu
from gumboot.core.strings import StringDesign, design_string, design_trackers
from gumboot.core.supply import Bus, bond_findings, bus_findings, design_bus
from gumboot.core.terminations import Termination, list_terminations, termination_findings
from gumboot.core.units import FT_M
from gumboot.core.working import Figure, given, solve


@dataclass(frozen=True, eq=False)
class Design:
    """All that follows from one plan. Empty chapters mean a stop says why.

    Hashed by identity: what is drawn from a design can be remembered for it.
    """

    plan: Plan
    findings: tuple[Finding, ...]
    inverter: Inverter | None = None
    pack: Pack | None = None
    strings: tuple[StringDesign, ...] = ()
    bank: Bank | None = None
    bus: Bus | None = None
    fault: Figure | None = None
    circuits: tuple[Sized, ...] = ()
    terminations: tuple[Termination, ...] = ()
    settings: tuple[Setting, ...] = ()

    def count(self, level: Level) -> int:
        """How many findings of a level."""
        return sum(f.level == level for f in self.findings)

    @cached_property
    def figures(self) -> dict[str, Figure]:
        """Every figure that a page shows, by its key: "battery-1.permitted"."""
        return dict(_figures(self))


def _figures(d: Design) -> Iterator[tuple[str, Figure]]:
    for s in d.strings:
        yield from ((f"{s.key}.{name}", getattr(s, name)) for name in ("v_oc_cold", "v_mp_hot", "v_oc_hot", "i_max", "power"))
    if d.bank:
        yield from (
            (f"bank.{name}", getattr(d.bank, name))
            for name in ("v_nom", "v_low", "i_inverter", "i_all", "i_bank", "i_pack", "c_rate", "energy")
        )
    if d.fault:
        yield "bank.fault", d.fault
    if d.bus:
        yield from ((f"bus.{name}", getattr(d.bus, name)) for name in ("output", "used_120", "allowed_120"))
        if d.bus.used_sum:
            yield "bus.used_sum", d.bus.used_sum
    for c in d.circuits:
        yield f"{c.id}.current", c.circuit.current
        yield f"{c.id}.i_req", c.i_req
        if c.protection:
            yield f"{c.id}.protection", c.protection
        if c.proposed:
            yield f"{c.id}.conductor", c.proposed
        yield f"{c.id}.at_terminal", c.judged.at_terminal
        yield f"{c.id}.in_place", c.judged.in_place
        yield f"{c.id}.drop", c.judged.drop_pct
        yield f"{c.id}.permitted", c.permitted
        yield f"{c.id}.egc", c.egc
    for t in d.terminations:
        if t.torque:
            yield f"{t.key}.torque", t.torque
    yield from ((f"set.{s.id}", s.figure) for s in d.settings if s.figure)


def design(plan: Plan, catalogue: Catalogue) -> Design:
    """Everything that follows from a plan: strings, bank, bus, circuits, terminations, settings and findings."""
    found = _kit_findings(plan, catalogue)
    if found:
        return Design(plan, ordered(found))
    inverter, pack, module = catalogue.inverters[plan.kit.inverter], catalogue.packs[plan.kit.pack], catalogue.modules[plan.kit.module]
    strings: list[StringDesign] = []
    for i, s in enumerate(plan.strings):
        one, faults = design_string(s, i, plan, inverter, module)
        strings += [one] if one else []
        found += faults
    found += design_trackers(plan, inverter, module)
    if plan.kit.inverters > inverter.units_max:
        found.append(
            stop(
                "kit.inverters",
                "inverter-1",
                f"{plan.kit.inverters} inverters in parallel; {inverter.model} allows {inverter.units_max}.",
                "inverter sheet",
                Cure(f"Plan {inverter.units_max}", (Change("/kit/inverters", inverter.units_max),)),
            )
        )
    bank = design_bank(plan, inverter, pack)
    found += bank_findings(plan, bank, inverter, pack)
    bus = design_bus(plan, inverter)
    found += bus_findings(plan, bus) + bond_findings()
    if any(f.key == "bank.class" for f in found):
        return Design(plan, ordered(found), inverter, pack, tuple(strings), bank, bus)
    sized: list[Sized] = []
    for circuit in lay_out(plan, catalogue, inverter, pack, bank, strings):
        one_sized, faults = size_circuit(circuit, catalogue.conductor(circuit.family), plan.fitted.get(circuit.id, Fitted()))
        found += faults
        if one_sized:
            sized.append(one_sized)
            found += school_findings(one_sized, inverter.battery.named_size)
    ids = {s.id for s in sized}
    found += [
        check(
            f"fitted.{k}",
            "plan",
            f"The plan fixes a conductor for “{k}”, a circuit this kit does not have.",
            "plan",
            Cure("Forget it", (Change(f"/fitted/{k}", None),)),
        )
        for k in plan.fitted
        if k not in ids
    ]
    fault, faults = _fault(plan, catalogue, pack, sized, bank)
    found += faults
    terminations = list_terminations(sized, plan, inverter, pack, catalogue)
    found += termination_findings(terminations, plan, inverter, catalogue)
    settings, faults = fill_menu(Job(plan, inverter, pack, bank, sized))
    found += faults
    return Design(plan, ordered(found), inverter, pack, tuple(strings), bank, bus, fault, tuple(sized), terminations, tuple(settings))


def _kit_findings(plan: Plan, catalogue: Catalogue) -> list[Finding]:
    found: list[Finding] = []
    for field, shelf in (("inverter", catalogue.inverters), ("pack", catalogue.packs), ("module", catalogue.modules)):
        wanted = getattr(plan.kit, field)
        if wanted not in shelf:
            known = ", ".join(sorted(shelf)) or f"the catalogue has no {field}"
            cures = tuple(Cure(f"Choose {shelf[k].maker} {shelf[k].model}", (Change(f"/kit/{field}", k),)) for k in sorted(shelf)[:1])
            found.append(
                stop(
                    f"kit.{field}",
                    f"kit-{field}",
                    f"“{wanted}” is not an {field} of the catalogue."
                    if field == "inverter"
                    else f"“{wanted}” is not a {field} of the catalogue.",
                    "catalogue",
                    *cures,
                    Cure(f"Choose one of: {known}"),
                )
            )
    return found


def _fault(plan: Plan, catalogue: Catalogue, pack: Pack, sized: list[Sized], bank: Bank) -> tuple[Figure | None, list[Finding]]:
    """Prospective current at the battery bus against what the pack's breaker and the bus breakers can interrupt."""
    runs = [s for s in sized if s.circuit.family == "pack"]
    if not runs or runs[0].circuit.run is None:
        return None, []
    length = given("L", runs[0].circuit.run.length_m / FT_M, "ft", "Pack cable one way", "brief")
    loop = solve(
        "R_loop",
        "Ω",
        "Pack cable, out and back",
        "2 * R * L / 1000",
        nec.dc_resistance(runs[0].size),
        length,
        source="Ohm's law",
        assumption="75 °C; colder copper gives more current",
    )
    fault = fault_current(pack, plan.kit.packs, loop)
    device = catalogue.device("dc-breaker", 1.25 * bank.i_inverter.n)
    found: list[Finding] = []
    for name, rating in ((device.label, device.interrupt_a), (f"{pack.model}'s own breaker", pack.breaker_interrupt_a)):
        if rating is not None and fault.n > rating:
            found.append(
                stop(
                    f"bank.fault.{'bus' if name == device.label else 'pack'}",
                    "dc-bus",
                    f"A short at the battery bus can reach {fault.text}; {name} interrupts {rating:g} A.",
                    f"{nec.BOOK} 110.9",
                    Cure("Fit current-limiting fuses of sufficient interrupting rating ahead of it"),
                    figures=(fault,),
                )
            )
    return fault, found
