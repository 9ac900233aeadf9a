"""The walk of Link: what is at hand before the day, lead after lead, address after address, ohms of
every bus, loops, the network; each a step that is ticked or read.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from gumboot.core.link.address import Bank, Setting
from gumboot.core.link.bus import BusPlan
from gumboot.core.link.leads import Lead
from gumboot.core.link.terminators import METER_OHM, Place, ohms, right, spoken
from gumboot.core.walk.entering import OPEN_READ
from gumboot.core.walk.step import Step

if TYPE_CHECKING:
    from gumboot.core.link.harness import Harness

GOOD_DBM, WEAK_DBM = -67.0, -75.0  # at the wall: common practice
OHM_SHARE = 0.08  # how far a whole bus may read off what is reckoned: common practice
CONTACTS_OHM = 1.0  # of a loop's contacts, clamps and the tester's leads: common practice
UNKNOWN_LOOP_OHM = 4.0  # of a loop whose length nobody knows: 24 m of 24 AWG, common practice
SUPPLY_MOST_V = 15.0  # of a supply called 12 V, without load: common practice
CT_TEST = "ct.test"


def steps_of(h: Harness) -> tuple[Step, ...]:
    """Every step of a job, in the order of work."""
    return (
        *before(h),
        *(s for x in h.leads for s in of_lead(x)),
        *(s for b in h.banks for s in inside_cabinets(b, h.labels)),
        *(s for b in h.banks for s in programming(b, h.labels)),
        *of_switches(h.others),
        *(s for b in h.buses for s in (*of_bus(b), *of_shield(b))),
        *(s for x in h.leads if x.cable.serves == "shutdown" for s in of_loop(x)),
        *(s for b in h.banks for s in heard_packs(b, h.labels)),
        *network(h),
        *transformers(h),
    )


def before(h: Harness) -> Iterator[Step]:
    """What is at hand before the day: lacking one of these stopped more commissionings than wiring
    did (common practice).
    """
    stage = "Before the day"
    if not h.leads:
        return
    for maker in h.makers:
        yield Step(
            f"before.account.{maker}",
            stage,
            f"Installer's account, {maker}",
            "The crew can sign in there, and the job can be made in it.",
        )
    yield Step(
        "before.customer", stage, "Customer code of the supplier", "Written down, with the order."
    )
    for what in h.firmware:
        yield Step(
            f"before.firmware.{what}",
            stage,
            f"App and firmware for {what}",
            "On the phone, for a site without a signal.",
        )
    if h.protocols:
        yield Step(
            "before.protocols",
            stage,
            "Protocol list of meter and packs",
            f"This job speaks {', '.join(h.protocols)}.",
        )
    if h.network == "cellular":
        yield Step(
            "before.sim",
            stage,
            "SIM of full size, active, about 100 MB a month",
            "With its PIN off, or the PIN at hand.",
        )
    if h.network in ("wire", "wireless"):
        yield Step(
            "before.owner",
            stage,
            "The owner is there to enter the network's password",
            "The owner types it at the unit. It is never told to the crew and never kept here.",
        )


def of_lead(x: Lead) -> Iterator[Step]:
    """A lead made, read through, and plugged in."""
    stage = "Leads"
    ends = f"{x.here.label} to {x.there.label}"
    if x.cable.serves not in ("CT", "temperature", "network") and x.cable.cores:
        pins = ", ".join(
            f"{c.pin or '?'} to {c.far_pin or '?'}" for c in x.cable.cores if c.does != "shield"
        )
        yield Step(
            f"lead.{x.id}.through",
            stage,
            f"{x.name}: read it through",
            f"Both ends unplugged. Each pin to its own pin and to no other: {pins}.",
            "pins" if x.known else "tick",
            pins,
            shows=x.id,
            box=x.here.body,
        )
    for side, joined in x.jumpers:
        yield Step(
            f"lead.{x.id}.jumper@{side.body}",
            stage,
            f"{x.name}: take out the factory jumper",
            f"Between {joined[0]} and {joined[1]} at {side.plug.label if side.plug else ''} of"
            f" {side.label}, now that a switch stands in its place. It goes into the unit's bag.",
            shows=x.id,
            box=side.body,
        )
    way = _way_in(x)
    yield Step(
        f"lead.{x.id}.in",
        stage,
        f"{x.name}: in at both ends",
        f"{ends}. {way}Labelled at both ends, clear of power, the cover closes over it.",
        shows=x.id,
        box=x.here.body,
    )


def _way_in(x: Lead) -> str:
    keyed = [s for s in (x.here, x.there) if s.plug and s.plug.rows == 2 and s.plug.keyed]
    return "".join(
        f"The plug at {s.label} goes in with the row of {s.plug.keyed} on the keyed side. "
        for s in keyed
        if s.plug
    )


def inside_cabinets(b: Bank, labels: dict[str, str]) -> Iterator[Step]:
    """Packs that stand in a cabinet are chained inside it: a lead from each to the next."""
    for n, (one, next_) in enumerate(itertools.pairwise(b.packs), 1):
        if "/" not in one or one.partition("/")[0] != next_.partition("/")[0]:
            continue
        first = " The first one's IN goes to the unit." if n == 1 else ""
        last = " The last one's OUT stays free." if n == len(b.packs) - 1 else ""
        yield Step(
            f"lead.{one}-{next_}.in",
            "Leads",
            f"{labels.get(one, one)}, OUT, to {labels.get(next_, next_)}, IN",
            f"In the order of their addresses, never a star.{first}{last}",
            shows=f"bank-{b.key}",
            box=one.partition("/")[0],
        )


def programming(b: Bank, labels: dict[str, str]) -> Iterator[Step]:
    """All off; one on; protocol; address; off and on again; read back; off; the next."""
    stage = "Addresses"
    unit, show = labels.get(b.unit, b.unit), f"bank-{b.key}"
    by = {s.body: s for s in b.settings if s.sets == "address"}
    if not any(s.pattern for s in by.values()):
        for p in b.packs:
            yield Step(
                f"address.{p}.read",
                stage,
                f"{labels.get(p, p)}: read its address",
                f"It {by[p].way if p in by else 'has no switches'}. Read it there.",
                expects=by[p].means if p in by else "",
                shows=show,
                box=p,
            )
        return
    yield Step(
        f"address.{b.key}.off",
        stage,
        f"Bank of {unit}: everything off",
        "Every pack's breaker and BMS off, the unit's battery breaker open.",
        shows=show,
        box=b.unit,
    )
    for n, p in enumerate(b.packs, 1):
        name, s = labels.get(p, p), by[p]
        yield Step(
            f"address.{p}.on",
            stage,
            f"{name}: this one on, alone",
            "Its BMS only.",
            shows=show,
            box=p,
        )
        if b.programming:
            yield Step(
                f"address.{p}.open",
                stage,
                f"{name}: switches to “being programmed”",
                f"{s.row}: {b.programming}, where 1 is on{_on(s)}.",
                shows=show,
                box=p,
            )
        if b.protocol:
            yield Step(
                f"address.{p}.protocol",
                stage,
                f"{name}: protocol {b.protocol}",
                "On each of its buses, in the pack's tool or app.",
                shows=show,
                box=p,
            )
        yield Step(
            f"address.{p}.set",
            stage,
            f"{name}: set {s.means}",
            f"{s.spoken}. {'It is the master: the unit talks to it.' if n == 1 else ''}".strip(),
            expects=s.pattern,
            shows=show,
            box=p,
        )
        yield Step(
            f"address.{p}.cycle",
            stage,
            f"{name}: off and on again",
            "Without that it does not keep what was set.",
            shows=show,
            box=p,
        )
        yield Step(
            f"address.{p}.read",
            stage,
            f"{name}: read its address back",
            "At the pack's display or app.",
            expects=s.means,
            shows=show,
            box=p,
        )
        yield Step(
            f"address.{p}.done", stage, f"{name}: off", "Then the next one.", shows=show, box=p
        )
    for s in (s for s in b.settings if s.sets == "terminator"):
        yield Step(
            f"terminator.{s.body}",
            stage,
            f"{s.label}: {s.means}",
            f"{s.spoken}.",
            expects=s.pattern,
            shows=show,
            box=s.body,
        )


def _on(s: Setting) -> str:
    return f" ({s.on})" if s.on else ""


def heard_packs(b: Bank, labels: dict[str, str]) -> Iterator[Step]:
    """Whether the unit hears every pack, once they are awake."""
    count = len(b.packs)
    its = "its pack" if b.key == b.unit else labels.get(b.packs[0], b.packs[0])
    yield Step(
        f"bms.{b.key}",
        "Packs",
        f"{labels.get(b.unit, b.unit)} hears {its if count == 1 else f'{count} packs'}",
        "Packs awake: the unit's display counts them, or listen under Packs. Limits arrive, no"
        " alarm stands.",
        expects=f"{count} pack{'s' if count > 1 else ''}",
        shows=f"bank-{b.key}",
        box=b.unit,
    )


def of_switches(rows: Sequence[Setting]) -> Iterator[Step]:
    """Switches of inverters and of the meter."""
    for s in rows:
        yield Step(
            f"switch.{s.body}.{s.row}",
            "Addresses",
            f"{s.label}: {s.means}",
            f"{s.spoken}.",
            expects=s.pattern,
            shows="switches",
            box=s.body,
        )


def of_bus(b: BusPlan) -> Iterator[Step]:
    """The ohms of a whole bus, power off."""
    if not b.line:
        return
    ladder = b.ladder
    for at in (0, len(b.stations) - 1):
        value = ohms(ladder, right(ladder), Place(at))
        slack = METER_OHM + OHM_SHARE * value
        is_open = value >= OPEN_READ
        unsaid = ", ".join(s.label for s in b.silent)
        more = f" The sheet of {unsaid} says nothing of a terminator." if unsaid else ""
        yield Step(
            f"ohm.{b.key}.{at}",
            "Ohms",
            f"Ohms at {b.stations[at].label}, {b.name}",
            f"All power off, every plug in. Across the pair, at this end of the bus.{more}",
            "ohm",
            f"{spoken(value)} if terminated at both ends" if unsaid else spoken(value),
            least=None if unsaid else OPEN_READ if is_open else round(value - slack, 2),
            most=None if unsaid or is_open else round(value + slack, 2),
            shows=f"bus-{b.key}",
            box=b.stations[at].body,
        )


def of_shield(b: BusPlan) -> Iterator[Step]:
    """The shield of a bus clear of its wires: a short there does not show across the pair."""
    at = next((x for x in b.leads if x.cable.shield_at), None)
    if at is None or not b.line:
        return
    end = at.here if at.here.shield else at.there
    yield Step(
        f"shield.{b.key}",
        "Ohms",
        f"Shield clear of both wires, {b.name}",
        f"All power off. At {end.label}, shield off its clamp: from the shield to each wire of the"
        " pair; the lower of the two readings.",
        "ohm",
        "open",
        least=OPEN_READ,
        shows=f"bus-{b.key}",
        box=end.body,
    )


def of_loop(x: Lead) -> Iterator[Step]:
    """A shutdown loop: closed, and open when its switch is pressed. Volts are read where the 12 V
    feed a device at the far end; a contact in the loop has none across it.
    """
    most = round((x.loop_ohm or UNKNOWN_LOOP_OHM) + CONTACTS_OHM, 1)
    yield Step(
        f"loop.{x.id}.closed",
        "Loops",
        f"{x.name}: closed",
        f"Plug out at {x.here.label}, switch released: ohms between its two wires.",
        "ohm",
        f"at most {most:.3g} Ω",
        most=most,
        shows=x.id,
        box=x.here.body,
    )
    yield Step(
        f"loop.{x.id}.open",
        "Loops",
        f"{x.name}: opens when pressed",
        "Switch pressed: ohms between the same two wires.",
        "ohm",
        "open",
        least=OPEN_READ,
        shows=x.id,
        box=x.here.body,
    )
    if x.volts is not None and any(c.meets == "12 V" for c in x.cable.cores):
        yield Step(
            f"loop.{x.id}.volts",
            "Loops",
            f"{x.name}: volts at its end",
            "Unit on, loop closed: DC volts at the far end.",
            "volt",
            f"{x.volts.text} to {SUPPLY_MOST_V:g} V",
            least=round(x.volts.n, 2),
            most=SUPPLY_MOST_V,
            shows=x.id,
            box=x.there.body,
        )


def transformers(h: Harness) -> Iterator[Step]:
    """The test of the transformers: done on its own page, once the unit runs."""
    if h.transformers:
        yield Step(
            CT_TEST,
            "Transformers",
            "Current transformers tested by known steps",
            "Under CT test: what each shows before and after something known is switched, until"
            " every one reads as it should.",
            "ct",
            "every transformer as it should",
        )


def network(h: Harness) -> Iterator[Step]:
    """How the unit reaches the network."""
    stage = "Network"
    if h.network in ("wireless", "cellular"):
        band = "2.4 GHz, the only band most dongles know" if h.network == "wireless" else "its band"
        yield Step(
            "network.level",
            stage,
            "Level where the dongle stands",
            f"Read with a phone beside the unit, {band}, cover closed:"
            f" {GOOD_DBM:g} dBm is good, {WEAK_DBM:g} weak (common practice).",
            "dbm",
            f"{WEAK_DBM:g} dBm or stronger",
            least=WEAK_DBM,
            most=0.0,
            box="inverter-1",
        )
        yield Step(
            "network.dongle",
            stage,
            "Dongle in, its code facing out",
            "It may need 10 minutes until it shows itself (common practice).",
            box="inverter-1",
        )
    for device, address in h.addresses:
        yield Step(
            f"network.address.{device}",
            stage,
            f"{h.labels.get(device, device)}: address {address}",
            "Fixed at the unit, or kept for it at the router.",
            expects=address,
            box=device,
        )
    if h.network:
        yield Step(
            "network.seen",
            stage,
            "The unit shows at its maker's portal",
            "Serial as on its plate, time right.",
            box="inverter-1",
        )
