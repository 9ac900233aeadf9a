"""The sheet on which a job is laid out: it knows the kit, numbers circuits, and finds the terminals
of each end.
"""

from __future__ import annotations

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.kit import Catalogue, Family, Gateway, Inverter, Pack
from gumboot.core.kit.enclosure import Case
from gumboot.core.kit.terminal import Block, Conductor, FactoryJoint, Terminal
from gumboot.core.network.circuit import UNITY, Body, Circuit, End, Role, Thin, end
from gumboot.core.plan import Plan, Run
from gumboot.core.size.bank import Bank
from gumboot.core.size.strings import StringDesign


class Layout:
    """A job being laid out."""

    def __init__(
        self,
        plan: Plan,
        catalogue: Catalogue,
        inverter: Inverter,
        pack: Pack | None,
        gateway: Gateway | None,
        bank: Bank | None,
        strings: list[StringDesign],
    ) -> None:
        self.plan, self.catalogue, self.inverter, self.pack, self.gateway = (
            plan,
            catalogue,
            inverter,
            pack,
            gateway,
        )
        self.bank, self.strings = bank, strings
        self.bodies: dict[str, Body] = {}
        self.cases: dict[str, Case] = {}  # of boxes, by body: the largest that anything asked for
        self.circuits: list[Circuit] = []
        self.links: list[Thin] = []
        self.ac: tuple[Conductor, ...] = (*inverter.lines, "N", "PE")

    def body(
        self,
        id: str,
        role: Role,
        label: str,
        *lines: str,
        joints: tuple[FactoryJoint, ...] = (),
        bars: tuple[FactoryJoint, ...] = (),
    ) -> None:
        """Stand a body on the sheet, once."""
        self.bodies.setdefault(
            id, Body(id, role, label, tuple(x for x in lines if x), joints, bars)
        )

    def run(self, id: str, family: Family) -> Run | None:
        """The run of a circuit: its own, else its family's."""
        return self.plan.runs.get(id) or self.plan.runs.get(family)

    def add(
        self,
        id: str,
        family: Family,
        name: str,
        source: End,
        load: End,
        conductors: tuple[Conductor, ...],
        current: Figure,
        voltage: Figure,
        protection: str,
        most_a: float,
        run: Run | None = None,
        ambient_c: float | None = None,
        own: Figure | None = None,
        drop: Figure | None = None,
        named_a: float | None = None,
        upstream: tuple[str, ...] = (),
    ) -> None:
        """Add a circuit, numbered next."""
        run = run or self.run(id, family)
        ambient = (
            run.ambient_c
            if run and run.ambient_c is not None
            else self.plan.site.t_wall_c
            if ambient_c is None
            else ambient_c
        )
        pf = UNITY if "L1" in conductors else None
        self.circuits.append(
            Circuit(
                id,
                family,
                name,
                len(self.circuits) + 1,
                source,
                load,
                conductors,
                current,
                drop or current,
                voltage,
                run,
                ambient,
                protection,
                own,
                most_a,
                named_a,
                pf,
                upstream,
            )
        )

    def block(self, b: Body) -> Block | None:
        """The terminal block of a body, where the catalogue describes one."""
        unit = {"inverter": self.inverter, "pack": self.pack}.get(b.role) or (
            self.gateway if b.id == "gateway" else None
        )
        return unit.block if unit else None

    def cover(self, b: Body) -> FactoryJoint | None:
        """The cover of a body, where the catalogue says how tight it is."""
        unit = (
            self.inverter if b.role == "inverter" else self.gateway if b.id == "gateway" else None
        )
        return unit.cover if unit else None

    def unit(self, i: int, port: str, terminals: tuple[Terminal, ...]) -> End:
        """A port of inverter i."""
        earth = () if any(t.conductor == "PE" for t in terminals) else (self.inverter.earth,)
        return end(
            f"inverter-{i}",
            f"Inverter {i}" if self.plan.kit.inverters > 1 else "Inverter",
            port,
            terminals,
            *earth,
        )

    def box(
        self, body: str, label: str, role: str, port: str, amps: float, breaker: str | None = None
    ) -> End:
        """A panel, switch or bus; live conductors on a breaker of its own when `breaker`
        names one.
        """
        device = self.catalogue.device(role, amps, self.inverter.supply, self.plan.code)
        terminals = device.terminals
        if device.case and device.case.width >= self.cases.get(body, device.case).width:
            self.cases[body] = device.case
        if breaker:
            live = self.catalogue.device(
                breaker, amps, self.inverter.supply, self.plan.code
            ).terminals
            kept = {t.conductor for t in live}
            terminals = live + tuple(t for t in terminals if t.conductor not in kept)
        return end(body, label, port, terminals)

    @property
    def volts(self) -> Figure:
        """The voltage in V that a drop is a part of: line to line, or line to neutral on three
        phases.
        """
        v = self.inverter.voltage_v
        if self.inverter.supply.startswith("three"):
            line = given("V_LL", v, "V", "Line to line", "inverter sheet")
            return solve(
                "V_run", "V", "Line to neutral", "V_LL / sqrt(3)", line, source="definition"
            )
        return given(
            "V_run",
            v,
            "V",
            "Line to line" if self.inverter.supply.startswith("split") else "Line to neutral",
            "inverter sheet",
        )


def output_current(inverter: Inverter) -> Figure:
    """One inverter's continuous output current in A a line: P/V, or P/(√3·V) on three phases.

    Three phases, 10 kW at 400 V: 14.4 A.
    """
    power = given("P", inverter.power_w, "W", "Inverter power", "inverter sheet")
    volts = given("V", inverter.voltage_v, "V", "AC voltage", "inverter sheet")
    formula = "P / (sqrt(3) * V)" if inverter.supply.startswith("three") else "P / V"
    return solve("I_inv", "A", "Output current", formula, power, volts, source="definition")


def port_current(inverter: Inverter) -> Figure:
    """The continuous current in A of its AC ports: its output, or its pass-through where that is
    more.
    """
    out = output_current(inverter)
    if inverter.pass_through_a is None:
        return out.renamed("I")
    through = given("I_thru", inverter.pass_through_a, "A", "Pass-through", "inverter sheet")
    return solve(
        "I",
        "A",
        "Continuous current",
        "max(I_inv, I_thru)",
        out,
        through,
        source="inverter sheet",
        assumption="the port carries its pass-through as well as its output",
    )
