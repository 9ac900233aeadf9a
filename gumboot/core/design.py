"""design(plan, catalogue) -> Design: everything that follows from the plan.

Pure: no clock, no chance, no files. It never raises on a poor plan; what cannot be computed becomes
a finding.
It raises BrokenCatalogue only when the catalogue itself cannot serve.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from gumboot.core.basis.figure import Figure
from gumboot.core.basis.finding import Change, Cure, Finding, Level, check, ordered, stop
from gumboot.core.basis.sizes import area_mm2
from gumboot.core.brief.loads import (
    Board,
    Charging,
    board_findings,
    design_board,
    design_charging,
    generator_findings,
)
from gumboot.core.brief.survey import survey_findings
from gumboot.core.codes import iec
from gumboot.core.energy.tariff import tariff_findings
from gumboot.core.kit import Catalogue, Gateway, Inverter, Pack
from gumboot.core.land import Termination, list_terminations, termination_findings
from gumboot.core.network import Body, Thin, lay_out
from gumboot.core.network.layout import Layout
from gumboot.core.plan import Fitted, Plan
from gumboot.core.set.settings import Job, Setting, fill_menu
from gumboot.core.size.bank import Bank, bank_findings, class_findings, design_bank
from gumboot.core.size.conductors import (
    RULES,
    Sized,
    places,
    school_findings,
    size_circuit,
    size_findings,
)
from gumboot.core.size.derating import derated, derating_findings
from gumboot.core.size.disconnects import Disconnect, disconnect_findings, list_disconnects
from gumboot.core.size.earthing import (
    Bonds,
    bond_findings,
    bonds_of,
    meeting_findings,
    shutdown_findings,
)
from gumboot.core.size.faults import Loop, dc_fault, loop_findings
from gumboot.core.size.inrush import Inrush, design_inrush, inrush_findings, peak_findings
from gumboot.core.size.raceways import Raceway, lay_raceways
from gumboot.core.size.sharing import Sharing, one_way_ohm, share_out
from gumboot.core.size.strings import StringDesign, design_string, design_trackers
from gumboot.core.size.supply import (
    Bus,
    bus_findings,
    design_bus,
    electrode,
    service_limit,
    supply_findings,
)
from gumboot.core.wall import Box, OnWall, boxes, hang, wall_findings, with_routes


@dataclass(frozen=True, eq=False)
class Design:
    """All that follows from one plan. Empty chapters mean a stop says why.

    Hashed by identity: what is drawn from a design can be remembered for it.
    """

    plan: Plan
    findings: tuple[Finding, ...]
    inverter: Inverter | None = None
    pack: Pack | None = None
    gateway: Gateway | None = None
    strings: tuple[StringDesign, ...] = ()
    bank: Bank | None = None
    bus: Bus | None = None
    bonds: Bonds | None = None
    fault: Figure | None = None
    sharing: Sharing | None = None
    inrush: Inrush | None = None
    loops: tuple[Loop, ...] = ()
    bodies: tuple[Body, ...] = ()
    links: tuple[Thin, ...] = ()
    circuits: tuple[Sized, ...] = ()
    unsized: tuple[tuple[str, str], ...] = ()
    raceways: tuple[Raceway, ...] = ()
    gec: Figure | None = None
    bonding: Figure | None = None
    disconnects: tuple[Disconnect, ...] = ()
    terminations: tuple[Termination, ...] = ()
    settings: tuple[Setting, ...] = ()
    board: Board | None = None
    charging: Charging | None = None
    boxes: tuple[Box, ...] = ()
    walls: tuple[OnWall, ...] = ()
    hot: Figure | None = None

    def count(self, level: Level) -> int:
        """How many findings of a level."""
        return sum(f.level == level for f in self.findings)

    @cached_property
    def figures(self) -> dict[str, Figure]:
        """Every figure that a page shows, by its key: "battery-1.permitted"."""
        return dict(_figures(self))


def _figures(d: Design) -> Iterator[tuple[str, Figure]]:
    for s in d.strings:
        yield from (
            (f"{s.key}.{name}", getattr(s, name))
            for name in ("v_oc_cold", "v_mp_hot", "v_oc_hot", "i_max", "power")
        )
        if s.fuse:
            yield f"{s.key}.fuse", s.fuse
    if d.bank:
        yield from (
            (f"bank.{name}", getattr(d.bank, name))
            for name in (
                "v_nom",
                "v_max",
                "v_min",
                "v_low",
                "i_inverter",
                "i_all",
                "i_bank",
                "i_pack",
                "c_rate",
                "energy",
            )
        )
    if d.fault:
        yield "bank.fault", d.fault
    if d.sharing:
        yield "bank.share", d.sharing.most
    if d.inrush:
        yield "bank.inrush", d.inrush.bare
        yield "bank.precharge", d.inrush.wait
    if d.bus:
        yield from (
            (f"bus.{name}", getattr(d.bus, name)) for name in ("output", "used_120", "allowed_120")
        )
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
    for x in d.loops:
        if x.grid:
            yield f"{x.circuit}.loop", x.grid
        yield f"{x.circuit}.loop_limit", x.limit
        yield f"{x.circuit}.trip", x.trip
        if x.islanded:
            yield f"{x.circuit}.islanded", x.islanded
    for r in d.raceways:
        yield f"{r.circuits[0]}.fill", r.area
        yield f"{r.circuits[0]}.raceway", r.conduit
        if r.trough:
            yield f"{r.circuits[0]}.trough", r.trough
    if d.gec:
        yield "main-panel.gec", d.gec
    if d.bonding:
        yield "main-panel.bonding", d.bonding
    for t in d.terminations:
        if t.torque:
            yield f"{t.key}.torque", t.torque
    yield from ((f"set.{s.id}", s.figure) for s in d.settings if s.figure)
    if d.board:
        yield from _board_figures(d.board)
    if d.hot:
        yield "inverter-1.hot", d.hot
    for w in d.walls:
        yield from _wall_figures(w)
    if d.charging:
        yield from (
            (f"generator.{k}", f)
            for k in ("power", "charger", "need", "hours")
            if (f := getattr(d.charging, k))
        )


def _wall_figures(w: OnWall) -> Iterator[tuple[str, Figure]]:
    yield from ((f"way.{r.want.id}", r.length) for r in w.routes)
    for h in w.held:
        yield from (
            (f"hold.{h.box}.{k}", f) for k in ("factor", "pull", "shear") if (f := getattr(h, k))
        )
    for x in w.lifts:
        yield f"lift.{x.box}.{x.what}", x.index


def _board_figures(b: Board) -> Iterator[tuple[str, Figure]]:
    for leg in (b.total, *b.legs):
        yield from (
            (f"board.{leg.name}.{k}", f)
            for k in ("at_once", "running", "start", "continuous", "surge")
            if (f := getattr(leg, k))
        )
    for leg, amps in zip(b.legs, b.house, strict=True):
        yield f"board.{leg.name}.amps", amps
    yield from (
        (f"board.{k}", f)
        for k in ("e_day", "e_night", "nights", "pass_through")
        if (f := getattr(b, k))
    )
    yield from ((f"load.{k}.starting", f) for k, f in b.starting.items())


def design(plan: Plan, catalogue: Catalogue) -> Design:
    """Everything that follows from a plan: strings, bank, bus, circuits, terminations, settings and
    findings.
    """
    found = survey_findings(plan)
    missing = kit_findings(plan, catalogue)
    found += missing
    if missing:
        return Design(plan, ordered(found))
    inverter, gateway = (
        catalogue.inverters[plan.kit.inverter],
        catalogue.gateways.get(plan.kit.gateway or ""),
    )
    pack = catalogue.packs.get(inverter.pack_inside or plan.kit.pack or "")
    module = catalogue.modules.get(plan.kit.module or "")
    strings: list[StringDesign] = []
    for i, s in enumerate(plan.strings if module else ()):
        one, faults = design_string(s, i, plan, inverter, module) if module else (None, [])
        strings += [one] if one else []
        found += faults
    found += design_trackers(plan, inverter, module)
    found += unit_findings(plan, inverter) + supply_findings(plan, inverter, gateway)
    bank = (
        design_bank(plan, inverter, pack)
        if pack and (plan.kit.packs or inverter.pack_inside)
        else None
    )
    mismatch = class_findings(plan, bank, inverter, pack) if bank and pack else []
    found += mismatch + (
        bank_findings(plan, bank, inverter, pack) if bank and pack and not mismatch else []
    )
    bus = design_bus(plan, inverter)
    found += bus_findings(plan, bus) + service_limit(plan, inverter)[1]
    bonds = bonds_of(plan, gateway)
    found += (
        bond_findings(plan, inverter, gateway)
        + meeting_findings(plan, inverter, gateway)
        + shutdown_findings(plan)
    )
    if mismatch or any(f.key in ("supply.kind", "gateway.supply", "code.supply") for f in found):
        return Design(
            plan, ordered(found), inverter, pack, gateway, tuple(strings), bank, bus, bonds
        )
    laid = lay_out(Layout(plan, catalogue, inverter, pack, gateway, bank, strings))
    every = boxes(plan, laid.bodies, inverter, pack, gateway)
    walls = hang(plan, every, laid.circuits, laid.links, catalogue)
    circuits = with_routes(laid.circuits, {r.want.id: r for w in walls for r in w.routes}, plan)
    rules = RULES[plan.code]
    where = places(circuits, rules)
    sized: list[Sized] = []
    unsized: list[tuple[str, str]] = []
    for circuit in circuits:
        one_sized, faults = size_circuit(circuit, where.get(circuit.id), catalogue, plan, rules)
        found += faults
        if one_sized is None:
            unsized.append((circuit.id, circuit.name))
            continue
        sized.append(one_sized)
        limit = (
            inverter.battery.length_max_m
            if inverter.battery and circuit.family == "battery"
            else None
        )
        found += size_findings(one_sized, plan.fitted.get(circuit.id, Fitted()), limit)
        found += school_findings(one_sized, inverter.battery.named_size if inverter.battery else "")
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
    fault, faults = dc_fault(plan, catalogue, pack, sized, bank) if pack and bank else (None, [])
    sharing, faults_of_share = share_out(plan, bank, pack, sized) if pack and bank else (None, [])
    inrush = design_inrush(bank, inverter, pack, _battery_loop(sized)) if pack and bank else None
    found += (
        faults_of_share
        + inrush_findings(inrush)
        + (peak_findings(plan, bank, inverter, pack) if pack and bank else [])
    )
    loops, slow = loop_findings(sized, plan, inverter)
    found += faults + slow
    raceways, faults = lay_raceways(sized)
    found += faults
    disconnects = list_disconnects(sized, laid.bodies, plan)
    found += disconnect_findings(disconnects, plan)
    terminations = list_terminations(
        sized,
        laid.bodies,
        laid.links,
        catalogue,
        plan,
        inverter,
        electrode(plan) or bonding_of(sized, plan),
    )
    found += termination_findings(terminations, sized, plan, inverter, catalogue)
    settings, faults = fill_menu(Job(plan, inverter, pack, bank, sized))
    found += faults
    board = design_board(plan, inverter, gateway, sized, bank.energy if bank else None)
    charging = design_charging(plan, inverter, bank, board, settings)
    found += board_findings(plan, board, inverter) + generator_findings(
        plan, inverter, charging, settings
    )
    found += tariff_findings(plan.energy.tariff)
    found += wall_findings(walls, every, raceways, catalogue) + derating_findings(
        plan, inverter, derated(inverter, plan)
    )
    return Design(
        plan,
        ordered(found),
        inverter,
        pack,
        gateway,
        tuple(strings),
        bank,
        bus,
        bonds,
        fault,
        sharing,
        inrush,
        loops,
        laid.bodies,
        laid.links,
        tuple(sized),
        tuple(unsized),
        raceways,
        electrode(plan),
        bonding_of(sized, plan),
        disconnects,
        terminations,
        tuple(settings),
        board,
        charging,
        every,
        walls,
        derated(inverter, plan),
    )


def bonding_of(sized: list[Sized], plan: Plan) -> Figure | None:
    """Main protective bonding under the IEC, by the largest protective conductor of the job."""
    earths = [str(s.egc.value) for s in sized if s.circuit.power_factor]
    return (
        iec.main_bonding(max(earths, key=area_mm2)) if plan.code == "iec-60364" and earths else None
    )


def _battery_loop(sized: list[Sized]) -> float | None:
    """Out and back through the first inverter's battery cable and the first pack's, in Ω."""
    rows = [next((s for s in sized if s.circuit.family == f), None) for f in ("battery", "pack")]
    return sum(2 * one_way_ohm(s) for s in rows if s) or None


def kit_findings(plan: Plan, catalogue: Catalogue) -> list[Finding]:
    """Kit the catalogue does not have, or that is wanted and not chosen."""
    found: list[Finding] = []
    inverter = catalogue.inverters.get(plan.kit.inverter)
    shelves = (
        ("inverter", catalogue.inverters),
        ("pack", catalogue.packs),
        ("module", catalogue.modules),
        ("gateway", catalogue.gateways),
    )
    for field, shelf in shelves:
        wanted = getattr(plan.kit, field)
        needed = (field == "pack" and inverter and not inverter.pack_inside) or (
            field == "module" and plan.strings
        )
        if wanted in shelf or (wanted is None and not needed):
            continue
        known = ", ".join(sorted(shelf)) or f"the catalogue has no {field}"
        article = "an" if field == "inverter" else "a"
        says = (
            f"“{wanted}” is not {article} {field} of the catalogue."
            if wanted
            else f"No {field} is chosen."
        )
        cures = tuple(
            Cure(f"Choose {shelf[k].maker} {shelf[k].model}", (Change(f"/kit/{field}", k),))
            for k in sorted(shelf)[:1]
        )
        found.append(
            stop(
                f"kit.{field}",
                f"kit-{field}",
                says,
                "catalogue",
                *cures,
                Cure(f"Choose one of: {known}"),
            )
        )
    if inverter and not inverter.pack_inside and plan.kit.pack and plan.kit.packs == 0:
        found.append(
            stop(
                "kit.packs",
                "bank",
                "No pack is planned.",
                "plan",
                Cure("Plan one", (Change("/kit/packs", 1),)),
            )
        )
    return found


def unit_findings(plan: Plan, inverter: Inverter) -> list[Finding]:
    """How many may stand in parallel; strings on a unit that takes none; packs on one with no
    battery port.
    """
    found: list[Finding] = []
    if plan.kit.inverters > inverter.units_max:
        says = (
            f"{plan.kit.inverters} inverters in parallel; {inverter.model} allows"
            f" {inverter.units_max}."
        )
        found.append(
            stop(
                "kit.inverters",
                "inverter-1",
                says,
                "inverter sheet",
                Cure(f"Plan {inverter.units_max}", (Change("/kit/inverters", inverter.units_max),)),
            )
        )
    if (
        inverter.pack_inside
        and plan.kit.packs
        and (inverter.battery is None or plan.kit.pack not in (None, inverter.pack_inside))
    ):
        says = f"{inverter.model} has its pack inside and takes no other."
        found.append(
            stop(
                "kit.inside",
                "bank",
                says,
                "inverter sheet",
                Cure("Plan no packs beside it", (Change("/kit/packs", 0),)),
            )
        )
    if plan.strings and not inverter.trackers:
        says = f"{inverter.model} has no PV input: its strings belong on a PV inverter."
        found.append(
            stop(
                "strings.none-taken",
                "array",
                says,
                "inverter sheet",
                Cure("Take the strings out in Brief, and name the PV inverter there"),
            )
        )
    return found
