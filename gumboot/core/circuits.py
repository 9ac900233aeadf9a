"""Circuits: what connects to what, and the conductor, protection and earth of each.

array ──pv──┐                       ┌──grid── (combiner ──grid-feeder──) main panel
            inverter ───────────────┤
pack ──pack── bus ──battery──┘      └──backup── (combiner ──backup-feeder──) transfer switch
"""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.bank import Bank
from gumboot.core.kit import Catalogue, Conductor, Family, Inverter, Pack, Terminal
from gumboot.core.plan import Plan, Run
from gumboot.core.strings import StringDesign
from gumboot.core.working import Figure, given, solve


@dataclass(frozen=True, slots=True)
class End:
    """One end of a circuit: the body it lands on and the terminals that take its conductors."""

    body: str
    label: str
    port: str
    terminals: tuple[Terminal, ...]
    temp_c: int

    def terminal(self, conductor: Conductor) -> Terminal:
        """The terminal for one conductor. Raises StopIteration when the catalogue gave none: a broken catalogue."""
        return next(t for t in self.terminals if t.conductor == conductor)


@dataclass(frozen=True, slots=True)
class Circuit:
    """A circuit before it is sized. `source` is the end that can be live first, and so is landed last."""

    id: str
    family: Family
    name: str
    number: int
    source: End
    load: End
    conductors: tuple[Conductor, ...]
    current: Figure
    drop_current: Figure
    voltage: Figure
    run: Run | None
    ambient_c: float
    protection: str
    own_protection: Figure | None
    protection_max_a: float
    power_factor: Figure | None

    @property
    def system(self) -> str:
        """What flows: "pv", "dc" or "ac"."""
        return "pv" if self.family == "pv" else "dc" if self.family in ("pack", "battery") else "ac"


UNITY = given("pf", 1.0, "", "Power factor", "the inverter's default")


def end(body: str, label: str, port: str, terminals: tuple[Terminal, ...], *extra: Terminal) -> End:
    """An end whose rating is that of its weakest live terminal. NEC 110.14(C)."""
    every = terminals + extra
    return End(body, label, port, every, min(t.temp_c for t in every if t.conductor != "PE"))


class _Layout:
    """Numbers circuits as they are laid out."""

    def __init__(self, plan: Plan, catalogue: Catalogue, inverter: Inverter, pack: Pack) -> None:
        self.plan, self.catalogue, self.inverter, self.pack = plan, catalogue, inverter, pack
        self.circuits: list[Circuit] = []

    def add(
        self, id: str, family: Family, name: str, source: End, load: End, conductors: tuple[Conductor, ...], current: Figure, voltage: Figure, protection: str, most_a: float,
        run: Run | None = None, ambient_c: float | None = None, own: Figure | None = None, drop: Figure | None = None,
    ) -> None:  # fmt: skip
        run = run or self.plan.runs.get(family)
        ambient = run.ambient_c if run and run.ambient_c is not None else self.plan.site.t_wall_c if ambient_c is None else ambient_c
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
                pf,
            )
        )

    def unit(self, i: int, port: str, terminals: tuple[Terminal, ...]) -> End:
        earth = () if any(t.conductor == "PE" for t in terminals) else (self.inverter.earth,)
        return end(f"inverter-{i}", f"Inverter {i}", port, terminals, *earth)

    def box(self, body: str, label: str, role: str, port: str, amps: float, breaker: str | None = None) -> End:
        """A panel, switch or bus; live conductors on a breaker of its own when `breaker` names one."""
        terminals = self.catalogue.device(role, amps).terminals
        if breaker:
            live = self.catalogue.device(breaker, amps).terminals
            kept = {t.conductor for t in live}
            terminals = live + tuple(t for t in terminals if t.conductor not in kept)
        return end(body, label, port, terminals)


DC: tuple[Conductor, ...] = ("+", "−", "PE")
AC: tuple[Conductor, ...] = ("L1", "L2", "N", "PE")


def lay_out(plan: Plan, catalogue: Catalogue, inverter: Inverter, pack: Pack, bank: Bank, strings: list[StringDesign]) -> list[Circuit]:
    """Every circuit of a split-phase hybrid job, in the order they are numbered."""
    lay = _Layout(plan, catalogue, inverter, pack)
    _pv(lay, strings)
    _battery(lay, bank)
    _ac(lay)
    return lay.circuits


def _pv(lay: _Layout, strings: list[StringDesign]) -> None:
    taken: dict[tuple[int, str], int] = {}
    module = lay.catalogue.modules[lay.plan.kit.module]
    for s in strings:
        tracker = next((t for t in lay.inverter.trackers if t.id == s.tracker), None)
        if tracker is None or s.inverter > lay.plan.kit.inverters:
            continue
        pair = taken.get((s.inverter, s.tracker), 0)
        taken[s.inverter, s.tracker] = pair + 1
        if pair >= tracker.pairs:
            continue
        planned = next(p for p in lay.plan.strings if p.letter == s.letter)
        array = lay.catalogue.device("array", module.i_sc_a)
        i_mp = given("I", module.i_mp_a, "A", "Current at maximum power", "module sheet")
        v_mp = given("V_run", s.modules * module.v_mp_v, "V", "String voltage at maximum power", "module sheet")
        lay.add(
            s.key, "pv", f"String {s.letter}", end(f"array-{s.letter}", f"Array {s.letter}", "leads", array.terminals),
            lay.unit(s.inverter, f"PV {s.tracker}", tracker.terminals[2 * pair : 2 * pair + 2]), DC, s.i_max, v_mp, "none: two strings or fewer in parallel", 0,
            run=planned.run, ambient_c=lay.plan.site.t_roof_c, drop=i_mp,
        )  # fmt: skip


def _battery(lay: _Layout, bank: Bank) -> None:
    plan, pack, inverter = lay.plan, lay.pack, lay.inverter
    bus = lay.catalogue.device("dc-bus", bank.i_all.n)
    for i in range(1, plan.kit.packs + 1):
        own = given("I_n", pack.breaker_a, "A", "The pack's own breaker", "pack sheet")
        source = end(f"pack-{i}", f"Pack {i}", "posts", pack.terminals, pack.earth)
        lay.add(
            f"pack-{i}",
            "pack",
            f"Pack {i} to battery bus",
            source,
            end("dc-bus", "Battery bus", f"pack {i}", bus.terminals),
            DC,
            bank.i_pack,
            bank.v_nom,
            "pack's own breaker",
            pack.breaker_a,
            own=own,
        )
    for i in range(1, plan.kit.inverters + 1):
        source = lay.box("dc-bus", "Battery bus", "dc-bus", f"inverter {i}", 1.25 * bank.i_inverter.n, "dc-breaker")
        lay.add(
            f"battery-{i}",
            "battery",
            f"Battery bus to inverter {i}",
            source,
            lay.unit(i, "BAT", inverter.battery.terminals),
            DC,
            bank.i_inverter,
            bank.v_nom,
            inverter.battery.protection,
            inverter.battery.protection_max_a,
        )


def _ac(lay: _Layout) -> None:
    plan, inverter = lay.plan, lay.inverter
    count = plan.kit.inverters
    volts = given("V_run", inverter.voltage_v, "V", "Line to line", "inverter sheet")
    power = given("P", inverter.power_w, "W", "Inverter power", "inverter sheet")
    nominal = given("V", inverter.voltage_v, "V", "AC voltage", "inverter sheet")
    through = given("I_thru", inverter.pass_through_a, "A", "Pass-through", "inverter sheet")
    current = solve(
        "I",
        "A",
        "Continuous current",
        "max(P / V, I_thru)",
        power,
        nominal,
        through,
        source="inverter sheet",
        assumption="the port carries its pass-through as well as its output",
    )
    units = given("n_inv", count, "", "Inverters", "plan")
    together = solve("I_all", "A", "Continuous current, all inverters", "n_inv * I", units, current, source="sum")
    sides: tuple[tuple[Family, Family, str, str, str, str], ...] = (
        ("grid", "grid-feeder", "Main panel", "main-panel", "panel", "grid-combiner"),
        ("backup", "backup-feeder", "Transfer switch", "transfer-switch", "transfer-switch", "backup-combiner"),
    )
    for family, feeder, far, far_body, far_role, combiner in sides:
        port = inverter.grid if family == "grid" else inverter.backup
        amps, total = 1.25 * current.n, 1.25 * together.n
        direct = count == 1
        for i in range(1, count + 1):
            unit = lay.unit(i, family.upper(), port.terminals)
            box = lay.box(
                far_body if direct else combiner,
                far if direct else f"{family.capitalize()} combiner",
                far_role if direct else "panel",
                f"breaker {i}",
                amps,
                "ac-breaker",
            )
            ends = (box, unit) if family == "grid" else (unit, box)
            name = f"{box.label} to inverter {i}" if family == "grid" else f"Inverter {i} to {box.label[0].lower()}{box.label[1:]}"
            lay.add(f"{family}-{i}", family, name, *ends, AC, current, volts, port.protection, port.protection_max_a)
        if not direct:
            hub = lay.box(
                combiner, f"{family.capitalize()} combiner", "panel", "main lugs", total, None if family == "grid" else "ac-breaker"
            )
            house = lay.box(
                far_body,
                far,
                far_role,
                "back-fed breaker" if family == "grid" else "inverter side",
                total,
                "ac-breaker" if family == "grid" else None,
            )
            ends = (house, hub) if family == "grid" else (hub, house)
            names = f"{far} to grid combiner" if family == "grid" else f"Backup combiner to {far.lower()}"
            lay.add(feeder, feeder, names, *ends, AC, together, volts, port.protection, 800)
