"""The chapter of Link: leads, buses, addresses, steps; and what is wrong with them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given
from gumboot.core.basis.finding import Change, Cure, Finding, check, note, stop
from gumboot.core.brief.chapters import KIT, Chosen, chosen
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.kit import ANGLES, Catalogue, Inverter, Meter, Pack, SignalPort
from gumboot.core.link.address import Bank, Setting, banks_of, inside, others
from gumboot.core.link.bus import BusPlan, buses_of, longest_stub
from gumboot.core.link.leads import Lead, leads_of, tight
from gumboot.core.link.steps import steps_of
from gumboot.core.network import Network, SignalCable
from gumboot.core.network.chapters import NETWORK
from gumboot.core.network.links import ports, speaking
from gumboot.core.network.service import FEEDER
from gumboot.core.plan import Plan
from gumboot.core.size.sub_board import on_sub_board
from gumboot.core.walk.step import Step
from gumboot.core.wall.chapters import HUNG

UNIT_SHEET, PACK_SHEET = "inverter sheet", "pack sheet"


@dataclass(frozen=True, eq=False)
class Harness:
    """Every lead, bus, bank and switch of a job; what is at hand before the day; the steps.
    transformers: whether there are current transformers to test.
    """

    leads: tuple[Lead, ...]
    buses: tuple[BusPlan, ...]
    banks: tuple[Bank, ...]
    others: tuple[Setting, ...]
    labels: dict[str, str]
    makers: tuple[str, ...] = ()
    firmware: tuple[str, ...] = ()
    network: str = ""
    addresses: tuple[tuple[str, str], ...] = ()
    transformers: bool = False
    found: tuple[Finding, ...] = ()

    @cached_property
    def steps(self) -> tuple[Step, ...]:
        """The walk."""
        return steps_of(self)

    @property
    def protocols(self) -> tuple[str, ...]:
        """What is spoken on this job."""
        return tuple(dict.fromkeys(x.cable.protocol for x in self.leads if x.cable.protocol))

    @property
    def settings(self) -> tuple[Setting, ...]:
        """Every row of switches."""
        return (*(s for b in self.banks for s in b.settings), *self.others)

    def lead(self, id: str) -> Lead | None:
        """A lead by its key."""
        return next((x for x in self.leads if x.id == id), None)

    def step(self, key: str) -> Step | None:
        """A step by its key."""
        return next((s for s in self.steps if s.key == key), None)


def _to_service(plan: Plan, links: Iterable[SignalCable]) -> dict[str, Figure]:
    """What goes from a sub-board on to the service is at least as long as its feeder."""
    run = plan.runs.get(FEEDER)
    if run is None or not on_sub_board(plan):
        return {}
    name = "At least as far as the feeder of the sub-board"
    far = given("L", run.length_m, "m", name, "brief")
    return {x.id: far for x in links if x.load == "main-panel" and x.source != "main-panel"}


def _harness(d: Draft) -> Harness:
    plan, network, kit = d.plan, d[NETWORK], chosen(d)
    routed = {r.want.id: r.length for w in d[HUNG] for r in w.routes}
    lengths = {**_to_service(plan, network.links), **routed}
    labels = {b.id: b.label for b in network.bodies}
    meter = d.catalogue.meters.get(plan.kit.meter or "")
    signals = signals_of(network, kit, meter)
    leads = leads_of(network.links, lengths, labels, signals)
    buses = buses_of(leads, signals)
    labels |= inside(kit.pack, network.bodies, plan.kit.packs)
    banks = banks_of(kit.pack, network.links, labels, buses)
    rows = others(kit.inverter, meter, network.bodies, network.links, buses)
    made = [kit.inverter, kit.controller, kit.pack, kit.gateway]
    makers = dict.fromkeys(e.maker for e in made if e is not None)
    firmware = dict.fromkeys(
        f"{e.maker} {e.model}"
        for e in (kit.inverter, kit.controller, kit.pack)
        if e is not None and e.signals
    )
    direct = meter is not None and meter.through == "itself"
    measured = any(
        x.cable.serves == "CT" or (x.cable.serves == "meter" and not direct) for x in leads
    )
    h = Harness(
        leads,
        buses,
        banks,
        rows,
        labels,
        tuple(makers) if leads else (),
        tuple(firmware) if leads else (),
        plan.linking.network,
        tuple(plan.linking.addresses.items()),
        measured and plan.supply.kind in ANGLES,
    )
    found = link_findings(h, plan, kit, meter, d.catalogue)
    return replace(h, found=tuple(found))


def signals_of(
    network: Network, kit: Chosen, meter: Meter | None
) -> dict[str, tuple[SignalPort, ...]]:
    """The signal ports of every body."""
    by_role = {"inverter": kit.inverter.signals, "pack": kit.pack.signals if kit.pack else ()}
    out = {b.id: by_role.get(b.role, ()) for b in network.bodies}
    if kit.controller:
        own = (b.id for b in network.bodies if b.role == "controller")
        out |= dict.fromkeys(own, kit.controller.signals)
    if kit.gateway:
        out["gateway"] = kit.gateway.signals
    if meter:
        out["main-panel"] = meter.signals
    return out


def link_findings(
    h: Harness, plan: Plan, kit: Chosen, meter: Meter | None, shelf: Catalogue
) -> Iterator[Finding]:
    """What keeps the boxes from talking."""
    yield from _spoken(plan, kit.inverter, kit.pack, shelf)
    yield from _met(plan, kit.inverter, meter, shelf)
    loops = [x for x in h.leads if x.cable.serves == "shutdown"]
    told = any(x.there.plug and x.there.plug.pins for x in loops)  # a sheet shows its contacts
    for x in h.leads:
        yield from lead_findings(x, told)
    yield from _enabled(h.leads)
    for b in h.buses:
        yield from bus_findings(b)
    yield from address_findings(h)
    yield from network_findings(plan, h.labels)


def _spoken(plan: Plan, unit: Inverter, pack: Pack | None, shelf: Catalogue) -> Iterator[Finding]:
    """Unit and pack know one protocol on one bus; else what would."""
    if pack is None or pack.link == "none" or unit.pack_inside:
        return
    ours, theirs = ports(unit.signals, "BMS"), ports(pack.signals, "BMS")
    if not ours or not theirs or speaking(ours, theirs):
        return
    says = _strangers(f"{unit.maker} {unit.model}", f"{pack.maker} {pack.model}", ours, theirs)
    others_ = [
        p
        for p in shelf.packs.values()
        if p.chemistry == pack.chemistry
        and p.form == pack.form
        and (both := ports(p.signals, "BMS"))
        and speaking(ours, both)
    ]
    alike = sorted(others_, key=lambda p: (abs(p.v_nom - pack.v_nom), p.id))[:2]
    cures = [Cure(f"Choose {p.maker} {p.model}", (Change("/kit/pack", p.id),)) for p in alike]
    ask = Cure("Enter the protocol on the shelf, if a newer sheet or firmware of one has it")
    yield stop("link.protocol", "pack-1", says, PACK_SHEET, *cures, ask)


def _met(plan: Plan, unit: Inverter, meter: Meter | None, shelf: Catalogue) -> Iterator[Finding]:
    """Unit and chosen meter know one protocol on one bus."""
    if meter is None:
        return
    ours, theirs = ports(unit.signals, "meter"), ports(meter.signals, "meter")
    if not ours or not theirs or speaking(ours, theirs):
        return
    says = _strangers(f"{unit.maker} {unit.model}", f"{meter.maker} {meter.model}", ours, theirs)
    fits = [
        m
        for m in shelf.meters.values()
        if m.lines >= meter.lines and speaking(ours, ports(m.signals, "meter"))
    ]
    cures = [Cure(f"Choose {m.maker} {m.model}", (Change("/kit/meter", m.id),)) for m in fits[:1]]
    none = Cure("Choose none: the unit's own meter serves", (Change("/kit/meter", None),))
    yield stop("link.meter", "main-panel", says, UNIT_SHEET, *cures, none)


def _strangers(one: str, other: str, ours: list[SignalPort], theirs: list[SignalPort]) -> str:
    """Why two devices cannot speak: no protocol in common, or none on one bus at one bit rate."""
    know, speak = ({x for p in some for x in p.protocols} for some in (ours, theirs))
    if know & speak or not know or not speak:
        both = f" both know {', '.join(sorted(know & speak))}, but" if know & speak else ""
        return (
            f"{one} and {other}{both or ' speak'} not on one bus at one bit rate:"
            f" {_buses(ours)} here, {_buses(theirs)} there."
        )
    here, there = (", ".join(sorted(x)) for x in (know, speak))
    return f"{one} and {other} know no protocol in common: {here} here, {there} there."


def _buses(some: Iterable[SignalPort]) -> str:
    rates = (
        f"{b}{f' {p.bit_rate / 1000:g} kbit/s' if p.bit_rate else ''}"
        for p in some
        for b in p.buses
    )
    return ", ".join(dict.fromkeys(rates)) or "pins its sheet does not show"


def lead_findings(x: Lead, contacts: bool) -> Iterator[Finding]:
    """A lead whose pins are not known, that is too long, that finds no contact left, or no room in
    its clamps. contacts: whether a sheet shows those of the shutdown's button.
    """
    place = f"lead/{x.id}"
    silent = [s for s in (x.here, x.there) if s.plug is None or not s.plug.pins]
    if x.cable.serves == "shutdown" and silent and contacts:
        says = (
            f"{x.name}: no contact is left for {x.here.label}. Each unit's loop opens a contact of"
            " its own; two on one contact would feed each other."
        )
        cure = Cure("Choose or enter a button of as many contacts as there are units")
        yield stop(f"link.contact.{x.id}", place, says, COMMON_PRACTICE, cure)
    elif silent:
        names = " and ".join(s.label for s in silent)
        says = f"{x.name}: the pins at {names} are on no sheet. Make it by the maker's manual."
        cure = Cure("Enter the port and its pins on the shelf")
        yield note(f"link.pins.{x.id}", place, says, "maker's sheet", cure)
    if full := tight(x):
        says = (
            f"{x.name}: clamp {' and '.join(full)} takes one wire by its sheet, and two meet there."
        )
        cure = Cure("Use a twin ferrule that the clamp is made for, or join them before the plug")
        yield check(f"link.tight.{x.id}", place, says, "maker's sheet", cure)
    most = [s.port.lead_most_m for s in (x.here, x.there) if s.port and s.port.lead_most_m]
    if most and x.length and x.length.n > min(most) + 1e-9:
        says = f"{x.name} is {x.length.text} long; its maker allows {min(most):g} m."
        cure = Cure("Move the boxes nearer to each other, or lead it another way")
        yield check(f"link.long.{x.id}", place, says, UNIT_SHEET, cure, figures=(x.length,))
    least = [s.port.supply_least_v for s in (x.here, x.there) if s.port and s.port.supply_least_v]
    if x.volts is not None and least and x.volts.n < min(least):
        says = f"{x.name}: {x.volts.text} are left at its end; {min(least):g} V are needed there."
        cure = Cure("Use thicker wire, or a shorter way")
        yield check(f"link.volts.{x.id}", place, says, UNIT_SHEET, cure, figures=(x.volts,))


def _enabled(leads: tuple[Lead, ...]) -> Iterator[Finding]:
    """Packs that want an enable pair, at a unit that has none; said once for all banks."""
    for x in leads:
        missed = [f for f in x.cable.unmet[0] if f.startswith(("enable", "wake", "12 V"))]
        if missed and x.cable.serves == "BMS":
            says = (
                f"{x.name}: {x.here.label} has {' and '.join(missed)}, and {x.there.label} nothing"
                " that meets it. Packs with an enable pair stay asleep until it is closed."
            )
            cure = Cure("Close it as the pack's manual says, or enter the unit's pins on the shelf")
            yield check(f"link.enable.{x.id}", f"lead/{x.id}", says, PACK_SHEET, cure)
            return


def bus_findings(b: BusPlan) -> Iterator[Finding]:
    """A bus that is no line, too long, or terminated in the middle for good."""
    place, names = f"bus/{b.key}", ", ".join(s.label for s in b.stations)
    if b.star:
        at = next((s.label for s in b.stations if s.body == b.star), b.star)
        stub = f"{longest_stub(b.bit_rate):.2g} m"
        says = (
            f"The {b.name} branches at {at}: a bus is a line from one end to the other. A lead"
            f" beside it may be {stub} long at its bit rate."
        )
        cure = Cure("Choose devices that pass the bus on, or lead it through them in turn")
        yield stop(f"link.star.{b.key}", place, says, COMMON_PRACTICE, cure)
    if b.ring:
        says = f"The {b.name} closes on itself ({names}): leave one lead out."
        yield stop(f"link.ring.{b.key}", place, says, COMMON_PRACTICE, Cure("Leave one lead out"))
    if b.most_m and b.length_m and b.length_m > b.most_m:
        rate = f"{(b.bit_rate or 0) / 1000:g} kbit/s"
        says = f"The {b.name} is {b.length_m:.4g} m long; at {rate} it may be {b.most_m:g} m."
        cure = Cure("Move its boxes nearer to each other")
        rule = "CiA 102 (from memory)" if b.kind == "CAN" else "TIA-485 (from memory)"
        yield stop(f"link.length.{b.key}", place, says, rule, cure)
    for s in b.misplaced:
        ends = f"{b.stations[0].label} and {b.stations[-1].label}"
        says = (
            f"{s.label} has a terminator that cannot be taken out, and stands in the middle of the"
            f" {b.name}; the ends are {ends}."
        )
        cure = Cure("Lead the bus so that it stands at an end")
        yield check(f"link.middle.{b.key}.{s.body}", place, says, COMMON_PRACTICE, cure)


def address_findings(h: Harness) -> Iterator[Finding]:
    """Switches that cannot say an address, and two that say the same."""
    for bank in h.banks:
        rows = [s for s in bank.settings if s.sets == "address"]
        cannot = [s for s in rows if s.row and not s.pattern]
        if cannot:
            says = (
                f"{cannot[0].label}: {cannot[0].way}: {cannot[0].means}. {len(rows)} packs stand in"
                " this bank."
            )
            cure = Cure("Plan fewer packs in one bank, or packs with more addresses")
            yield stop(f"link.address.{cannot[0].body}", cannot[0].body, says, PACK_SHEET, cure)
        seen: dict[str, Setting] = {}
        for s in rows:
            if s.pattern and s.pattern in seen:
                says = f"{seen[s.pattern].label} and {s.label} have switches that stand alike."
                cure = Cure("Enter the patterns of its switches anew on the shelf")
                yield stop(f"link.twice.{s.body}", s.body, says, PACK_SHEET, cure)
            seen.setdefault(s.pattern, s)
    yield from shared_addresses(h)


def shared_addresses(h: Harness) -> Iterator[Finding]:
    """A pack and a meter of one address on one pair: neither is understood."""
    for b in h.buses:
        if b.kind != "RS-485":
            continue
        on = {s.body for s in b.stations}
        at: dict[str, Setting] = {}
        for s in h.settings:
            if s.body not in on or not s.means.startswith("address "):
                continue
            if s.means in at and at[s.means].body != s.body:
                says = f"{at[s.means].label} and {s.label} have {s.means} on one pair, {b.name}."
                cure = Cure("Give the meter another address, on the shelf and by its switches")
                yield stop(f"link.shared.{s.body}", s.body, says, COMMON_PRACTICE, cure)
            at.setdefault(s.means, s)


def network_findings(plan: Plan, labels: dict[str, str]) -> Iterator[Finding]:
    """Fixed addresses that collide, or lie on another network than the router."""
    wish = plan.linking
    seen: dict[str, str] = {}
    for key, address in wish.addresses.items():
        device = labels.get(key, key)
        other = seen.get(address) or ("the router" if address == wish.router else "")
        if other:
            says = f"{device} and {other} have one address, {address}."
            away = Change(f"/linking/addresses/{key}", None)
            cure = Cure(f"Leave the address of {device} to the router", (away,))
            yield stop(f"link.ip.{key}", "network", says, COMMON_PRACTICE, cure)
        elif wish.router and address.rsplit(".", 1)[0] != wish.router.rsplit(".", 1)[0]:
            says = f"{device} has {address}; the router is {wish.router}: another network."
            away = Change(f"/linking/addresses/{key}", None)
            cure = Cure(f"Leave the address of {device} to the router", (away,))
            yield check(f"link.net.{key}", "network", says, COMMON_PRACTICE, cure)
        seen.setdefault(address, device)


def _figures(h: Harness) -> Iterable[tuple[str, Figure]]:
    return ((f"{x.id}.volts", x.volts) for x in h.leads if x.volts)


HARNESS: Chapter[Harness] = Chapter(
    "harness",
    _harness,
    reads=("kit", "linking", "supply", "sub-board's feeder"),
    requires=(KIT, NETWORK),
    needs=(HUNG,),
    findings=lambda h, d: h.found,
    figures=_figures,
    station="link",
)
