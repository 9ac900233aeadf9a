"""Sources that could come onto one bar, a generator and what it lands on, a PV inverter in an
island.
"""

from __future__ import annotations

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, check, duty, stop
from gumboot.core.kit import Gateway, Inverter
from gumboot.core.network import Meeting, Network, meeting
from gumboot.core.plan import ExistingPv, Plan

THROTTLE = f"EN 50549-1 4.6; {COMMON_PRACTICE}"


def meeting_findings(
    plan: Plan, inverter: Inverter, gateway: Gateway | None, network: Network
) -> list[Finding]:
    """Two sources on one bar: a stop with the cure named. Where a listed device keeps them apart, a
    check to see it on site.
    """
    rule = plan.book.clauses["sources meet"]
    found = _no_output(plan, inverter, gateway, rule)
    met = meeting(network)
    found += _met(met, rule)
    if not found and "transfer-switch" in network.body:
        says = (
            "Grid and inverter output must never meet on one bus: the changeover has to break"
            " before it makes."
        )
        says += " Tried: both positions cannot be on together."
        found.append(duty("source.meet", "transfer-switch", says, rule, Asked("Wake")))
    found += _generator(plan, inverter)
    for n, pv in enumerate(plan.kit.pv_inverters):
        if pv.side == "backup side":
            found += _pv_in_island(plan, inverter, pv, n)
    return found


def _no_output(plan: Plan, inverter: Inverter, gateway: Gateway | None, rule: str) -> list[Finding]:
    if plan.supply.kind == "off-grid" and inverter.backup is None:
        says = f"{inverter.model} has no output of its own: off grid it would feed nothing."
        cure = Cure("Choose an inverter-charger, or a hybrid with a backup port")
        return [stop("source.island", "inverter-1", says, rule, cure)]
    wanted = plan.backup.loads != "nothing" and plan.supply.kind != "off-grid"
    if wanted and gateway is None and inverter.backup is None:
        says = (
            f"{inverter.model} has no backup port, and no gateway is planned: in an outage it would"
            " feed the grid, or nothing."
        )
        nothing = Cure("Back nothing up", (Change("/backup/loads", "nothing"),))
        cures = (Cure("Choose a gateway that fits"), nothing)
        return [stop("source.island", "main-panel", says, rule, *cures)]
    return []


def _met(met: tuple[Meeting, ...], rule: str) -> list[Finding]:
    """One stop for each kind of meeting, naming the switches that let it come about."""
    found: dict[str, Finding] = {}
    for m in met:
        names = " and ".join(s.says for s in m.by) or "what joins them"
        body = m.by[-1].body if m.by else "main-panel"
        pair = f"{m.one.name} and {m.other.name[:1].lower()}{m.other.name[1:]}"
        if "generator" in (m.one.kind, m.other.kind):
            says = f"{pair} can meet on one bus: no interlock keeps {names} apart."
            change = Change("/kit/generator/interlock", True)
            cure = Cure("Fit an interlock plate", (change,))
            key = "source.generator"
            found.setdefault(key, stop(key, "loads-panel", says, rule, cure))
            continue
        says = (
            f"{names} let {m.one.name.lower()} and {m.other.name.lower()} meet on one bus: the"
            " inverter is destroyed, or the grid is back-fed."
        )
        fits = (
            ("a listed transfer switch", "transfer switch"),
            ("an interlock between the two breakers", "interlocked breakers"),
        )
        cures = [Cure(f"Fit {w}", (Change("/backup/changeover", v),)) for w, v in fits]
        found.setdefault("source.meet", stop("source.meet", body, says, rule, *cures))
    return list(found.values())


def _generator(plan: Plan, inverter: Inverter) -> list[Finding]:
    """A generator on a port that is not there or serves something else; one too small."""
    generator = plan.kit.generator
    if generator is None or generator.lands == "loads panel":
        return []
    found: list[Finding] = []
    panel = Cure(
        "Land it in the loads panel behind an interlock",
        (Change("/kit/generator/lands", "loads panel"), Change("/kit/generator/interlock", True)),
    )
    if plan.kit.port_use and inverter.generator:
        says = f"The generator port serves a {plan.kit.port_use.use}: the generator has no input."
        free = Cure("Keep the port for the generator", (Change("/kit/port_use", None),))
        found.append(stop("generator.port", "generator", says, "plan", panel, free))
    elif inverter.generator is None and not (plan.supply.kind == "off-grid" and inverter.grid):
        says = f"{inverter.model} has no input for a generator."
        found.append(stop("generator.port", "generator", says, "inverter sheet", panel))
    if generator.power_w <= inverter.power_w:
        says = (
            f"The generator gives {generator.power_w / 1000:g} kW and the inverter it feeds is one"
            f" of {inverter.power_w / 1000:g} kW: loads and charger together stall it."
        )
        cure = Cure(f"Choose a generator above {inverter.power_w / 1000:g} kW")
        found.append(stop("generator.small", "generator", says, COMMON_PRACTICE, cure))
    return found


def _pv_in_island(plan: Plan, inverter: Inverter, pv: ExistingPv, n: int) -> list[Finding]:
    """A PV inverter on the backed-up side: in an outage the battery inverter must take what it
    gives, and be able to throttle it.
    """
    at = "/kit/existing_pv" if n == 0 else f"/kit/more_pv/{n - 1}"
    if n == 0 and plan.kit.existing_pv is None:
        at = "/kit/more_pv/0"
    place = "pv-inverter" if n == 0 else f"pv-inverter-{n + 1}"
    mark = "" if n == 0 else f".{n + 1}"
    found: list[Finding] = []
    power = plan.kit.inverters * inverter.power_w
    move = Cure("Move the PV inverter to the grid side", (Change(f"{at}/side", "grid side"),))
    if pv.power_w > power:
        says = (
            f"In an outage the {pv.power_w / 1000:g} kW PV inverter can push more than the"
            f" {power / 1000:g} kW the battery inverter takes in."
        )
        found.append(stop(f"pv.island{mark}", place, says, COMMON_PRACTICE, move))
    if pv.obeys_frequency == "no":
        says = (
            "The PV inverter does not obey a rising frequency: with a full battery in an outage"
            " nothing could hold it back."
        )
        found.append(stop(f"pv.frequency{mark}", place, says, THROTTLE, move))
    elif pv.obeys_frequency == "unknown":
        says = (
            "It is not known whether the PV inverter lowers its output when frequency rises:"
            " islanded, that is all that protects a full battery."
        )
        yes = Cure(
            "Read its grid settings, then say so in Brief",
            (Change(f"{at}/obeys_frequency", "yes"),),
        )
        found.append(check(f"pv.frequency{mark}", place, says, THROTTLE, yes))
    return found
