"""The owner's book: what the owner of a job needs to know of it, in words that need no trade.

Names of boxes and switches stand as they stand on the labels; everything else is plain.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from gumboot.core.design import Design
from gumboot.core.energy.year import lives_on
from gumboot.core.hand_over.own_way import ByHand, by_hand
from gumboot.core.hand_over.visits import cares, plainly
from gumboot.core.kit.care import Care
from gumboot.core.network import Body
from gumboot.core.network.element import Switch

WHAT: dict[str, str] = {
    "inverter": "makes house power out of battery and sun, and fills the battery",
    "controller": "fills the battery from the sun",
    "pv-combiner": "brings the rows of panels together, with a switch for each",
    "pv-inverter": "makes house power out of sun",
    "array": "solar panels; they are live in any light",
    "pack": "battery",
    "dc-bus": "where the batteries come together",
    "main-panel": "where power from the street arrives, with its main switch",
    "loads": "feeds what runs in an outage",
    "changeover": "parts the house from the street in an outage",
    "grid-combiner": "brings the machines together on the street's side",
    "backup-combiner": "brings the machines together on the house's side",
    "generator-combiner": "shares the generator out to the machines",
    "generator": "the generator, or where it is plugged in",
    "sub-board": "feeds a part of the house, and the machines meet the street there",
    "house-panel": "feeds the rest of the house",
}
NOT_NEAR = (
    "Nothing stands, hangs or leans in front of the boxes: a person must be able to stand there.",
    "No fuel, paint, cardboard, laundry or gas bottles in the same corner.",
    "No heater, no blanket, no shelf over the slots where air goes in and out.",
    "No water: no hose, no sprinkler, no drying clothes above the boxes.",
    "Do not drill or nail into the walls along the pipes and cables drawn on the wall's picture.",
)
CALL = "write it down, and call us"
FAULT = ("something is not in order", CALL)
PLAINLY: dict[str, tuple[str, str]] = {  # by which search serves a code
    "overload_start": ("too much runs at once", "switch big machines off, wait a minute"),
    "no_island": ("it did not take over from the street", CALL),
    "export_not_held": ("it sends more into the street than it may", CALL),
    "rcd_trips": ("current leaks where it should not", "touch no damp machine; call us"),
    "heat": ("too warm", "keep its air slots free; call us if it comes back"),
    "unequal_packs": ("the batteries do not work alike", CALL),
    "soc_apart": ("the battery shows another charge than it holds", CALL),
    "no_link": ("battery and inverter do not hear each other", CALL),
    "low_voc": ("a row of panels gives too little", CALL),
    "high_voc": ("a row of panels gives too much", CALL),
    "low_isc": ("a row of panels gives too little", CALL),
    "low_insulation": ("damp or damage at the panels' cables", "do not touch them; call us"),
}
LEAD = "Batteries of this kind give off gas while they fill: no flame, no spark, air at all times."
FLOOD = "If water has reached a box, touch nothing. Leave, and call the fire service, then us."


@dataclass(frozen=True, slots=True)
class Part:
    """One part of the book. says: paragraphs; steps: numbered; rows: with heads over them. draws:
    which drawing stands in it, empty for none.
    """

    id: str
    title: str
    says: tuple[str, ...] = ()
    steps: tuple[str, ...] = ()
    then: tuple[str, ...] = ()
    heads: tuple[str, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()
    draws: str = ""


@dataclass(frozen=True, slots=True)
class Contact:
    """Whom an owner calls."""

    crew: str
    phone: str = ""
    email: str = ""
    hours: str = ""


def owners_book(
    d: Design, contact: Contact, year: dict[str, Any] | None, initiators: Sequence[str] = ()
) -> tuple[Part, ...]:
    """The parts of the book. year: the account of a year (`energy.account`), None where there is
    none; initiators: buttons that switch it off at once, in words.
    """
    own = by_hand(d)
    return tuple(
        p
        for p in (
            _safe(d, own, contact, initiators),
            _where(d),
            _itself(d),
            _outage(d, year),
            _generator(d),
            _off(d, own, contact),
            _on(own, contact),
            _lamps(d, contact),
            _not_near(d),
            _call(contact),
            _due(d),
            _saves(year),
        )
        if p is not None
    )


def _has_generator(d: Design) -> bool:
    return any(b.role == "generator" for b in d.bodies)


def _safe(d: Design, own: ByHand, contact: Contact, initiators: Sequence[str]) -> Part:
    press = tuple(f"Press “{x}”." for x in initiators)
    if not own.emergency:
        says = "No order is worked out for this installation. Touch no switch: leave, and call."
        return Part("safe", "Make it safe now", (says,), press, (f"Call us{_number(contact)}.",))
    call = f" Then call us{_number(contact)}."
    more = ("A generator that runs feeds the house by itself: stop it, at its own switch.",)
    return Part(
        "safe",
        "Make it safe now",
        ("Fire, smoke, or water at the boxes: leave, close the door, call the fire service.",),
        (*press, *own.emergency),
        (
            *(more if _has_generator(d) else ()),
            "This takes power from the house. Solar panels and batteries stay live inside: open no"
            f" cover.{call}",
        ),
    )


def _number(contact: Contact) -> str:
    return f": {contact.phone}" if contact.phone else ""


def _where(d: Design) -> Part:
    named: dict[str, list[str]] = {}
    for b in d.bodies:
        if words := _what(d, b):
            named.setdefault(words, []).append(b.label)
    rows = tuple((", ".join(labels), words) for words, labels in named.items())
    say = ("The same names stand on the labels.",)
    return Part(
        "where",
        "What hangs where",
        say,
        heads=("Name on its label", "What it is"),
        rows=rows,
        draws="walls",
    )


def _what(d: Design, b: Body) -> str:
    if b.role == "inverter" and not any(not s.controller for s in d.plan.strings):
        return "makes house power out of the battery, and fills it"
    if b.role == "loads" and d.plan.supply.kind == "off-grid":
        return "feeds the house"
    if b.role == "pack" and d.pack is not None and d.pack.form == "block":
        return "batteries, in a row"
    return WHAT.get(b.role, "")


def clock(minutes: int) -> str:
    """A time of the day."""
    return f"{minutes // 60 % 24:02d}:{minutes % 60:02d}"


def _itself(d: Design) -> Part:
    work, tariff = d.plan.energy.work, d.plan.energy.tariff
    alone = d.plan.supply.kind == "off-grid"
    sun = bool(d.plan.strings) or any(b.role == "pv-inverter" for b in d.bodies)
    says: list[str] = []
    if sun:
        street = work.spare_sun == "grid" and not alone and feeds(d)
        rest = "the street" if street else "the battery"
        says.append(f"Sun runs the house first. What is left goes to {rest}.")
    if work.mode == "self-use" and not alone:
        says.append("Without sun the battery runs the house until it is down to what it keeps.")
    if work.mode == "reserve for outage":
        says.append("The battery waits, full, for an outage; only what is above its reserve works.")
    for slot in work.charge if work.mode == "windows" else ():
        says.append(
            f"From {clock(slot.start_min)} to {clock(slot.end_min)} it fills up to {slot.soc:g} %"
            " with cheap power."
        )
    for slot in work.discharge if work.mode == "windows" else ():
        says.append(
            f"From {clock(slot.start_min)} to {clock(slot.end_min)} the battery runs the house,"
            f" down to {slot.soc:g} %."
        )
    limit = tariff.export_limit_w
    if limit is not None and not alone and sun and feeds(d):
        each = " on each line" if tariff.export_limit_of == "each phase" else ""
        most = "nothing" if limit == 0 else f"at most {limit / 1000:g} kW{each}"
        says.append(f"It sends {most} into the street: the power company asks that.")
    reserve = work.mode == "reserve for outage"
    line = "floor_off_grid" if alone else "reserve_soc" if reserve else "floor_on_grid"
    keeps = next((s.value for s in d.settings if line in (s.id, s.rule)), None)
    if isinstance(keeps, int | float):
        says.append(f"It keeps {keeps:g} % in the battery.")
    if _has_generator(d) and d.plan.kit.on_generator:
        calls = d.calls_generator
        how = "starts by itself" if calls else "is started by hand"
        says.append(f"The generator {how} when the battery is low. Never run it indoors.")
    elif _has_generator(d):
        says.append("The generator runs the house alone, when you switch over to it.")
    says.append("You need not switch or set anything, day to day.")
    return Part("itself", "What it does by itself", tuple(says))


def feeds(d: Design) -> bool:
    """Whether anything of it ever sends power into the street."""
    own = bool(d.plan.strings) and d.inverter is not None and d.inverter.feeds_grid
    return own or any(b.role == "pv-inverter" for b in d.bodies)


def lives_from(d: Design) -> str:
    """What the house lives by in an outage."""
    beside = d.plan.kit.pv_inverters
    sun = bool(d.plan.strings) or any(lives_on(d.plan, pv) for pv in beside)
    return "battery and sun" if sun else "the battery"


def hours(h: float, longest: float) -> str:
    """A stretch of time in plain words."""
    if h >= longest:
        return "a week or more"
    if h >= 48:
        return f"{int(h // 24)} days"
    return f"{int(h)} hours" if h >= 2 else "an hour" if h >= 1 else "less than an hour"


def _outage(d: Design, year: dict[str, Any] | None) -> Part | None:
    if d.plan.supply.kind == "off-grid":
        return None
    if d.plan.backup.loads == "nothing":
        return Part(
            "outage",
            "In an outage",
            ("It switches itself off with the street, and comes back with it. Nothing runs.",),
        )
    runs = [x.name for x in d.plan.loads if x.backed]
    rests = [x.name for x in d.plan.loads if not x.backed]
    gap = d.inverter.transfer_ms if d.inverter else None
    says = [
        f"The house is parted from the street and runs from {lives_from(d)}."
        + (" Lights may blink." if gap is None or gap > 20 else " You will hardly notice.")
    ]
    if runs:
        says.append(f"What runs: {', '.join(runs)}.")
    if rests:
        says.append(f"What does not run: {', '.join(rests)}.")
    dark = (year or {}).get("outages")
    if dark:
        longest = dark["longest_h"]
        half, worst = hours(dark["median_h"], longest), hours(dark["worst_h"], longest)
        says.append(
            f"For how long, as the house is planned: half of all outages would be covered for"
            f" {half}; the worst moment of the year, for {worst}. Use less, and it lasts longer."
        )
    else:
        says.append("How long it lasts hangs on what runs: use less, and it lasts longer.")
    says.append("Do not start several big machines at once: it may switch off to save itself.")
    return Part("outage", "In an outage", tuple(says))


def _generator(d: Design) -> Part | None:
    generator = d.plan.kit.generator
    if generator is None or d.network is None:
        return None
    says = [
        "Outdoors only, away from doors and windows: its exhaust kills. Fuel goes in when it is"
        " stopped and cold.",
    ]
    start = "Start it, and let it run until it is warm."
    at_panel = [s for s in d.network.switch.values() if s.body == "loads-panel"]
    main = next((s for s in at_panel if s.works == "loads"), None)
    fed = next((s for s in at_panel if s.works == "generator"), None)
    own = d.network.switch.get("generator/own")
    over = [f"Switch off {_label(main)}."] if main else []
    over += [f"Switch on {_label(fed)}."] if fed else []
    over += [f"Switch on {_label(own)}, if it is off."] if own else []
    back = f"To go back: switch off {_label(fed)}, " if fed else "To go back: "
    back += f"switch on {_label(main)}, then stop it." if main else "stop it."
    if not d.plan.kit.on_generator:
        says.append("While it runs, nothing else feeds the house. Start no more than it can carry.")
        return Part("generator", "Run the generator", tuple(says), (start, *over), (back,))
    if d.calls_generator:
        says.append("It starts by itself when the battery is low, fills it, and stops.")
    else:
        on = f" Then switch on {_label(own)}." if own else ""
        says.append(f"When the battery is low: start it, and let it run until it is warm.{on}")
        says.append("It runs the house and fills the battery. Stop it when the battery is full.")
    if not fed:
        return Part("generator", "Run the generator", tuple(says))
    says.append("If the inverter is out of order, it can run the house alone. In this order.")
    return Part("generator", "Run the generator", tuple(says), (start, *over), (back,))


def _label(s: Switch) -> str:
    return f"“{s.name[:1].upper()}{s.name[1:]}” on “{s.place}”"


def _off(d: Design, own: ByHand, contact: Contact) -> Part:
    if not own.off:
        says = f"A trained hand switches it off: call {contact.crew}."
        return Part("off", "Switch it off", (says, *own.rest))
    wait = (f"Wait {own.wait_min:g} minutes before you switch it on again.",)
    first = "If the generator runs, stop it first; then in this order."
    says = first if _has_generator(d) else "In this order."
    return Part("off", "Switch it off", (says, *own.rest), own.off, wait if own.wait_min else ())


def _on(own: ByHand, contact: Contact) -> Part:
    if not own.on:
        says = f"A trained hand starts it: call {contact.crew}."
        return Part("on", "Switch it on", (says,))
    then = f"If a lamp stays red, or a switch will not stay: leave it off, call {contact.crew}."
    return Part("on", "Switch it on", ("In this order.",), own.on, (then,))


def _lamps(d: Design, contact: Contact) -> Part | None:
    unit, rows = d.inverter, list[tuple[str, ...]]()
    if unit is None:
        return None
    for name, device in (
        ("Inverter", unit),
        ("Charge controller", d.controller),
        ("Battery", d.pack),
    ):
        if device is not None and device.starting and device.starting.lamp:
            rows.append((f"{name}: {device.starting.lamp}", "all is well", "nothing"))
    rows += [(a.code, *PLAINLY.get(a.problem, FAULT)) for a in d.alarms]
    if not rows:
        return None
    say = f"Any other lamp or number: write it down, and call {contact.crew}."
    return Part(
        "lamps",
        "What lamps and numbers mean",
        (say,),
        heads=("It shows", "It means", "What you do"),
        rows=tuple(rows),
    )


def _not_near(d: Design) -> Part:
    lead = d.pack is not None and d.pack.chemistry == "flooded"
    return Part("near", "What must not be near it", (*NOT_NEAR, *((LEAD,) if lead else ()), FLOOD))


def _call(contact: Contact) -> Part:
    rows = [("Fire, smoke, water, injury", "the fire service: your emergency number")]
    ways = " · ".join(x for x in (contact.phone, contact.email, contact.hours) if x)
    rows.append(("Anything of this installation", f"{contact.crew}{': ' + ways if ways else ''}"))
    rows.append(("No power in the whole street", "your power company"))
    return Part("call", "Who to call", heads=("What", "Whom"), rows=tuple(rows))


def _due(d: Design) -> Part:
    said = {(_often(c), plainly(c), "you" if c.by == "owner" else "we"): None for c in cares(d)}
    rows = tuple(said)
    return Part("due", "What is due, and when", heads=("When", "What", "Who"), rows=rows)


def _often(c: Care) -> str:
    m = c.every_months
    if m % 12 == 0:
        return "every year" if m == 12 else f"every {m // 12} years"
    return "every month" if m == 1 else f"every {m} months"


def _saves(year: dict[str, Any] | None) -> Part | None:
    if not year or not year.get("priced") or year.get("off_grid"):
        return None
    bills, money = year["bills"], year["currency"]
    saves = bills["nothing"] - bills["all"]
    space = " " if len(money) > 1 else ""

    def said(x: float) -> str:
        return f"{money}{space}{x:,.0f}"

    rows = (
        ("Without any of it", said(bills["nothing"])),
        ("With the sun alone", said(bills["sun"])),
        ("With sun and battery", said(bills["all"])),
        (
            f"It should {'save' if saves >= 0 else 'cost'} a year{'' if saves >= 0 else ' more'}",
            said(abs(saves)),
        ),
    )
    how = (
        "Reckoned for every quarter of an hour of a year, from the sun of your place, what the"
        " house uses, and the prices you pay now. Weather, prices and habits change: it may be"
        " more or less."
    )
    return Part("saves", "What it should save", (how,), heads=("A year's bill", ""), rows=rows)


def words_of(parts: Sequence[Part]) -> Iterator[str]:
    """Every text of the book."""
    for p in parts:
        yield from (p.title, *p.says, *p.steps, *p.then, *p.heads)
        for r in p.rows:
            yield from r
