"""The service: whether the unit suits it, what its busbar may be fed, and the connection ahead of
the main.
"""

from __future__ import annotations

from collections.abc import Sequence

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, check, duty, stop
from gumboot.core.basis.sizes import area_mm2
from gumboot.core.codes import OutsideTable, iec
from gumboot.core.codes.books import BOOKS
from gumboot.core.kit import MAINS, Gateway, Inverter, spreads
from gumboot.core.network import Network
from gumboot.core.network.currents import plate_current
from gumboot.core.network.house import house_supply, most_on_a_line, units_on
from gumboot.core.plan import Plan
from gumboot.core.size.bank import charges_from_ac
from gumboot.core.size.busbars import output_of
from gumboot.core.size.conductors import SizedCircuit


def supply_findings(plan: Plan, inverter: Inverter, gateway: Gateway | None) -> list[Finding]:
    """A unit, gateway or code book that does not belong to this supply; a main or a bus not yet
    read.
    """
    found: list[Finding] = []
    kind = plan.supply.kind
    if not serves(inverter, plan):
        says = f"{inverter.model} is made for {inverter.supply}; the supply here is {kind}."
        found.append(
            stop(
                "supply.kind",
                "main-panel",
                says,
                "inverter sheet",
                Cure(f"Choose an inverter for {kind}"),
                Cure(
                    f"The supply is {inverter.supply}", (Change("/supply/kind", inverter.supply),)
                ),
            )
        )
    if gateway and gateway.supply != house_supply(plan, inverter):
        found.append(
            stop(
                "gateway.supply",
                "gateway",
                f"{gateway.model} is made for {gateway.supply}, the house is"
                f" {house_supply(plan, inverter)}.",
                "gateway sheet",
                Cure("Choose a gateway of the inverter's supply"),
            )
        )
    together = most_on_a_line(plan, inverter) * plate_current(inverter).n
    if gateway and together > gateway.inverter.i_max_a:
        says = (
            f"The inverters give {together:.4g} A;"
            f" {gateway.model} takes {gateway.inverter.i_max_a:g} A."
        )
        found.append(
            stop(
                "gateway.current",
                "gateway",
                says,
                "gateway sheet",
                Cure("Choose a larger gateway, or fewer inverters"),
            )
        )
    if gateway and plan.backup.board_a and plan.backup.board_a > gateway.i_max_a:
        says = (
            f"The loads' feeder is rated {plan.backup.board_a:g} A; {gateway.model} passes"
            f" {gateway.i_max_a:g} A."
        )
        found.append(
            stop(
                "gateway.loads",
                "gateway",
                says,
                "gateway sheet",
                Cure(
                    f"Protect the feeder at {gateway.i_max_a:g} A",
                    (Change("/backup/board_a", gateway.i_max_a),),
                ),
            )
        )
    american = MAINS[inverter.supply].american
    if american != plan.book.american:
        right = next(b.code for b in BOOKS.values() if b.american == american)
        found.append(
            stop(
                "code.supply",
                "plan",
                f"A unit for {inverter.supply} is planned under the {plan.book.short}.",
                "plan",
                Cure("Use the other code book", (Change("/code", right),)),
            )
        )
    if kind != "off-grid":
        at_grid = len(plan.kit.pv_inverters) - len(plan.island_pv)
        past = plan.supply.connection == "supply-side tap" and not at_grid  # its bar takes nothing
        asked = (("main_breaker_a", "main breaker"), *(() if past else (("bus_a", "busbar"),)))
        for field, words in asked:
            if getattr(plan.supply, field) is None:
                found.append(
                    check(
                        f"supply.{field}",
                        "main-panel",
                        f"The rating of the {words} is not known.",
                        "survey",
                        Cure("Read it from the panel's label and type it in Brief"),
                    )
                )
    return [
        *found,
        *tap_findings(plan),
        *single_findings(plan, inverter),
        *line_findings(plan, inverter),
        *dark_findings(plan, inverter),
    ]


def dark_findings(plan: Plan, inverter: Inverter) -> list[Finding]:
    """A whole house on backup, some of whose lines no unit feeds."""
    dark = [line for line, count in units_on(plan, inverter).items() if not count]
    if not dark or plan.backup.loads != "whole house":
        return []
    says = (
        f"The whole house is on backup, and no inverter stands on {' and '.join(dark)}: what hangs"
        " there is dark in an outage."
    )
    cure = Cure("Plan an inverter for each line, or back up an essential board")
    return [check("backup.lines", "plan", says, COMMON_PRACTICE, cure)]


def line_findings(plan: Plan, inverter: Inverter) -> list[Finding]:
    """Lines typed for units that the house does not have, or off grid lines that make none."""
    if len(inverter.lines) > 1:
        return []
    typed, house = set(plan.kit.lines.split()[: plan.kit.inverters]), house_supply(plan, inverter)
    if typed <= set(MAINS[house].lines) or (plan.supply.kind == "off-grid" and len(typed) == 1):
        return []
    usual = [k for k in MAINS if spreads(inverter.supply, k)]
    if plan.supply.kind != "off-grid":
        may = f"it has {', '.join(MAINS[house].lines)}"
    else:
        may = "; ".join(f"{', '.join(MAINS[k].lines)} make {k}" for k in usual)
    says = f"The units are planned on {', '.join(sorted(typed))}, which is no house: {may}."
    cure = Cure("Let them take the lines in turn", (Change("/kit/lines", ""),))
    return [stop("kit.lines", "plan", says, "plan", cure)]


def single_supply(plan: Plan, inverter: Inverter) -> bool:
    """Whether one line of 120 V alone feeds a house, whose panel may be made for two."""
    mains = MAINS[house_supply(plan, inverter)]
    return plan.supply.kind == "off-grid" and mains.american and len(mains.lines) == 1


def single_findings(plan: Plan, inverter: Inverter) -> list[Finding]:
    """Two circuits that share a neutral are safe on two opposite lines only: on one their currents
    add up in it, and no breaker sees that. NEC 710.15(C).
    """
    if not single_supply(plan, inverter) or "single supply" not in plan.book.clauses:
        return []
    says = (
        "One line of 120 V feeds the panel: no two of its circuits share a neutral (no multiwire"
        " circuit, no 240 V outlet), and the ratings of all sources together stay below its neutral"
        " bar's. Look at every cable that lands there."
    )
    rule = plan.book.clauses["single supply"]
    return [duty("supply.single", "loads-panel", says, rule, Asked("Land"))]


def tap_findings(plan: Plan) -> list[Finding]:
    """A connection ahead of the main: its disconnect, and the size of service it hangs on. NEC
    705.11.
    """
    if plan.supply.connection != "supply-side tap" or plan.supply.kind == "off-grid":
        return []
    found = [
        duty(
            "supply.tap",
            "main-panel",
            "The connection is ahead of the main breaker, live whatever is switched: the utility"
            " isolates first, and the fused disconnect is within 10 ft (3 m) of the tap.",
            plan.book.clauses["tap"],
            Asked("Land"),
        )
    ]
    if plan.book.asks_service and plan.supply.service_size is None:
        found.append(
            check(
                "supply.service",
                "main-panel",
                "The size of the service conductors is not known: a tap may not feed them more than"
                " they carry.",
                plan.book.clauses["service"],
                Cure("Read it and type it in Brief"),
            )
        )
    return found


def service_limit(
    plan: Plan, inverter: Inverter, network: Network
) -> tuple[Figure | None, list[Finding]]:
    """(ampacity of the service conductors, findings): on a tap the sum of the sources' rated
    currents may not be above it. NEC 705.11(A). Of unknown metal they are taken as aluminium.
    """
    size = plan.supply.service_size
    ampacity = plan.book.ampacity
    if plan.supply.connection != "supply-side tap" or size is None:
        return None, []
    if not plan.book.asks_service or ampacity is None:
        return None, []
    out = output_of([s for s in network.sources if s.kind == "inverter"], plan, inverter)
    try:
        service = ampacity(size, "raceway", "Cu" if plan.supply.service_metal == "Cu" else "Al")
    except OutsideTable as exc:
        return None, [
            stop(
                "supply.service.size",
                "main-panel",
                f"The service conductors: {exc}.",
                plan.book.name,
                Cure("Type their size as the book has it, such as 4/0"),
            )
        ]
    if out.n <= service.n:
        return service, []
    says = (
        f"The inverters' {out.text} is more than the service conductors' {service.text}"
        f"{'' if plan.supply.service_metal != 'unknown' else ', taken as aluminium'}."
    )
    return service, [
        stop(
            "supply.service.over",
            "main-panel",
            says,
            plan.book.clauses["service"],
            *(
                [Cure("They are copper", (Change("/supply/service_metal", "Cu"),))]
                if plan.supply.service_metal == "unknown"
                and out.n <= ampacity(size, "raceway", "Cu").n
                else []
            ),
            Cure("Fewer inverters, or a larger service"),
            figures=(out, service),
        )
    ]


MADE_HERE = ("backup", "backup-feeder", "loads")  # lines of what the units make, off grid


def electrode(plan: Plan, circuits: Sequence[SizedCircuit] = ()) -> Figure | None:
    """The grounding electrode conductor: of the service, when its size is known (of unknown metal
    it is taken as copper, which asks for more); off grid by the largest line of the system that
    the units make. NEC 250.66, 250.30(A)(5).
    """
    sized, service = plan.book.electrode, plan.supply.service_size
    metal = "Al" if plan.supply.service_metal == "Al" else "Cu"
    if plan.supply.kind == "off-grid":
        lines = [s for s in circuits if s.circuit.family in MADE_HERE]
        largest = max(lines, key=lambda s: s.sets * area_mm2(s.size), default=None)
        service, metal = (largest.size, largest.cable.material) if largest else (None, "Cu")
    if sized is None or service is None:
        return None
    try:
        return sized(service, metal)
    except (OutsideTable, ValueError):
        return None


def main_bonding(plan: Plan, circuits: Sequence[SizedCircuit]) -> Figure | None:
    """The main bonding conductor of the installation: by the size of its service, else by the least
    that its main breaker may protect; off grid by the job's largest earth. None where the book
    sizes it otherwise.
    """
    sized, service, main = plan.book.main_bonding, plan.supply.service_size, plan.supply
    if sized is None:
        return None
    earths = [str(s.protective.value) for s in circuits if s.circuit.power_factor]
    if service and service in iec.SIZES:
        return sized(str(iec.protective_conductor(service).value))
    if main.main_breaker_a and main.kind != "off-grid":
        loaded = 3 if main.kind.startswith("three") else 2
        enough = (x for x in iec.SIZES if _carries(x, loaded) >= (main.main_breaker_a or 0))
        least = next(enough, iec.SIZES[-1])
        found = sized(str(iec.protective_conductor(least).value))
        says = f"the service taken as {least}, the least its main may protect: look at it"
        return found._replace(assumption=says)
    return sized(max(earths, key=area_mm2)) if earths else None


def _carries(size: str, loaded: int) -> float:
    return iec.ampacity(size, 70, "C", loaded).n


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
    if any(not s.controller for s in plan.strings) and not inverter.trackers:
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
    return found + _port_findings(plan, inverter)


def _port_findings(plan: Plan, inverter: Inverter) -> list[Finding]:
    """A unit that lands on no circuit of the house; one that never meets the grid; a battery that
    nothing charges.
    """
    out: list[Finding] = []
    on_grid, sheet = plan.supply.kind != "off-grid", "inverter sheet"
    backed = inverter.backup is not None and plan.backup.loads != "nothing"
    lands = inverter.grid is not None or backed
    meets = inverter.grid is not None or plan.kit.gateway is not None
    enter = Cure("Enter its grid port on the shelf")
    if on_grid and not lands:
        says = (
            f"The sheet of {inverter.model} has no grid port, and nothing is backed up: it lands on"
            " no circuit of the house."
        )
        change = Change("/backup/loads", "essential board")
        essential = [Cure("Back up an essential board", (change,))] if inverter.backup else []
        out.append(stop("unit.unconnected", "inverter-1", says, sheet, enter, *essential))
    elif on_grid and not meets:
        says = (
            f"The sheet of {inverter.model} has no grid port: it is planned as a unit that never"
            " meets the grid."
        )
        out.append(check("unit.grid-port", "inverter-1", says, sheet, enter))
    packs = plan.kit.packs or inverter.pack_inside
    charged = plan.strings or plan.kit.gateway or charges_from_ac(plan, inverter)
    if packs and not charged:
        says = "Nothing charges the battery: no string, no generator, no grid."
        plan_it = Cure("Plan strings or a generator")
        cures = (plan_it, enter) if on_grid else (plan_it,)
        out.append(stop("bank.uncharged", "bank", says, COMMON_PRACTICE, *cures))
    return out


def suits(plan: Plan, inverter: Inverter, gateway: Gateway | None) -> bool:
    """Whether unit, gateway and code book belong to this supply; nothing is laid out otherwise."""
    return (
        serves(inverter, plan)
        and (gateway is None or gateway.supply == house_supply(plan, inverter))
        and MAINS[inverter.supply].american == plan.book.american
    )


def serves(inverter: Inverter, plan: Plan) -> bool:
    """Whether a unit may stand on a supply: on its own kind, or single-phase on a
    three-phase one.
    """
    kind = plan.supply.kind
    return kind in ("off-grid", inverter.supply) or spreads(inverter.supply, kind)
