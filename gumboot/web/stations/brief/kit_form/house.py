"""The fields of the house: site, supply, what is backed up."""

from __future__ import annotations

from collections.abc import Mapping

from gumboot.core.basis import units
from gumboot.core.basis.words import inside
from gumboot.core.codes.books import BOOKS
from gumboot.core.kit import MAINS
from gumboot.core.plan.climate import guessed_c
from gumboot.web.pages.form import Field, words
from gumboot.web.stations.brief.kit_form.shape import Shape


def guesses(typed: Mapping[str, str]) -> dict[str, str]:
    """What the temperatures would be guessed as from the place typed; empty while there is none."""
    system: units.System = "si" if typed.get("units") == "si" else "us"
    try:
        latitude = units.parse(typed.get("site/latitude_deg", ""), "angle", system)
        altitude = (
            units.parse(typed["site/altitude_m"], "length", system)
            if typed.get("site/altitude_m")
            else None
        )
        east = (
            units.parse(typed["site/longitude_deg"], "angle", system)
            if typed.get("site/longitude_deg")
            else None
        )
    except units.NotAQuantity:
        return {}
    if abs(latitude) > 66:
        return {}
    guess = guessed_c(latitude, altitude, east)
    return {k: units.show_temperature(v, system) for k, v in guess.items()}


def site_fields(s: Shape) -> list[Field]:
    guess = guesses(s.typed)
    guessed = {k: f"; left empty it is a guess from the place, {v}" for k, v in guess.items()}
    return [
        Field("site/name", "Job name", "text"),
        Field("site/address", "Address", "text", optional=True),
        Field(
            "code",
            "Code book",
            "choice",
            choices=tuple((b.code, b.name) for b in BOOKS.values()),
        ),
        Field(
            "site/building",
            "The building",
            "choice",
            choices=(
                ("dwelling", "a dwelling"),
                ("other", "another building"),
                ("equipment only", "houses equipment only"),
            ),
        ),
        Field("units", "Units", "choice", choices=(("us", "ft, °F, in·lb"), ("si", "m, °C, N·m"))),
        Field(
            "site/latitude_deg",
            "Latitude",
            "angle",
            "the sun of a year follows from it; south is below zero",
            optional=True,
        ),
        Field("site/longitude_deg", "Longitude", "angle", "west is below zero", optional=True),
        Field(
            "site/altitude_m",
            "Altitude",
            "length",
            "thin air cools less; above 2000 m equipment is derated",
            optional=True,
        ),
        Field(
            "site/zone",
            "Time zone",
            "text",
            "tariffs follow the clock on the wall; such as America/Denver",
            optional=True,
        ),
        Field(
            "site/t_min_c",
            "Lowest temperature",
            "temperature",
            "strings rise to their highest voltage on the coldest"
            f" morning{guessed.get('t_min_c', '')}",
            optional=bool(guess),
        ),
        Field(
            "site/t_roof_c",
            "Hottest air at the array",
            "temperature",
            "strings fall to their lowest voltage, conductors carry"
            f" less{guessed.get('t_roof_c', '')}",
            optional=bool(guess),
        ),
        Field(
            "site/t_wall_c",
            "Hottest air at the wall",
            "temperature",
            f"conductors carry less in a hot place{guessed.get('t_wall_c', '')}",
            optional=bool(guess),
        ),
    ]


def sub_board_fields(s: Shape) -> list[tuple[Field, bool]]:
    """Of a board behind the main one."""
    name = s.book.sub_board
    back = (("opposite end", "opposite its feeder"), ("elsewhere", "elsewhere"))
    return [
        (
            Field(
                "supply/sub_board/breaker_a",
                f"{name}'s feeder",
                "current",
                f"the breaker in the {inside(s.book.main_board)} that feeds it",
                optional=True,
            ),
            True,
        ),
        (
            Field(
                "supply/sub_board/bus_a",
                f"{name}'s busbar",
                "current",
                "read it from its label",
                optional=True,
            ),
            True,
        ),
        (
            Field(
                "supply/sub_board/backfeed",
                "Inverters' breaker on it",
                "choice",
                "the 120 % rule needs it opposite the feeder",
                back,
            ),
            s.book.rule_120,
        ),
        (
            Field(
                "supply/sub_board/load_breakers_a",
                f"{name}'s load breakers together",
                "current",
                "for the sum rule; leave empty if not counted",
                optional=True,
            ),
            s.book.rule_120,
        ),
    ]


def supply_fields(s: Shape) -> list[tuple[Field, bool]]:
    at = s.typed.get("supply/connection")
    tap, sub = at == "supply-side tap", at == "sub-board breaker"
    on = not s.off_grid
    kinds = words(*MAINS, "off-grid")
    return [
        (Field("supply/kind", "Supply", "choice", "what the utility supplies", kinds), True),
        (
            Field(
                "supply/main_breaker_a",
                "Main breaker",
                "current",
                "it and the inverters feed one busbar",
                optional=True,
            ),
            on,
        ),
        (
            Field(
                "supply/bus_a",
                "Busbar rating",
                "current",
                "read it from the panel's label",
                optional=True,
            ),
            on,
        ),
        (
            Field(
                "supply/connection",
                "Inverters connect at",
                "choice",
                "ahead of the main, no busbar rule applies",
                (
                    ("main-panel breaker", "a breaker of the main panel"),
                    ("sub-board breaker", "a breaker of a board behind it"),
                    ("supply-side tap", "a tap ahead of the main"),
                ),
            ),
            on,
        ),
        (
            Field(
                "supply/backfeed",
                "Back-fed breaker sits",
                "choice",
                "the 120 % rule needs it opposite the main",
                (("opposite end", "opposite the main"), ("elsewhere", "elsewhere")),
            ),
            on and s.book.rule_120 and not tap,
        ),
        (
            Field(
                "supply/load_breakers_a",
                "All load breakers together",
                "current",
                "for the sum rule; leave empty if not counted",
                optional=True,
            ),
            on and s.book.rule_120 and not tap,
        ),
        *((field, on and sub and asked) for field, asked in sub_board_fields(s)),
        (
            Field(
                "supply/service_size",
                "Service conductors",
                "text",
                "a tap may not feed them more than they carry; such as 4/0",
                optional=True,
            ),
            on and s.book.asks_service,
        ),
        (
            Field(
                "supply/service_metal",
                "Their metal",
                "choice",
                choices=(("unknown", "not known"), ("Cu", "copper"), ("Al", "aluminium")),
            ),
            on and s.book.asks_service,
        ),
        (
            Field(
                "supply/fault_a",
                "Utility's fault current",
                "current",
                "the most at the service, from the utility; every breaker has to break it",
                optional=True,
            ),
            on,
        ),
        (
            Field(
                "energy/tariff/export_limit_w",
                "Export allowed",
                "power",
                "by the operator's agreement; empty where there is no limit",
                optional=True,
            ),
            on,
        ),
        (
            Field(
                "supply/earthing",
                "Earthing",
                "choice",
                "decides how a fault is cleared",
                (("", "not known"), *words("TN-C-S", "TN-S", "TT")),
                True,
            ),
            on and s.book.loops,
        ),
        (
            Field(
                "supply/loop_ohm",
                "Loop impedance outside",
                "resistance",
                "measured at the service; on TT the electrode's path",
                optional=True,
            ),
            on and s.book.loops,
        ),
        (
            Field(
                "supply/electrode",
                "Earth electrode of its own",
                "choice",
                "an island needs one",
                (("unknown", "not known"), ("own", "yes"), ("none", "no")),
            ),
            on and s.book.own_bond and s.typed.get("supply/earthing") != "TT",
        ),
    ]


def backup_fields(s: Shape) -> list[tuple[Field, bool]]:
    own = s.changed_over and not s.gateway and (s.inverter is None or s.inverter.backup is not None)
    bonds = (
        ("service", "the service, neutral solid"),
        ("inverter", "the inverter's relay"),
        ("gateway", "the gateway's relay"),
        ("loads panel", "the loads panel"),
    )
    return [
        (
            Field(
                "backup/loads",
                "What lives in an outage",
                "choice",
                choices=words(
                    "whole house", "essential board", "transfer-switched circuits", "nothing"
                ),
            ),
            not s.off_grid,
        ),
        (
            Field(
                "backup/changeover",
                "Changeover",
                "choice",
                "what keeps grid and inverter apart",
                words("transfer switch", "interlocked breakers", "loose breakers"),
            ),
            own,
        ),
        (
            Field(
                "backup/neutral",
                "Neutral at the changeover, or in the unit",
                "choice",
                choices=(("solid", "goes straight through"), ("switched", "is switched too")),
            ),
            own or (not s.off_grid and not s.gateway and s.typed.get("backup/loads") != "nothing"),
        ),
        (
            Field(
                "backup/bond",
                "Neutral is bonded, when islanded, by",
                "choice",
                "one bond, and only one, in every state",
                bonds,
            ),
            True,
        ),
        (
            Field("backup/board_a", "Feeder to the loads", "current", "its breaker", optional=True),
            not s.off_grid and s.typed.get("backup/loads") != "nothing",
        ),
        (
            Field(
                "backup/bus_a",
                "Busbar of the loads' board",
                "current",
                "where a PV inverter feeds it too",
                optional=True,
            ),
            (s.off_grid or s.typed.get("backup/loads") != "nothing")
            and bool(s.typed.get("kit/existing_pv/power_w")),
        ),
    ]
