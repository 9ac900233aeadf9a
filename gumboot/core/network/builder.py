"""The builder of a network: it knows plan and kit, numbers circuits, finds the terminals of each
end, and puts every node, wire, switch and source where it belongs.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any, Literal

from gumboot.core.basis.figure import Figure, given
from gumboot.core.basis.finding import Change, Cure, Finding, stop
from gumboot.core.basis.words import inside
from gumboot.core.codes import OutsideTable
from gumboot.core.kit import Catalogue, Controller, Device, Family, Gateway, Inverter, Pack, Port
from gumboot.core.kit.enclosure import Enclosure
from gumboot.core.kit.terminal import Block, Conductor, FactoryTermination, Terminal
from gumboot.core.kit.words import LINE_VOLTS, LINES, MAINS
from gumboot.core.network.circuit import (
    UNITY,
    Body,
    Circuit,
    DevicePlace,
    End,
    Guard,
    Role,
    SignalCable,
    end,
)
from gumboot.core.network.element import (
    Bond,
    Capacitor,
    Load,
    Node,
    Source,
    Switch,
    SwitchKind,
    System,
    Wire,
    Work,
)
from gumboot.core.network.guards import device_of, host, made_off, short, supply_of, through
from gumboot.core.network.house import house_supply
from gumboot.core.network.network import Network
from gumboot.core.plan import Plan, Run
from gumboot.core.size.bank import Bank, fault_current
from gumboot.core.size.strings import StringDesign, Taker, takers

DC_ROLES = ("dc-breaker", "dc-fuse", "dc-bus")
SYSTEM_OF: dict[str, System] = {"dc-bus": "dc", "pv-combiner": "pv"}
NO_CABLE = given("R_loop", 0.0, "Ω", "Cables", "left out: the most there can be")
ROLE_NAMES = {
    "ac-breaker": "AC breaker",
    "dc-breaker": "DC breaker",
    "dc-fuse": "DC fuse with holder",
    "dc-bus": "battery bus",
    "pv-combiner": "PV combiner",
    "pv-breaker": "two-pole DC breaker for a string",
    "panel": "panel",
    "transfer-switch": "transfer switch",
    "array": "set of array leads",
    "inlet": "generator inlet",
    "tap": "fused disconnect",
    "residual-current": "residual-current device",
    "surge": "surge protective device",
    "button": "emergency shutdown button",
    "disconnect": "outside disconnect",
    "electrode": "earth electrode's clamp",
}


class Builder:
    """A network being built."""

    def __init__(
        self,
        plan: Plan,
        catalogue: Catalogue,
        inverter: Inverter,
        pack: Pack | None,
        gateway: Gateway | None,
        bank: Bank | None,
        strings: list[StringDesign],
        through_a: float | None = None,
        controller: Controller | None = None,
    ) -> None:
        self.plan, self.catalogue, self.inverter = plan, catalogue, inverter
        self.pack, self.gateway, self.bank, self.strings = pack, gateway, bank, strings
        self.controller = controller
        self.takers: tuple[Taker, ...] = tuple(takers(plan, inverter, controller, pack))
        self.through_a = through_a  # what is keyed of the current through a unit
        self.bodies: dict[str, Body] = {}
        self.cases: dict[
            str, Enclosure
        ] = {}  # of boxes, by body: the largest that anything asked for
        self.devices: dict[str, Device] = {}  # the box chosen for a body
        self.circuits: list[Circuit] = []
        self.links: list[SignalCable] = []
        self.nodes: dict[str, Node] = {}
        self.wires: dict[str, Wire] = {}
        self.switches: dict[str, Switch] = {}
        self.sources: list[Source] = []
        self.loads: list[Load] = []
        self.bonds: list[Bond] = []
        self.capacitors: list[Capacitor] = []
        self.found: dict[str, Finding] = {}
        self.places: dict[str, DevicePlace] = {}
        house = house_supply(plan, inverter)
        self.supply = house if len(inverter.lines) == 1 else inverter.supply
        self.ac: tuple[Conductor, ...] = (*LINES[self.supply], "N", "PE")

    # bodies, nodes and what joins them

    def body(
        self,
        id: str,
        role: Role,
        label: str,
        *lines: str,
        terminations: tuple[FactoryTermination, ...] = (),
        bars: tuple[FactoryTermination, ...] = (),
    ) -> None:
        """Stand a body, once."""
        self.bodies.setdefault(
            id, Body(id, role, label, tuple(x for x in lines if x), terminations, bars)
        )

    def node(self, id: str, body: str, system: System, bar: bool = False) -> str:
        """A node, once."""
        self.nodes.setdefault(id, Node(id, body, system, bar))
        return id

    def join(self, a: str, b: str) -> None:
        """Metal inside a box between two of its nodes."""
        self.wires[f"{a}={b}"] = Wire(f"{a}={b}", a, b)

    def existing(self, id: str, a: str, b: str) -> None:
        """Wiring that is there already, unless its circuit is planned."""
        if not any(c.id == id for c in self.circuits):
            self.wires[id] = Wire(id, a, b, id, existing=True)

    def open_by(
        self,
        id: str,
        kind: SwitchKind,
        name: str,
        body: str,
        a: str,
        b: str,
        works: Work,
        poles: tuple[Conductor, ...],
        **more: Any,
    ) -> str:
        """A switch between two nodes, once; gives its key."""
        place = self.bodies[body].label if body else ""
        self.switches.setdefault(
            id,
            Switch(id, kind, name, body, place, a, b, poles, works, **more),
        )
        return id

    def poles(self, conductors: Iterable[Conductor] | None = None) -> tuple[Conductor, ...]:
        """What an AC breaker opens: every line; and neutral too where the book wants it opened."""
        rows = tuple(conductors or self.ac)
        both = self.plan.book.neutral_opened
        return tuple(c for c in rows if c != "PE" and (c != "N" or both))

    # ends

    def missing(self, role: str, amps: float, dc_v: float = 0.0) -> None:
        """Say, once for each role and size, that the shelf has no such device: none that carries so
        many A, or none for so many V of direct current.
        """
        fits = [
            d
            for d in self.catalogue.devices
            if d.role == role and d.serves(self.supply) and d.book in (self.plan.code, "any")
        ]
        name = ROLE_NAMES.get(role, role)
        held = [d for d in fits if not dc_v or d.volts_dc is None or d.volts_dc >= dc_v]
        most = max((d.up_to_a for d in held), default=None)
        volts = max((d.volts_dc or 0.0 for d in fits), default=0.0)
        largest = f"the largest is {most:g} A" if most else "it has none at all"
        if fits and not held:
            largest = f"those it has bear {volts:g} V"
        what = f"{amps:.4g} A" if amps else self.supply
        what += f" and {dc_v:.0f} V" if dc_v else ""
        article = "an" if name[0] in "aA" else "a"
        says = f"The shelf has no {name} for {what}: {largest}."
        self.found.setdefault(
            role,
            stop(
                f"kit.device.{role}",
                "plan",
                says,
                "catalogue",
                Cure(f"Enter {article} {name} for {what} on the shelf, or choose other equipment"),
            ),
        )

    def device(
        self,
        role: str,
        amps: float,
        supply: str = "",
        place: str = "",
        label: str = "",
        dc_v: float = 0.0,
        takes: str = "",
    ) -> Device | None:
        """What the crew chose for a place; else the smallest device of a role for so many amps,
        which takes a size where one does; None where the shelf has none, and said.
        """
        kind, book = supply or self.supply, self.plan.code
        dc_v = self.bank.v_max.n if self.bank and role in DC_ROLES else dc_v
        key = place_key(place)
        own = self.plan.devices.get(key)
        found = self.catalogue.named(own) if own else None
        if own and not self._suits(key, own, found, role, kind, amps, dc_v):
            found = None
        if found is None:
            found = self.catalogue.device(role, amps, kind, book, dc_v, takes=takes)
            own = None
        if found is None:
            self.missing(role, amps, dc_v)
        if key:
            place_of = DevicePlace(key, label, role, kind, amps, dc_v, found, own is not None)
            self.places.setdefault(key, place_of)
        return found

    def _suits(
        self,
        key: str,
        id: str,
        device: Device | None,
        role: str,
        supply: str,
        amps: float,
        dc_v: float,
    ) -> bool:
        """Whether a chosen device may stand at a place; what is wrong with it is said. One that is
        too small stands there all the same: it is what the crew has.
        """
        forget = Cure("Take the proposed one", (Change(f"/devices/{key}", None),))
        if device is None:
            says = f"The shelf has no “{id}”, which is chosen for {key.replace('.', ', ')}."
            self.found[f"device.{key}"] = stop(f"device.{key}", "plan", says, "catalogue", forget)
            return False
        wrong = ""
        if device.role != role:
            wrong = f"is a {ROLE_NAMES.get(device.role, device.role)}, not what stands there"
        elif not device.serves(supply):
            wrong = f"is made for {device.supply}"
        elif device.book not in (self.plan.code, "any"):
            wrong = f"is listed under another code book than {self.plan.book.name}"
        if wrong:
            says = f"{device.label} {wrong}."
            self.found[f"device.{key}"] = stop(f"device.{key}", "plan", says, "its plate", forget)
            return False
        if device.up_to_a < amps - 1e-9:
            wrong = f"carries {device.up_to_a:g} A; {amps:.4g} A is needed"
        elif not device.holds(supply):
            wrong = f"is good to {device.volts_ac:g} V AC; {LINE_VOLTS[supply]:g} V stand on it"
        elif dc_v and device.volts_dc is not None and device.volts_dc < dc_v:
            wrong = f"is good to {device.volts_dc:g} V DC; the bank reaches {dc_v:.4g} V"
        if wrong:
            says = f"{device.label} {wrong}."
            self.found[f"device.{key}"] = stop(f"device.{key}", "plan", says, "its plate", forget)
        return True

    def unit(
        self, i: int, port: str, terminals: tuple[Terminal, ...], node: str = "", line: str = ""
    ) -> End:
        """A port of inverter i; on a line of its own the terminal of its one line is that
        line's.
        """
        earth = () if any(t.conductor == "PE" for t in terminals) else (self.inverter.earth,)
        at = self.node(
            node or f"inverter-{i}/{port}",
            f"inverter-{i}",
            "ac" if any(t.conductor == "L1" for t in terminals) else "dc",
        )
        return end(
            f"inverter-{i}", self.unit_name(i), port, on_line(terminals, line), *earth, node=at
        )

    def controller_name(self, n: int) -> str:
        """What charge controller n is called."""
        many = self.plan.kit.controllers_fitted > 1
        return f"Charge controller {n}" if many else "Charge controller"

    def controller_end(self, n: int, port: str, terminals: tuple[Terminal, ...], node: str) -> End:
        """A side of charge controller n."""
        assert self.controller is not None  # noqa: S101 - only its own circuits ask
        body, earth = f"controller-{n}", self.controller.earth
        return end(body, self.controller_name(n), port, terminals, earth, node=node)

    def unit_name(self, i: int) -> str:
        """What inverter i is called."""
        return f"Inverter {i}" if self.plan.kit.inverters > 1 else "Inverter"

    def box(
        self,
        body: str,
        label: str,
        role: str,
        port: str,
        amps: float,
        breaker: str | None = None,
        works: Work = "grid",
        line: Literal["L1", "L2", "L3", ""] = "",
        hub: str = "",
        panel_a: float | None = None,
        dc_v: float = 0.0,
        takes: str = "",
    ) -> End:
        """A port of a panel, switch or bus: its lugs (the bar itself), or a breaker of its own when
        `breaker` names one. panel_a: what the box itself must be good for, where that is more;
        dc_v: the most volts in a box of strings; takes: a size that the breaker should take.
        """
        device = self.device(role, panel_a or amps, place=body, label=label, dc_v=dc_v)
        terminals = device.terminals if device else ()
        missing = device is None
        if device and device.up_to_a >= getattr(self.devices.get(body), "up_to_a", 0):
            self.devices[body] = device
        if device and device.enclosure:
            if device.enclosure.width >= self.cases.get(body, device.enclosure).width:
                self.cases[body] = device.enclosure
        system = SYSTEM_OF.get(role, "ac")
        bar = self.node(hub or body, body, system, bar=not hub)
        at = bar
        if breaker:
            supply = self.inverter.supply if line else self.supply
            own = self.device(
                breaker,
                amps,
                supply,
                place=f"{body}/{port}",
                label=f"{label}, {inside(port)}",
                dc_v=dc_v,
                takes=takes,
            )
            missing = missing or own is None
            live = on_line(own.terminals, line) if own else ()
            kept = {t.conductor for t in live}
            terminals = live + tuple(t for t in terminals if t.conductor not in kept)
            at = self.node(f"{body}/{port}", body, system)
            dc: dict[System, tuple[Conductor, ...]] = {"dc": ("+",), "pv": ("+", "−")}
            one: tuple[Conductor, ...] | None = (line, "N") if line else None
            self.open_by(
                f"{body}/{port}",
                "breaker",
                port if "breaker" in port or port == "main" else f"breaker of {port}",
                body,
                bar,
                at,
                works,
                dc.get(system) or self.poles(one),
                interrupt_a=own.interrupt_a if own else None,
            )
        return end(body, label, port, terminals, node=at, missing=missing)

    def good_for(self, amps: float) -> float:
        """What a device that carries a current for long is good for in A: 1.25 times it under the
        NEC, the current itself under the IEC.
        """
        return self.plan.book.continuous * amps

    def rating(self, id: str, amps: Figure, port: Port) -> float:
        """What a circuit's breaker will be rated in A: the crew's, the maker's, else the book's."""
        fitted = self.plan.fitted.get(id)
        if fitted and fitted.protection_a:
            return fitted.protection_a
        book = self.plan.book
        want = book.continuous * amps.n
        if port.protection_named_a and port.protection_named_a >= want - 1e-9:
            return port.protection_named_a
        try:
            return book.next_standard(want)
        except OutsideTable:
            return want

    # circuits

    def run(self, id: str, family: Family) -> Run | None:
        """Whether a circuit is planned: its own run, else its family's."""
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
        ambient_c: float | None = None,
        own: Figure | None = None,
        drop: Figure | None = None,
        named_a: float | None = None,
        upstream: tuple[str, ...] = (),
    ) -> None:
        """Add a circuit, numbered next, and its wire; the switch at its source end, else that at
        its load end, protects it.
        """
        wall = self.plan.site.t_wall_c if ambient_c is None else ambient_c
        self.circuits.append(
            Circuit(
                id=id,
                family=family,
                name=name,
                number=len(self.circuits) + 1,
                source=source,
                load=load,
                conductors=conductors,
                current=current,
                drop_current=drop or current,
                voltage=voltage,
                run=None,  # the wall says how long it is
                ambient_c=wall,
                protection=protection,
                own_protection=own,
                protection_max_a=most_a,
                protection_named_a=named_a,
                power_factor=UNITY if "N" in conductors else None,
                upstream=upstream,
                fault=fault_current(self.bank, NO_CABLE)
                if self.bank and "+" in conductors
                else None,
                phases_apart=MAINS[self.supply].wye and "N" in conductors,
            )
        )
        self.wires[id] = Wire(id, source.node, load.node, id)
        for e in (source, load):
            s = next((s for s in self.switches.values() if s.b == e.node and not s.protects), None)
            if s and s.kind not in ("contactor", "throw", "plug"):
                there = (run := self.run(id, family)) is not None and run.there
                named = place_key(s.id) in self.plan.devices  # else nobody knows what breaks there
                breaks = s.interrupt_a if named or not there else None
                self.switches[s.id] = replace(s, protects=id, interrupt_a=breaks)
                break

    # what a body is described by

    def block(self, b: Body) -> Block | None:
        """The terminal block of a body, where the catalogue describes one."""
        own = {"inverter": self.inverter, "pack": self.pack, "controller": self.controller}
        unit = own.get(b.role) or (self.gateway if b.id == "gateway" else None)
        return unit.block if unit else None

    def cover(self, b: Body) -> FactoryTermination | None:
        """The cover of a body, where the catalogue says how tight it is."""
        own = {"inverter": self.inverter, "controller": self.controller}
        unit = own.get(b.role) or (self.gateway if b.id == "gateway" else None)
        return unit.cover if unit else None

    def guards(self) -> tuple[Guard, ...]:
        """Every safeguard of the plan where it stands; a device that does not serve is said."""
        plan, circuits = self.plan, {c.id: c for c in self.circuits}
        out: list[Guard] = []
        for n, s in enumerate(plan.safeguards):
            supply = supply_of(s, self.supply, self.inverter.supply, circuits)
            amps = through(s, plan, circuits)
            device, wrong = device_of(plan, n, self.catalogue, supply, amps)
            if wrong:
                self.found[wrong.key] = wrong
            at = host(s, self.bodies, circuits)
            looped = any("shutdown" in p.serves for p in self.inverter.signals)
            led = s.kind == "emergency shutdown" and looped  # its contacts are ends of that lead
            screws = () if led else tuple(made_off(n + 1, s, device))
            out.append(Guard(n + 1, at, short(s), amps, device, screws))
        return tuple(out)

    def done(self) -> Network:
        """The network as built."""
        guards = self.guards()
        bodies = tuple(
            replace(
                b,
                safeguards=tuple((g.n, g.says) for g in guards if g.body == b.id),
                guards=tuple(x for g in guards if g.body == b.id for x in g.screws),
                enclosure=self.cases.get(b.id),
                block=self.block(b),
                cover=self.cover(b),
                device=self.devices.get(b.id),
            )
            for b in self.bodies.values()
        )
        return Network(
            bodies,
            tuple(self.circuits),
            tuple(self.links),
            self.nodes,
            tuple(self.wires.values()),
            tuple(self.switches.values()),
            tuple(self.sources),
            tuple(self.loads),
            tuple(self.bonds),
            tuple(self.capacitors),
            tuple(self.found.values()),
            tuple(self.places.values()),
            guards,
        )


def place_key(place: str) -> str:
    """The key of a place for a device, as the plan keeps it: "main-panel.breaker-1"."""
    return place.replace("/", ".").replace(" ", "-")


def on_line(terminals: tuple[Terminal, ...], line: str) -> tuple[Terminal, ...]:
    """Terminals of a single-phase device on a line of a three-phase house."""
    if not line or line == "L1":
        return terminals
    return tuple(
        t.model_copy(update={"conductor": line}) if t.conductor == "L1" else t for t in terminals
    )
