"""The survey: what is known of the house, why each fact is asked, what local rule must be
confirmed, and who is licensed to do what.

What is unknown stays so, and is a finding where something follows from it.
"""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Asked, Cure, Finding, check, duty, note
from gumboot.core.basis.units import show_length, show_temperature
from gumboot.core.basis.words import inside
from gumboot.core.codes.book import Ask
from gumboot.core.plan import TEMPERATURES, Plan, Temperature

# 3 ft, of which most rules for storage near doors and windows ask: common practice, confirm the
# local figure
OPENING_M = 0.9144
THIN_AIR_M = 2000.0  # above it equipment is derated: IEC 60664-1 and most sheets, from memory
IN_BRIEF = Asked("Brief", "form")  # closed by what is typed in Survey


@dataclass(frozen=True, slots=True)
class Fact:
    """One thing about the site: where the plan holds it, what it is called, why it is asked, its
    value (None: unknown), and whether that is a guess.
    """

    path: str
    name: str
    why: str
    value: float | str | None
    unit: str = ""
    guess: bool = False

    @property
    def known(self) -> bool:
        """Whether somebody knows it."""
        return self.value is not None and not self.guess


LICENCES = (
    Ask("supply", "Work on the service, main breaker and meter"),
    Ask("ac", "Fixed AC wiring"),
    Ask("pv", "PV strings and their DC"),
    Ask("storage", "Batteries and their DC"),
    Ask("roof", "Work at height"),
)  # who may do what is local law
TEMPERATURE_NAMES: dict[Temperature, tuple[str, str]] = {
    "t_min_c": (
        "Lowest temperature",
        "strings rise to their highest voltage on the coldest morning",
    ),
    "t_roof_c": (
        "Hottest air at the array",
        "strings fall to their lowest voltage, and conductors carry less",
    ),
    "t_wall_c": ("Hottest air at the wall", "conductors and inverters carry less in a hot place"),
}


def facts(plan: Plan) -> tuple[Fact, ...]:
    """All that a survey asks of this job, in the order a person walks: street, board, wall, sky."""
    site, supply, seen = plan.site, plan.supply, plan.survey
    on = supply.kind != "off-grid"
    out = [Fact("supply/kind", "Supply", "decides which inverters fit at all", supply.kind)]
    if on:
        out += [
            Fact(
                "supply/main_breaker_a",
                "Main breaker",
                "it and the inverters feed one busbar",
                supply.main_breaker_a,
                "A",
            ),
            Fact(
                "supply/bus_a",
                "Busbar rating",
                "how much may be fed back into it",
                supply.bus_a,
                "A",
            ),
        ]
    if on and supply.connection == "sub-board breaker":
        name, board = plan.book.sub_board, supply.sub_board
        why = "it and the inverters feed one busbar"
        out += [
            Fact("supply/sub_board/breaker_a", f"{name}'s feeder", why, board.breaker_a, "A"),
            Fact("supply/sub_board/bus_a", f"{name}'s busbar", why, board.bus_a, "A"),
        ]
    if on and plan.book.loops:
        out += [
            Fact("supply/earthing", "Earthing", "decides how a fault is cleared", supply.earthing),
            Fact(
                "supply/loop_ohm",
                "Loop impedance outside",
                "whether breakers trip in time",
                supply.loop_ohm,
                "Ω",
            ),
        ]
    out += [
        Fact(
            "survey/wall",
            "Wall",
            "what holds the anchors, and how deep",
            _known(seen.wall if seen else None),
        ),
        Fact(
            "survey/surface",
            "Surface behind the storage",
            "storage needs a surface that does not burn behind it",
            _known(seen.surface if seen else None),
        ),
        Fact(
            "survey/opening_m",
            "Nearest door or window",
            "gas and fire must not get in or out",
            seen.opening_m if seen else None,
            "m",
        ),
        Fact(
            "survey/sun",
            "Sun on the wall",
            "a unit in the sun gives less and ages faster",
            _known(seen.sun if seen else None),
        ),
        Fact(
            "survey/rain",
            "Rain on the wall",
            "the enclosure must be made for it",
            _known(seen.rain if seen else None),
        ),
        Fact(
            "survey/network",
            "Network at the wall",
            "updates, monitoring, and the maker's warranty hang on it",
            _known(seen.network if seen else None),
        ),
    ]
    out += [
        Fact(f"site/{t}", *TEMPERATURE_NAMES[t], getattr(site, t), "°C", t in site.guessed)
        for t in TEMPERATURES
    ]
    out += [
        Fact(
            "site/altitude_m",
            "Altitude",
            "thin air cools less and insulates less",
            site.altitude_m,
            "m",
        ),
        Fact(
            "site/latitude_deg",
            "Latitude",
            "the sun of a year follows from it",
            site.latitude_deg,
            "°",
        ),
        Fact("site/longitude_deg", "Longitude", "when noon is", site.longitude_deg, "°"),
        Fact("site/zone", "Time zone", "tariffs follow the clock on the wall", site.zone),
    ]
    if old := plan.kit.existing_pv:
        obeys = _known(old.obeys_frequency)
        out += [
            Fact(
                "kit/existing_pv/power_w",
                "PV inverter already there",
                "in an outage the battery must take all of it",
                old.power_w,
                "W",
            ),
            Fact(
                "kit/existing_pv/obeys_frequency",
                "It throttles when frequency rises",
                "else nothing stops it when the battery is full",
                obeys,
            ),
        ]
    return tuple(out)


def _known(choice: str | None) -> str | None:
    return None if choice in (None, "unknown") else choice


def survey_findings(plan: Plan) -> list[Finding]:
    """Guesses, and what nobody looked at where something follows from it. A job whose survey is not
    begun has one note.
    """
    found = [_guessed(plan, t) for t in plan.site.guessed]
    seen = plan.survey
    if seen is None:
        says = "No survey is kept: wall, openings, network and local rules are unknown."
        return [
            *found,
            note(
                "survey.none",
                "survey",
                says,
                COMMON_PRACTICE,
                Cure("Walk the house with the Survey page"),
            ),
        ]
    unknown = [
        f.name.lower() for f in facts(plan) if f.path.startswith("survey/") and f.value is None
    ]
    if unknown:
        says = f"Not surveyed yet: {', '.join(unknown)}."
        found.append(duty("survey.unknown", "survey", says, COMMON_PRACTICE, IN_BRIEF))
    if seen.surface == "combustible":
        says = "The storage hangs on something that burns."
        cure = Cure(
            "Put a board between that does not burn, as local rules and the maker say, or choose"
            " another wall"
        )
        found.append(check("survey.surface", "survey", says, "local fire rules", cure))
    if seen.opening_m is not None and seen.opening_m < OPENING_M:
        says = (
            f"The nearest door or window is {show_length(seen.opening_m, plan.units)} away;"
            f" {show_length(OPENING_M, plan.units)} is commonly asked."
        )
        found.append(
            check(
                "survey.opening",
                "survey",
                says,
                COMMON_PRACTICE,
                Cure("Move the storage, or show that local rules allow it"),
            )
        )
    if seen.network in ("wireless, weak", "none"):
        word = "weak" if seen.network.endswith("weak") else "missing"
        says = f"The network at the wall is {word}: the unit will be out of sight."
        found.append(
            check(
                "survey.network",
                "survey",
                says,
                COMMON_PRACTICE,
                Cure("Pull a network cable with the other wires"),
            )
        )
    high = plan.site.altitude_m
    if high is not None and high > THIN_AIR_M:
        says = (
            f"The site lies at {show_length(high, plan.units)}; above"
            f" {show_length(THIN_AIR_M, plan.units)} makers derate power and voltage."
        )
        found.append(
            check(
                "survey.altitude",
                "survey",
                says,
                "inverter and breaker sheets",
                Cure("Read the derating in the sheets"),
            )
        )
    asked = [a for a in plan.book.asks if not seen.confirmed.get(a.key)]
    if asked:
        says = (
            f"{len(asked)} of {len(plan.book.asks)} local rules are not confirmed:"
            f" {', '.join(a.key for a in asked)}."
        )
        found.append(duty("survey.rules", "survey", says, "the authority's word", IN_BRIEF))
    nobody = [a for a in LICENCES if not seen.licensed.get(a.key)]
    if nobody:
        says = f"Nobody licensed is named for: {'; '.join(inside(a.says) for a in nobody)}."
        found.append(duty("survey.licences", "survey", says, "local law", IN_BRIEF))
    return found


def _guessed(plan: Plan, t: Temperature) -> Finding:
    name = TEMPERATURE_NAMES[t][0]
    says = (
        f"{name} {show_temperature(getattr(plan.site, t), plan.units)} is a guess from the place."
    )
    return check(
        f"site.{t}",
        "survey",
        says,
        COMMON_PRACTICE,
        Cure("Look it up for the place, and type it in Brief"),
    )
