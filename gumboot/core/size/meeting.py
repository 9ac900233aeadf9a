"""Sources that could come onto one bar, a generator and what it lands on, a PV inverter in an
island.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence

from gumboot.core.basis.figure import COMMON_PRACTICE, given, solve
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, check, duty, stop
from gumboot.core.kit import MAINS, Gateway, Inverter
from gumboot.core.network import Meeting, Network, meeting
from gumboot.core.network.house import house_supply, sun_beside, units_on
from gumboot.core.plan import ExistingPv, Plan

Watts = dict[str, float]  # by line
IMBALANCE_W = 4600.0  # between lines: VDE-AR-N 4105, from memory; national rules differ
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
    found += _imbalance(plan, inverter)
    found += _pv_in_island(plan, inverter)
    found += _sun_on_generator(plan)
    found += (f for n, pv in plan.island_pv.items() for f in _throttled(plan, pv, n))
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
        names = "; ".join(s.says for s in m.by) or "what joins them"
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
    fed = plan.kit.on_generator
    if generator.power_w <= fed * inverter.power_w:
        who, each = (
            ("the inverter it feeds is one", "")
            if fed == 1
            else (f"the inverters it feeds are {fed}", " each")
        )
        says = (
            f"The generator gives {generator.power_w / 1000:g} kW and {who} of"
            f" {inverter.power_w / 1000:g} kW{each}: loads and charger together stall it."
        )
        cure = Cure(f"Choose a generator above {fed * inverter.power_w / 1000:g} kW")
        one = Cure("Land it on one inverter", (Change("/kit/generator/lands", "inverter"),))
        fewer = [one] if fed > 1 and generator.power_w > inverter.power_w else []
        cures = [*fewer, cure]
        found.append(stop("generator.small", "generator", says, COMMON_PRACTICE, *cures))
    return found


def _sun_on_generator(plan: Plan) -> list[Finding]:
    """PV inverters that run along with a generator, which takes nothing back."""
    some = plan.island_pv
    if plan.kit.generator is None or not some:
        return []
    who = "the PV inverter runs" if len(some) == 1 else "the PV inverters run"
    gives = sun_beside(plan)
    says = (
        f"While the generator runs, {who} along with it: what the house does not use, up to"
        f" {gives.text}, is pushed back into the generator."
    )
    lock = Cure("Keep the PV breaker off while the generator runs, by hand and placard or by relay")
    away = tuple(Change(f"{plan.pv_path(n)}/side", "grid side") for n in some)
    move = [Cure("Move it to the grid side", away)] if plan.supply.kind != "off-grid" else []
    return [
        check("generator.sun", "generator", says, COMMON_PRACTICE, lock, *move, figures=(gives,))
    ]


def _pushed(some: Iterable[ExistingPv], lines: Sequence[str], fed: Collection[str]) -> Watts:
    """W that PV inverters give on each line of a house. One of which a line stays dead does not
    run.
    """
    out = dict.fromkeys(lines, 0.0)
    for pv in some:
        mine = [pv.line] if len(lines) == 3 and pv.line != "all" else lines
        for line in mine if set(mine) <= set(fed) else ():
            out[line] += pv.power_w / len(mine)
    return out


def _imbalance(plan: Plan, inverter: Inverter) -> list[Finding]:
    """What single-phase units push into one line of a three-phase service more than another."""
    if not plan.supply.kind.startswith("three") or plan.book.american:
        return []
    lines = MAINS[house_supply(plan, inverter)].lines
    on = units_on(plan, inverter) if inverter.feeds_grid else {}
    each = inverter.power_w / len(inverter.lines)
    sun = _pushed(plan.kit.pv_inverters, lines, lines)
    gives = {x: on.get(x, 0) * each + sun[x] for x in lines}
    most, least = (pick(gives, key=lambda x: gives[x]) for pick in (max, min))
    limit = plan.energy.tariff.export_limit_w
    held = limit is not None and limit <= IMBALANCE_W
    if held or gives[most] - gives[least] <= IMBALANCE_W:
        return []
    high = given("P_most", gives[most], "W", f"Into {most}", "sheets and brief")
    low = given("P_least", gives[least], "W", f"Into {least}", "sheets and brief")
    apart = solve("P_apart", "W", "Apart", "P_most - P_least", high, low, source="definition")
    says = (
        f"All sources at full output push {high.text} into {most} and {low.text} into {least}:"
        f" {apart.text} apart. Network operators commonly allow {IMBALANCE_W / 1000:g} kW."
    )
    ask = Cure("Spread them over the lines, limit the output, or have the operator's letter")
    rule = "network operator's rules; VDE-AR-N 4105: 4.6 kVA, from memory"
    return [check("supply.imbalance", "main-panel", says, rule, ask, figures=(apart,))]


def _pv_in_island(plan: Plan, inverter: Inverter) -> list[Finding]:
    """PV inverters that stay with the house: in an outage the units must take in what those give
    together, on each line.
    """
    some, lines = plan.island_pv, MAINS[house_supply(plan, inverter)].lines
    each = inverter.power_w / len(inverter.lines)
    takes = {line: n * each for line, n in units_on(plan, inverter).items() if n}

    def over(kept: Iterable[ExistingPv]) -> Watts:
        """What is too much on each line."""
        gives = _pushed(kept, lines, takes)
        return {x: gives[x] - w for x, w in takes.items() if gives[x] > w + 0.5}

    bad = over(some.values())
    if not bad:
        return []
    line = max(bad, key=lambda x: bad[x])
    even = len({round(w) for w in bad.values()}) == 1 and len(bad) == len(takes)
    whole, where = (len(takes), "") if even else (1, f" on {line}")
    shares = [(n, _pushed([pv], lines, takes)[line] * whole) for n, pv in some.items()]
    each_w = [given(f"P_{n + 1}", w, "W", f"PV inverter {n + 1}", "brief") for n, w in shares if w]
    how = " + ".join(f.symbol for f in each_w)
    gives = solve("P_sun", "W", f"PV inverters{where}", how, *each_w, source="sum")
    power = given("P", each * whole, "W", f"One inverter{where}", "inverter sheet")
    count = given("n_inv", units_on(plan, inverter)[line], "", f"Inverters{where}", "plan")
    taken = solve("P_take", "W", f"They take in{where}", "n_inv * P", count, power, source="sum")
    who = "the PV inverter pushes" if len(some) == 1 else "the PV inverters push"
    units = "the battery inverters take" if plan.kit.inverters > 1 else "the battery inverter takes"
    says = (
        f"{_when(plan)} {who} up to {gives.text}{where}; {units} in"
        f" {taken.text}{' there' if where else ''}."
    )
    cures, shown = _moved(plan, some, over), (gives, taken)
    return [stop("pv.island", "pv-inverter", says, COMMON_PRACTICE, *cures, figures=shown)]


def _when(plan: Plan) -> str:
    return "Off grid" if plan.supply.kind == "off-grid" else "In an outage"


def _moved(
    plan: Plan, some: dict[int, ExistingPv], over: Callable[[Iterable[ExistingPv]], Watts]
) -> list[Cure]:
    """Moves to the grid's side that leave no more than the units take."""
    if plan.supply.kind == "off-grid":
        return [Cure("Take a smaller PV inverter, or larger units")]
    away = {n: Change(f"{plan.pv_path(n)}/side", "grid side") for n in some}
    if len(some) == 1:
        return [Cure("Move the PV inverter to the grid side", tuple(away.values()))]
    enough = [n for n in some if not over(pv for k, pv in some.items() if k != n)]
    moves = [Cure(f"Move PV inverter {n + 1} to the grid side", (away[n],)) for n in enough]
    return moves or [Cure("Move the PV inverters to the grid side", tuple(away.values()))]


def _throttled(plan: Plan, pv: ExistingPv, n: int) -> list[Finding]:
    """Whether a PV inverter in an island can be held back."""
    mark, place = ("", "pv-inverter") if n == 0 else (f".{n + 1}", f"pv-inverter-{n + 1}")
    at = plan.pv_path(n)
    if pv.obeys_frequency == "no":
        says = (
            "The PV inverter does not obey a rising frequency:"
            f" {_when(plan).lower()}, with a full battery, nothing could hold it back."
        )
        move = (
            Cure("Take one that does")
            if plan.supply.kind == "off-grid"
            else Cure("Move the PV inverter to the grid side", (Change(f"{at}/side", "grid side"),))
        )
        return [stop(f"pv.frequency{mark}", place, says, THROTTLE, move)]
    if pv.obeys_frequency == "unknown":
        says = (
            "It is not known whether the PV inverter lowers its output when frequency rises:"
            " islanded, that is all that protects a full battery."
        )
        yes = Cure(
            "Read its grid settings, then say so in Brief",
            (Change(f"{at}/obeys_frequency", "yes"),),
        )
        return [check(f"pv.frequency{mark}", place, says, THROTTLE, yes)]
    return []
