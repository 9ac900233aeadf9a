"""What measures at the house's board: the meter and its current transformers, as chosen from the
shelf, against the service. Silent where none is chosen.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.basis.finding import Change, Cure, Finding, check, note, stop
from gumboot.core.brief.chapters import KIT, chosen
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.kit import LINES, Catalogue, CurrentTransformer, Meter
from gumboot.core.network.chapters import NETWORK
from gumboot.core.plan import Plan

METER_SHEET, CT_SHEET = "meter's sheet", "transformer's sheet"
AT = "main-panel"


@dataclass(frozen=True, slots=True, eq=False)
class Metering:
    """The meter, its transformers and how many of those: one a live conductor of the service that
    the meter does not carry itself, and one a line of every PV inverter. wanted: whether a unit of
    the job asks for a measurement at the board; one whose sheet says nothing of links may. ratio:
    what flows for what comes out.
    """

    meter: Meter | None
    ct: CurrentTransformer | None
    count: int
    wanted: bool
    ratio: Figure | None
    found: tuple[Finding, ...]


def transformers(plan: Plan, meter: Meter | None) -> int:
    """How many current transformers a job has at its board and at its PV inverters."""
    lines = len(LINES.get(plan.supply.kind, ("L1",)))
    own = sum(lines if pv.line == "all" else 1 for pv in plan.kit.pv_inverters)
    return (0 if meter and meter.through == "itself" else lines) + own


def _metering(d: Draft) -> Metering:
    plan, shelf = d.plan, d.catalogue
    meter, ct = shelf.meters.get(plan.kit.meter or ""), shelf.cts.get(plan.kit.ct or "")
    unit, gateway = chosen(d).inverter, chosen(d).gateway
    silent = not unit.signals and not (gateway and gateway.meter_inside) and bool(meter or ct)
    wanted = silent or any(x.load == AT for x in d[NETWORK].links)
    found = tuple(metering_findings(plan, shelf, meter, ct, wanted))
    return Metering(meter, ct, transformers(plan, meter), wanted, _ratio(ct), found)


def _ratio(ct: CurrentTransformer | None) -> Figure | None:
    """The ratio that is keyed where a menu asks for one."""
    if ct is None or ct.out_a is None:
        return None
    primary = given("I_1", ct.primary_a, "A", "Current through it", CT_SHEET)
    out = given("I_2", ct.out_a, "A", "Current that comes out then", CT_SHEET)
    return solve("r", "", "Ratio of the transformers", "I_1 / I_2", primary, out, source=CT_SHEET)


def metering_findings(
    plan: Plan,
    shelf: Catalogue,
    meter: Meter | None,
    ct: CurrentTransformer | None,
    wanted: bool,
) -> Iterator[Finding]:
    """A meter of too few lines or amperes, transformers it does not read or that end below the main
    breaker.
    """
    if (plan.kit.meter or plan.kit.ct) and not wanted:
        says = "A meter or transformers are chosen, and no unit of this job measures at the board."
        none = Cure("Choose none", (Change("/kit/meter", None), Change("/kit/ct", None)))
        yield note("meter.idle", AT, says, "inverter sheet", none)
        return
    lines = len(LINES.get(plan.supply.kind, ("L1",)))
    main = plan.supply.main_breaker_a
    if meter and meter.lines < lines:
        says = f"{meter.maker} {meter.model} measures {meter.lines} of the service's {lines} lines."
        yield stop("meter.lines", AT, says, METER_SHEET, *_others(shelf, lines, main))
    elif meter and meter.through == "itself" and main and main > (meter.most_a or 0):
        says = f"{meter.maker} {meter.model} carries {meter.most_a:g} A; the main is {main:g} A."
        yield stop("meter.amps", AT, says, METER_SHEET, *_others(shelf, lines, main))
    if ct is None:
        return
    like = [x for x in shelf.cts.values() if meter is None or meter.reads(x)]
    large = sorted((x for x in like if x.primary_a >= (main or 0)), key=lambda x: x.primary_a)
    cures = tuple(
        Cure(f"Choose {x.maker} {x.model}", (Change("/kit/ct", x.id),)) for x in large[:1]
    )
    none = Cure("Enter one on the shelf that does")
    if meter and not meter.reads(ct):
        says = f"{ct.maker} {ct.model} gives {ct.says}; {meter.model} does not read that."
        yield stop("ct.reads", AT, says, METER_SHEET, *(cures or (none,)))
    elif main and ct.primary_a < main:
        says = (
            f"The transformers end at {ct.primary_a:g} A and the main at {main:g} A: above that the"
            " meter reads too little, and a limit of import or export is not kept."
        )
        yield check("ct.range", AT, says, COMMON_PRACTICE, *(cures or (none,)))


def _others(shelf: Catalogue, lines: int, main: float | None) -> tuple[Cure, ...]:
    """Meters of the shelf that do, the first as a click."""
    fit = sorted(
        (
            m
            for m in shelf.meters.values()
            if m.lines >= lines and (m.through == "transformers" or (m.most_a or 0) >= (main or 0))
        ),
        key=lambda m: (m.lines, m.id),
    )
    clicks = (Cure(f"Choose {m.maker} {m.model}", (Change("/kit/meter", m.id),)) for m in fit[:1])
    return (
        *clicks,
        Cure("Choose none: the unit's own meter serves", (Change("/kit/meter", None),)),
    )


def _figures(x: Metering) -> Iterable[tuple[str, Figure]]:
    return (("meter.ratio", x.ratio),) if x.ratio else ()


METERING: Chapter[Metering] = Chapter(
    "metering",
    _metering,
    reads=("kit", "supply"),
    requires=(KIT, NETWORK),
    findings=lambda x, d: x.found,
    figures=_figures,
)
