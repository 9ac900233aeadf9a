"""A short on the battery side: what flows, and whether what stands in its way can break it: packs'
own resistance and cable against the interrupting rating of bus breakers, packs' breakers and fuses.
"""

from __future__ import annotations

from collections.abc import Sequence

from gumboot.core.basis.figure import MEMORY, Figure, given, looked_up, picked, solve
from gumboot.core.basis.finding import Change, Cure, Finding, check, stop
from gumboot.core.basis.units import FT_M
from gumboot.core.codes import iec, nec
from gumboot.core.kit import Catalogue
from gumboot.core.network import Network
from gumboot.core.network.builder import place_key
from gumboot.core.network.element import Switch
from gumboot.core.network.fault import Nodal, Through
from gumboot.core.plan import Plan
from gumboot.core.size.bank import Bank, fault_current
from gumboot.core.size.conductors import SizedCircuit

COLD_RULE = "NEC 2023 Chapter 9 Table 8, note 2"
COLD = looked_up(
    "k_cold",
    1 / (1 + 0.00323 * (20 - 75)),
    "",
    "Copper at 75 °C over 20 °C",
    COLD_RULE,
    "0.00323 a degree",
)
KINDS = {"breaker": "bus", "own breaker": "pack", "fuse": "fuse"}


def dc_fault(
    plan: Plan,
    network: Network,
    sized: Sequence[SizedCircuit],
    bank: Bank,
    catalogue: Catalogue,
) -> tuple[Figure | None, tuple[Through, ...], list[Finding]]:
    """(prospective current where the packs of one bank meet, what every device of the battery side
    may have to break, and which cannot).
    """
    rows = {s.id: s for s in sized if s.circuit.family in ("pack", "battery")}
    if not rows:
        return None, (), []
    first = next((s for s in rows.values() if s.circuit.family == "pack"), None)
    fault = fault_current(bank, loop_ohm(first or next(iter(rows.values()))))
    loops = {k: max(loop_ohm(s).n, 1e-6) for k, s in rows.items()}
    devices = [s for s in network.switches if s.works == "battery" and s.kind in KINDS]
    nodal = Nodal(network, loops, bank.v_max.n, bank.resistance.n)
    currents = tuple(nodal.through(s) for s in devices)
    return fault, currents, _weak(plan, network, currents, bank, catalogue)


def loop_ohm(s: SizedCircuit) -> Figure:
    """A battery circuit out and back in Ω, its sets side by side."""
    if s.size.endswith("mm²"):
        r = iec.resistance(s.size, s.cable.strands)
        length = given("L", s.conditions.run.length_m, "m", "Battery cable one way", "brief")
    else:
        hot = nec.dc_resistance(s.size).renamed("R_75")
        r = solve(
            "R",
            "Ω/kft",
            "Resistance at 20 °C",
            "R_75 / k_cold",
            hot,
            COLD,
            source=COLD_RULE,
            doubt=MEMORY,
        )
        length = given(
            "L", s.conditions.run.length_m / FT_M, "ft", "Battery cable one way", "brief"
        )
    n = given("n_set", s.sets, "", "Sets in parallel", "plan")
    return solve(
        "R_loop",
        "Ω",
        "Battery cable, out and back",
        f"2 * {r.symbol} * L / 1000 / n_set",
        r,
        length,
        n,
        source="Ohm's law",
        assumption="copper at 20 °C: a cold cable lets more through",
    )


def _weak(
    plan: Plan,
    network: Network,
    currents: Sequence[Through],
    bank: Bank,
    catalogue: Catalogue,
) -> list[Finding]:
    """Devices whose interrupting rating is under what they may have to break; one of a kind. What
    a fuse ahead breaks, a pack's own breaker need not break alone.
    """
    rule = plan.book.clauses["interrupting"]
    own = {t.switch.id for t in currents if t.switch.kind == "own breaker"}
    ahead = {k: s for s in network.switches if s.kind == "fuse" for k in s.after if k in own}
    ahead |= _at_buses(network, currents)
    out = [_silent(t, bank, rule) for t in _unrated(currents)]
    weak = [t for t in currents if t.switch.interrupt_a and t.worst > t.switch.interrupt_a]
    guarded = [t for t in weak if _fused(t, ahead.get(t.switch.id))]
    if guarded:
        worst = max(guarded, key=lambda t: t.worst)
        out.append(_series(worst, ahead[worst.switch.id], bank, rule))
    left = [t for t in weak if t not in guarded]
    for kind, key in KINDS.items():
        rows = [t for t in left if t.switch.kind == kind]
        if not rows:
            continue
        worst = max(rows, key=lambda t: t.worst)
        figure = through_figure(worst, bank)
        says = (
            f"A short can drive {figure.text} through {worst.switch.says}; it interrupts"
            f" {worst.switch.interrupt_a:g} A."
        )
        cures = [
            *_stronger(network, rows, plan, catalogue),
            *_fuses(network, currents, rows, plan, catalogue, bank),
            Cure("Enter one that breaks more on the shelf, or fuses to stand ahead of it"),
            *([GUESSED] if _guessed(plan, catalogue) else []),
        ]
        at = worst.switch.body
        out.append(stop(f"bank.fault.{key}", at, says, rule, *cures, figures=(figure,)))
    return out


GUESSED = Cure(
    "Enter the pack's internal resistance on the shelf: what stands there is a low guess"
)


def _guessed(plan: Plan, catalogue: Catalogue) -> bool:
    """Whether the short is reckoned with a resistance that no sheet says."""
    pack = catalogue.packs.get(plan.kit.pack or "")
    return pack is not None and "resistance_ohm" not in pack.model_fields_set


def _at_buses(network: Network, currents: Sequence[Through]) -> dict[str, Switch]:
    """The weakest of the packs' fuses that stand ahead of each breaker of a bus, where every pack
    on it has one.
    """
    out = {}
    for t in currents:
        bus = t.switch.body
        if not bus.startswith("dc-bus") or t.switch.kind != "breaker":
            continue
        runs = [c for c in network.circuits if c.family == "pack" and c.load.body == bus]
        nodes = {n for c in runs for n in (c.source.node, c.load.node)}
        fuses = [s for s in network.switches if s.kind == "fuse" and nodes & {s.a, s.b}]
        if runs and len(fuses) == len(runs):
            out[t.switch.id] = min(fuses, key=lambda s: s.interrupt_a or 0.0)
    return out


def _fused(t: Through, fuse: Switch | None) -> bool:
    """Whether a fuse on one side of a device breaks what comes from there, and the device by itself
    what comes from the other.
    """
    own, breaks = t.switch.interrupt_a or 0.0, (fuse.interrupt_a or 0.0) if fuse else 0.0
    far = t.from_b if t.switch.kind == "own breaker" else t.from_a
    return _near(t) <= own and far <= breaks


def _near(t: Through) -> float:
    """What comes to a device from the side where no fuse of a pack can stand: a pack's own breaker
    from its cells, a bus's breaker from its unit.
    """
    return t.from_a if t.switch.kind == "own breaker" else t.from_b


def _series(t: Through, fuse: Switch, bank: Bank, rule: str) -> Finding:
    figure = through_figure(t, bank)
    says = (
        f"{t.switch.says} interrupts {t.switch.interrupt_a:g} A where a short can drive"
        f" {figure.text} through it; the {fuse.name} breaks {fuse.interrupt_a:g} A and stands"
        " ahead. That the two hold together is their makers' word."
    )
    cure = Cure("Find the pair in the makers' lists, and fit a fuse that limits the current")
    return check("bank.fault.series", t.switch.body, says, rule, cure, figures=(figure,))


def _stronger(
    network: Network, weak: Sequence[Through], plan: Plan, catalogue: Catalogue
) -> list[Cure]:
    """Devices of the shelf that break enough at every place, if it has them."""
    places = {p.key: p for p in network.places}
    changes = []
    for t in weak:
        p = places.get(place_key(t.switch.id))
        found = p and catalogue.device(p.role, p.amps, p.supply, plan.code, p.volts_dc, t.worst)
        if not found:
            return []
        changes.append((t, found, Change(f"/devices/{place_key(t.switch.id)}", found.id)))
    names = sorted({d.label for _, d, _ in changes})
    return [Cure(f"Fit {' and '.join(names)} there", tuple(c for _, _, c in changes))]


def _fuses(
    network: Network,
    currents: Sequence[Through],
    weak: Sequence[Through],
    plan: Plan,
    catalogue: Catalogue,
    bank: Bank,
) -> list[Cure]:
    """A fuse for each pack at a bus, where packs are in star on one or may be brought to it, and
    the shelf has a fuse that breaks what a short there can drive.
    """
    kit, chained = plan.kit, plan.kit.hookup == "chain" or plan.kit.takeoff != "star"
    at_bus = [t.worst for t in currents if t.switch.body.startswith("dc-bus")]
    if chained:
        at_bus.append(sum(t.from_a for t in currents if t.switch.kind == "own breaker"))
    own = [t for t in currents if t.switch.id == f"{t.switch.body}/own"]
    known = all(t in own or t.switch.body.startswith("dc-bus") for t in weak)
    if not own or not known or not at_bus or kit.pack_fuses:
        return []
    rated = max(t.switch.rated_a or 0.0 for t in own)
    volts = bank.v_max.n
    fuse = catalogue.device("dc-fuse", rated, "any", plan.code, volts, max(at_bus))
    if fuse is None or not all(_near(t) <= (t.switch.interrupt_a or 0.0) for t in weak):
        return []
    says, changes = "Plan a fuse for each pack at the bus", [Change("/kit/pack_fuses", True)]
    if chained:
        says = "Bring each pack to a bus, with a fuse there"
        changes += [Change("/kit/hookup", "bus"), Change("/kit/takeoff", "star")]
    if fuse != catalogue.device("dc-fuse", rated, "any", plan.code, volts):
        says += f": {fuse.label}"
        changes += [Change(f"/devices/{place_key(x)}", fuse.id) for x in _at_each(network, bank)]
    return [Cure(says, tuple(changes))]


def _at_each(network: Network, bank: Bank) -> list[str]:
    """Where the fuse of each pack stands: at the bus that its run or its chain leads to."""
    leads = {c.source.body: c.load.body for c in network.circuits if c.family == "pack"}
    out = []
    for pack in dict.fromkeys(x for x in (*leads, *leads.values()) if x.startswith("pack-")):
        at = pack
        while at in leads:
            at = leads[at]
        bus = at if at.startswith("dc-bus") else "dc-bus" if bank.banks == 1 else ""
        out += [f"{bus}/{pack.replace('-', ' ')}"] if bus else []
    return out


def _unrated(currents: Sequence[Through]) -> list[Through]:
    """The worst of each kind of device whose plate gives no interrupting rating."""
    worst: dict[str, Through] = {}
    for t in currents:
        key = KINDS[t.switch.kind]
        if t.switch.interrupt_a is None and (key not in worst or t.worst > worst[key].worst):
            worst[key] = t
    return list(worst.values())


def _silent(t: Through, bank: Bank, rule: str) -> Finding:
    figure = through_figure(t, bank)
    says = f"What {t.switch.says} breaks is not known; a short can drive {figure.text} through it."
    cure = Cure("Read it from its plate or ask its maker, and enter it on the shelf")
    key = f"bank.fault.{KINDS[t.switch.kind]}.unknown"
    return check(key, t.switch.body, says, rule, cure, figures=(figure,))


def through_figure(t: Through, bank: Bank) -> Figure:
    """The most a device may have to break, as a figure."""
    return picked(
        "I_k",
        t.worst,
        "A",
        f"Prospective current through {t.switch.says}",
        f"nodal solution; {t.from_a:,.0f} A from its one side, {t.from_b:,.0f} A from its other",
        bank.v_max,
        bank.resistance,
        source="Kirchhoff's laws",
    )
