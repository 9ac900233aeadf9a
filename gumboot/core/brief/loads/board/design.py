"""The circuits on backup, in all and leg by leg."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.basis.clock import DAY, covered
from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.brief.loads.board.hours import DAY_STEPS, STEP_MIN, may_run
from gumboot.core.brief.loads.board.legs import Leg, Sheet, design_leg, not_together, sum_of
from gumboot.core.brief.loads.board.neutral import Unlike, worst_neutral
from gumboot.core.brief.loads.board.ratings import leg_ratings, pass_through, ratings
from gumboot.core.brief.loads.board.starting import starting_power
from gumboot.core.kit import MAINS, Gateway, Inverter
from gumboot.core.network.house import house_supply
from gumboot.core.plan import Load, Plan
from gumboot.core.size.conductors import SizedCircuit
from gumboot.core.size.derating import derated

NIGHT = (18 * 60, 8 * 60)  # when no sun is counted on, by the clock: common practice


@dataclass(frozen=True, slots=True)
class Board:
    """The circuits on backup, in all and leg by leg; what the feed passes, A a leg; energy in kWh
    of a day and a night, and nights covered.

    unlike: what lines leave in the neutral with all running that may. wye: whether lines stand
    120° apart. together: pairs of loads (ids) that each
    start alone and not at one moment.
    """

    total: Leg
    legs: tuple[Leg, ...]
    pass_through: Figure | None
    house: tuple[Figure, ...]
    starting: dict[str, Figure]
    together: tuple[tuple[str, str], ...]
    e_day: Figure
    e_night: Figure
    nights: Figure | None
    unlike: Unlike | None = None
    wye: bool = False

    @property
    def neutral(self) -> Figure | None:
        """The neutral's A with all running that may."""
        return self.unlike.neutral if self.unlike else None


def design_board(
    plan: Plan,
    inverter: Inverter,
    gateway: Gateway | None,
    sized: Sequence[SizedCircuit],
    energy: Figure | None,
) -> Board | None:
    """All figures of the board; None when no load is listed. energy: usable kWh of the bank."""
    if not plan.loads:
        return None
    hot, mains = derated(inverter, plan), MAINS[house_supply(plan, inverter)]
    rated, leg_v = leg_ratings(plan, inverter, hot), mains.to_neutral
    starting = {x.id: starting_power(x, leg_v, mains.wye) for x in plan.loads}
    on = [x for x in plan.loads if x.backed and plan.backup.loads != "nothing"]
    sheet = Sheet(on, starting, mains.wye)
    whole, surge = ratings(inverter, plan.kit.inverters, hot)[:2]
    legs = tuple(design_leg(line, sheet, *rating) for line, rating in rated.items())
    total = design_leg("all", sheet, whole, surge)
    v = given("V_leg", leg_v, "V", "Leg to neutral", "supply")
    house = tuple(
        solve(
            "I_leg",
            "A",
            f"{x.name} in the worst quarter hour",
            "P_hour / V_leg",
            x.running,
            v,
            source="definition",
        )
        for x in legs
    )
    e_day, e_night, nights = nights_covered(
        sheet.loads, energy, inverter.standby_w * plan.kit.inverters
    )
    limit = pass_through(plan, inverter, gateway, sized)
    return Board(
        total,
        legs,
        limit,
        house,
        starting,
        not_together(sheet, total, [x for x in legs if x.continuous.n]),
        e_day,
        e_night,
        nights,
        worst_neutral(sheet, mains),
        mains.wye,
    )


def nights_covered(
    loads: Sequence[Load], energy: Figure | None, standby_w: float = 0.0
) -> tuple[Figure, Figure, Figure | None]:
    """(kWh of a day, kWh of a night without sun, nights the bank covers) of the circuits on backup
    and of the inverters themselves.
    """
    dark = covered([NIGHT]).reshape(DAY_STEPS, STEP_MIN).all(axis=1)
    hours = [
        (
            x,
            float(may_run(x).sum()) * STEP_MIN / 60,
            float((may_run(x) & dark).sum()) * STEP_MIN / 60,
        )
        for x in loads
    ]
    used = "running power, hours and share of time"
    day = sum_of(
        "Wh_day", "Energy of a day", [(x.name, x.running_w * x.duty * h) for x, h, _ in hours], used
    )
    night = sum_of(
        "Wh_night",
        "Energy from 18:00 to 08:00",
        [(x.name, x.running_w * x.duty * h) for x, _, h in hours],
        used,
    )
    own = given("P_own", standby_w, "W", "What the inverters draw themselves", "inverter sheet")
    h_day, h_night = (
        given("h_day", 24, "h", "Hours of a day", "definition"),
        given(
            "h_night", (NIGHT[1] - NIGHT[0]) % DAY / 60, "h", "Hours of a night", COMMON_PRACTICE
        ),
    )
    e_day = solve(
        "E_day",
        "kWh",
        "Backed-up loads, a day",
        "(Wh_day + h_day * P_own) / 1000",
        day,
        h_day,
        own,
        source="definition",
    )
    e_night = solve(
        "E_night",
        "kWh",
        "Backed-up loads, a night",
        "(Wh_night + h_night * P_own) / 1000",
        night,
        h_night,
        own,
        source="definition",
    )
    if energy is None or e_night.n <= 0:
        return e_day, e_night, None
    return (
        e_day,
        e_night,
        solve(
            "n_night",
            "",
            "Nights covered by a full bank",
            "E / E_night",
            energy,
            e_night,
            source="definition",
        ),
    )
