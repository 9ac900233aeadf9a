"""What the utility can push into a short, against what each breaker on the alternating side breaks.

I_k = U / (U / I_0 + ΣR)   I_0 at the service, ΣR through the job's own conductors as far as there,
                           cold: out and back, or of three phases one line
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.basis.finding import Asked, Cure, Finding, duty, stop
from gumboot.core.codes import OutsideTable, iec, nec
from gumboot.core.kit import MAINS
from gumboot.core.network import Network, Switch, reached
from gumboot.core.plan import Plan
from gumboot.core.size.conductors import SizedCircuit

HOT_OVER_COLD = 1.2  # Table 8 is of conductors at 75 °C; a cold one lets more through


def resistance_ohm(s: SizedCircuit) -> float:
    """Both conductors of a circuit in Ω, cold; one of three phases, whose short between all lines
    is the greatest, and of two lines of them, to be above that between lines and that to neutral; 0
    where the tables have no such size.
    """
    try:
        if s.size.endswith("mm²"):
            each = iec.resistance(s.size, "stranded", s.cable.material).n / 1000
        else:
            each = nec.dc_resistance(s.size, s.cable.material).n / 304.8 / HOT_OVER_COLD
    except OutsideTable:
        return 0.0
    c = s.circuit
    ways = 1 if c.three_phase or (c.phases_apart and c.lines == 2) else 2
    return ways * each * s.conditions.run.length_m / s.sets


def fault_findings(
    plan: Plan, network: Network, sized: Sequence[SizedCircuit]
) -> tuple[dict[str, Figure], list[Finding]]:
    """(prospective current at each breaker, by the breaker's key; which cannot break it, and the
    duty
    to read on their plates what those break that nobody knows it of). NEC 110.9, IEC 60364-4-43
    434.5.1.
    """
    if plan.supply.kind == "off-grid":
        return {}, []
    rule, known = plan.book.clauses["utility fault"], plan.supply.fault_a
    if known is None:
        says = (
            "The utility's prospective fault current at the service is not known: ask, and type it"
            " in Brief; every breaker there has to break it."
        )
        asked = Asked("Brief", "form")
        return {}, [duty("supply.fault", "main-panel", says, rule, asked)]
    mains = MAINS[plan.supply.kind]
    volts = mains.to_neutral if mains.wye or len(mains.lines) == 1 else mains.between
    u = given("U", volts, "V", "Voltage", "supply")
    silent: list[tuple[Switch, Figure]] = []
    at_service = given("I_0", known, "A", "At the service", "the utility")
    wires = {frozenset((w.a, w.b)): w.circuit for w in network.wires if w.circuit}
    ohms = {s.id: resistance_ohm(s) for s in sized}
    came = reached(network, ["service"], lambda s: True, "ac")
    out: dict[str, Figure] = {}
    found: list[Finding] = []
    for switch in network.switches:
        node = next((n for n in (switch.a, switch.b) if n in came), None)
        known_of = switch.interrupt_a is not None or switch.kind == "breaker"
        if not known_of or node is None or switch.works == "battery":
            continue
        total = _along(node, came, wires, ohms)
        r = given("R", round(total, 6), "Ω", "Conductors as far as there", "plan")
        i = solve(
            "I_k",
            "A",
            f"Prospective current at {switch.says}",
            "U / (U / I_0 + R)",
            u,
            at_service,
            r,
            source="Ohm's law",
            assumption="the utility's impedance taken as resistance",
        )
        out[switch.id] = i
        if switch.interrupt_a is None:
            silent.append((switch, i))
        elif i.n > switch.interrupt_a:
            says = (
                f"A short at {switch.says} draws {i.n / 1000:.3g} kA; it breaks"
                f" {switch.interrupt_a / 1000:g} kA."
            )
            cure = Cure(
                "Choose a device that breaks more, or one that is series-rated with its main"
            )
            key = f"{switch.body}.breaks"
            if key not in {f.key for f in found}:
                found.append(stop(key, switch.body, says, rule, cure, figures=(i,)))
    return out, found + _unread(silent, rule)


def _unread(silent: list[tuple[Switch, Figure]], rule: str) -> list[Finding]:
    """The duty to read what each breaker breaks that stands there already, or says nothing
    of it.
    """
    if not silent:
        return []
    names = list(dict.fromkeys(s.says for s, _ in silent))
    most = max((i for _, i in silent), key=lambda i: i.n)
    says = (
        f"What these break is read on them: {'; '.join(names)}. A short there draws up to"
        f" {most.n / 1000:.3g} kA, and the least of them breaks that or is series-rated for it."
    )
    asked = Asked("Land", "current", least=float(math.ceil(most.n - 1e-6)))
    return [duty("supply.fault.unread", "main-panel", says, rule, asked, figures=(most,))]


def _along(
    node: str, came: dict[str, str], wires: dict[frozenset[str], str], ohms: dict[str, float]
) -> float:
    """The resistance in Ω of the sized circuits between the service and a node."""
    total = 0.0
    while came[node] != node:
        total += ohms.get(wires.get(frozenset((node, came[node])), ""), 0.0)
        node = came[node]
    return total
