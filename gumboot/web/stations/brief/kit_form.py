"""The brief's form: which fields a kit asks for, and typed texts to and from a plan."""

from __future__ import annotations

import copy
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from gumboot.catalogue import catalogue
from gumboot.core.basis import units
from gumboot.core.basis.finding import Change as Patch
from gumboot.core.basis.patch import apply, lookup
from gumboot.core.codes.book import Book
from gumboot.core.codes.books import BOOKS, NEC
from gumboot.core.kit import Inverter, Pack
from gumboot.core.plan import FAMILIES, TEMPERATURES, Plan
from gumboot.core.plan.climate import guessed_c
from gumboot.web.job import saving
from gumboot.web.pages.form import Choices, Field, Sections, convert, put, show, want, words

STRING_TYPED = (
    "letter",
    "inverter",
    "tracker",
    "modules",
    "tilt_deg",
    "azimuth_deg",
    "run/length_m",
)  # what a person types in a row
RUN_TYPED = ("length_m", "in_raceway", "ambient_c", "raceway")
WHOLES = (
    "kit/generator",
    "kit/existing_pv",
    "kit/more_pv/0",
    "kit/port_use",
)  # parts of a plan that are there when their power is typed
RESET = (
    "kit/pack",
    "kit/packs",
    "kit/series",
    "kit/towers",
    "kit/module",
    "kit/gateway",
)  # what another kit leaves behind
RESHAPES = (
    "site/latitude_deg",
    "site/altitude_m",
    "kit/inverters",
    "kit/packs",
    "code",
    "supply/kind",
    "supply/connection",
    "kit/inverter",
    "kit/pack",
    "kit/gateway",
    "backup/loads",
    "kit/generator/power_w",
    "kit/existing_pv/power_w",
    "kit/port_use/power_w",
    "kit/banks",
    "kit/hookup",
)

RUN_NAMES = {
    "pack": "Each pack or bank string to the battery bus",
    "battery": "Battery to each inverter",
    "grid": "Each inverter to combiner, gateway or main panel",
    "grid-feeder": "Grid combiner onward",
    "backup": "Each inverter's backup port to combiner, changeover or board",
    "backup-feeder": "Backup combiner onward",
    "changeover": "Main panel to changeover",
    "loads": "Changeover to the loads",
    "generator": "Generator inlet",
    "existing-pv": "PV inverter to its board",
    "tap": "Tap to the service disconnect",
    "port-use": "Generator port to what it serves",
}


@dataclass(frozen=True)
class Shape:
    """What a typed kit is, as far as the form cares."""

    book: Book
    off_grid: bool
    inverter: Inverter | None
    pack: Pack | None
    several: bool
    typed: Mapping[str, str]

    @property
    def changed_over(self) -> bool:
        """Whether the loads have two sources and something that chooses between them."""
        return not self.off_grid and self.typed.get("backup/loads") in (
            "whole house",
            "transfer-switched circuits",
        )

    @property
    def spread(self) -> bool:
        """Whether single-phase units stand in a three-phase house."""
        single = self.inverter is None or self.inverter.supply.startswith("single")
        return single and self.typed.get("supply/kind", "").startswith("three")

    @property
    def gateway(self) -> bool:
        """Whether a gateway is chosen."""
        return bool(self.typed.get("kit/gateway")) and not self.off_grid


def book_of(typed: Mapping[str, Any]) -> Book:
    """The code book that is chosen; the first where none is."""
    return next((b for b in BOOKS.values() if b.code == typed.get("code")), NEC)


def shape_of(typed: Mapping[str, str]) -> Shape:
    """Read it off the typed form."""
    book = catalogue()
    inverter = book.inverters.get(typed.get("kit/inverter", ""))
    several = typed.get("kit/inverters", "1").strip() not in ("", "0", "1")
    pack = book.packs.get(typed.get("kit/pack", ""))
    return Shape(
        book_of(typed),
        typed.get("supply/kind") == "off-grid",
        inverter,
        pack,
        several,
        typed,
    )


def run_families(s: Shape) -> list[str]:
    """The runs this kit has, in the order they are asked."""
    unit = s.inverter
    if unit is None:
        return list(FAMILIES)
    alone = not s.several or s.typed.get("kit/banks") == "one per inverter"
    one = s.typed.get("kit/packs", "") in ("", "1", s.typed.get("kit/inverters", "1"))
    inputs = s.typed.get("kit/hookup") == "inputs"
    direct = s.pack is not None and (
        s.pack.form == "stack"
        or (alone and (one or inputs) and s.pack.breaker_a and not s.pack.cabinet)
    )
    backed = s.typed.get("backup/loads") != "nothing" or s.off_grid
    has = {
        "pack": unit.battery is not None and not direct,
        "battery": unit.battery is not None,
        "grid": unit.grid is not None and not s.off_grid,
        "grid-feeder": unit.grid is not None and not s.off_grid and s.several,
        "backup": unit.backup is not None and backed,
        "backup-feeder": unit.backup is not None and backed and s.several,
        "changeover": (
            not s.off_grid and (s.gateway or (s.changed_over and unit.backup is not None))
        ),
        "loads": not s.off_grid and (s.gateway or (s.changed_over and unit.backup is not None)),
        "generator": bool(s.typed.get("kit/generator/power_w")),
        "existing-pv": bool(s.typed.get("kit/existing_pv/power_w")),
        "tap": not s.off_grid and s.typed.get("supply/connection") == "supply-side tap",
        "port-use": unit.generator is not None and bool(s.typed.get("kit/port_use/power_w")),
    }
    return [f for f in FAMILIES if has[f]]


def sections(typed: Mapping[str, str], rows: int, everything: bool = False) -> Sections:
    """The fields by section that a typed kit asks for, `rows` strings among them; all there are
    when `everything`.
    """
    s = shape_of(typed)

    def show(field: Field, when: object) -> list[Field]:
        return [field] if when or everything else []

    out: Sections = [("Site", _site(s))]
    out.append(("Supply", [f for f, when in _supply(s) if when or everything]))
    out.append(("Kit", [f for f, when in _kit(s) if when or everything]))
    out.append(("Backup", [f for f, when in _backup(s) if when or everything]))
    out.append(("Generator", [f for f, when in _generator(s) if when or everything]))
    out.append(("PV inverter already there", [f for f, when in _existing(s) if when or everything]))
    methods: Choices = tuple(s.book.methods.items())
    trackers = s.inverter is None or bool(s.inverter.trackers)
    out.append(
        (
            "Strings",
            [f for i in range(rows) for f in _string(i, methods) for f in show(f, trackers)],
        )
    )
    out.append(
        (
            "Runs",
            [f for x in (FAMILIES if everything else run_families(s)) for f in _run(x, methods)],
        )
    )
    return [
        (title, [replace(f, reshapes=f.path in RESHAPES) for f in fields])
        for title, fields in out
        if fields
    ]


def guesses(typed: Mapping[str, str]) -> dict[str, str]:
    """What the temperatures would be guessed as from the latitude typed; empty while there
    is none.
    """
    system: units.System = "si" if typed.get("units") == "si" else "us"
    try:
        latitude = units.parse(typed.get("site/latitude_deg", ""), "angle", system)
        altitude = (
            units.parse(typed["site/altitude_m"], "length", system)
            if typed.get("site/altitude_m")
            else 0.0
        )
    except units.NotAQuantity:
        return {}
    return (
        {k: units.show_temperature(v, system) for k, v in guessed_c(latitude, altitude).items()}
        if abs(latitude) <= 66
        else {}
    )


def _site(s: Shape) -> list[Field]:
    guess = guesses(s.typed)
    guessed = {k: f"; left empty it is a guess from the latitude, {v}" for k, v in guess.items()}
    return [
        Field("site/name", "Job name", "text"),
        Field("site/address", "Address", "text", optional=True),
        Field(
            "code",
            "Code book",
            "choice",
            choices=tuple((b.code, b.name) for b in BOOKS.values()),
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


def _supply(s: Shape) -> list[tuple[Field, bool]]:
    tap = s.typed.get("supply/connection") == "supply-side tap"
    on = not s.off_grid
    kinds = words(
        "split-phase 120/240 V", "single-phase 230 V", "three-phase 400/230 V", "off-grid"
    )
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


def _kit(s: Shape) -> list[tuple[Field, bool]]:
    book = catalogue()

    def named(shelf: Mapping[str, Any]) -> Choices:
        return tuple((k, f"{e.maker} {e.model}") for k, e in sorted(shelf.items()))

    unit = s.inverter
    loose = unit is None or not unit.pack_inside or unit.battery is not None
    gateways = tuple(
        (k, f"{g.maker} {g.model}")
        for k, g in sorted(book.gateways.items())
        if unit is None or g.supply in (unit.supply, s.typed.get("supply/kind"))
    )
    stacked = s.pack is not None and s.pack.form != "pack"
    return [
        (Field("kit/inverter", "Inverter", "choice", choices=named(book.inverters)), True),
        (Field("kit/inverters", "Inverters", "count", "how many in parallel"), True),
        (Field("kit/pack", "Pack", "choice", choices=named(book.packs)), loose),
        (
            Field(
                "kit/packs",
                "Packs",
                "count",
                (
                    "stacks or strings of cells: how many in parallel"
                    if stacked
                    else "how many in parallel"
                ),
            ),
            loose,
        ),
        (
            Field(
                "kit/series", "In series", "count", "modules in the stack, or cells in the string"
            ),
            loose and stacked,
        ),
        (
            Field(
                "kit/towers",
                "Towers",
                "choice",
                "a tall stack may stand in two, bridged by copper bars",
                (("1", "one"), ("2", "two, bridged")),
            ),
            loose and s.pack is not None and bool(s.pack.bridge),
        ),
        (
            Field(
                "kit/banks",
                "Banks",
                "choice",
                choices=(
                    ("one for all", "one bank for all inverters"),
                    ("one per inverter", "a bank for each inverter"),
                ),
            ),
            loose and s.several and not stacked,
        ),
        (
            Field(
                "kit/hookup",
                "Packs come together",
                "choice",
                choices=(
                    ("bus", "on a bus"),
                    ("chain", "from pack to pack, the first to the unit"),
                    ("inputs", "each on a battery input of its own"),
                ),
            ),
            loose and not stacked,
        ),
        (
            Field(
                "kit/lines",
                "Lines of the units",
                "text",
                "each unit in turn, such as L1 L2 L3",
                optional=True,
            ),
            s.spread,
        ),
        (
            Field(
                "kit/takeoff",
                "Take-off from the bank",
                "choice",
                "decides how evenly packs share",
                (
                    ("star", "star, equal leads"),
                    ("diagonal", "opposite ends of a chain"),
                    ("one end", "one end of a chain"),
                ),
            ),
            loose and not stacked,
        ),
        (
            Field("kit/module", "Module", "choice", choices=named(book.modules)),
            unit is None or bool(unit.trackers),
        ),
        (
            Field(
                "kit/gateway",
                "Gateway",
                "choice",
                "what parts house and grid in an outage",
                (("", "none"), *gateways),
                True,
            ),
            not s.off_grid,
        ),
    ]


def _backup(s: Shape) -> list[tuple[Field, bool]]:
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
            not s.off_grid
            and s.typed.get("backup/loads") != "nothing"
            and bool(s.typed.get("kit/existing_pv/power_w")),
        ),
    ]


def _generator(s: Shape) -> list[tuple[Field, bool]]:
    there = bool(s.typed.get("kit/generator/power_w"))
    return [
        (
            Field(
                "kit/generator/power_w",
                "Generator",
                "power",
                "leave empty when there is none",
                optional=True,
            ),
            True,
        ),
        (
            Field(
                "kit/generator/lands",
                "It lands on",
                "choice",
                choices=(
                    ("inverter", "the inverter"),
                    ("loads panel", "the loads panel"),
                    ("inverter with bypass", "the inverter, with a bypass to the panel"),
                ),
            ),
            there,
        ),
        (
            Field(
                "kit/generator/interlock",
                "Interlock plate",
                "yesno",
                "so that its breaker and the main are never on together",
            ),
            there,
        ),
        (
            Field(
                "kit/generator/bonded",
                "Its neutral is bonded to its frame",
                "yesno",
                "read it from its label, or measure",
            ),
            there,
        ),
        (
            Field(
                "kit/port_use/power_w",
                "Or the generator port serves",
                "power",
                "leave empty when it takes a generator, or nothing",
                optional=True,
            ),
            s.inverter is None or s.inverter.generator is not None,
        ),
        (
            Field(
                "kit/port_use/use",
                "Which is",
                "choice",
                choices=words("managed load", "PV inverter"),
            ),
            bool(s.typed.get("kit/port_use/power_w"))
            and (s.inverter is None or s.inverter.generator is not None),
        ),
    ]


def _existing(s: Shape) -> list[tuple[Field, bool]]:
    on = not s.off_grid
    first = bool(s.typed.get("kit/existing_pv/power_w"))
    second = bool(s.typed.get("kit/more_pv/0/power_w"))
    return [
        *_pv_inverter(s, "kit/existing_pv", "Its power", on, first),
        *_pv_inverter(s, "kit/more_pv/0", "A second one's power", on and first, second),
    ]


def _pv_inverter(
    s: Shape, at: str, title: str, asked: bool, there: bool
) -> list[tuple[Field, bool]]:
    """The fields of one PV inverter that is there already."""
    three = s.typed.get("supply/kind", "").startswith("three")
    sides = (("backup side", "the backed-up side"), ("grid side", "the grid side"))
    empty = "leave empty when there is none"
    taken = "left empty they are taken as its own power"
    shown = asked and there
    return [
        (Field(f"{at}/power_w", title, "power", empty, optional=True), asked),
        (Field(f"{at}/array_w", "Its modules", "power", taken, optional=True), shown),
        (Field(f"{at}/tilt_deg", "Their tilt", "angle", optional=True), shown),
        (Field(f"{at}/azimuth_deg", "Their azimuth", "angle", optional=True), shown),
        (Field(f"{at}/side", "It feeds", "choice", choices=sides), shown),
        (
            Field(
                f"{at}/line",
                "It stands on",
                "choice",
                choices=(("all", "all lines"), ("L1", "L1"), ("L2", "L2"), ("L3", "L3")),
            ),
            shown and three,
        ),
        (
            Field(
                f"{at}/obeys_frequency",
                "It throttles when frequency rises",
                "choice",
                choices=words("unknown", "yes", "no"),
            ),
            shown,
        ),
    ]


def _string(i: int, methods: Choices) -> list[Field]:
    at = f"strings/{i}"
    return [
        Field(f"{at}/letter", "Letter", "text", optional=True),
        Field(f"{at}/inverter", "Inverter", "count", optional=True),
        Field(f"{at}/tracker", "Tracker", "text", optional=True),
        Field(f"{at}/modules", "Modules", "count", optional=True),
        Field(
            f"{at}/mounting",
            "Mounted",
            "choice",
            choices=(("roof", "on the roof"), ("rack", "on a rack")),
        ),
        Field(f"{at}/tilt_deg", "Tilt", "angle", optional=True),
        Field(f"{at}/azimuth_deg", "Azimuth", "angle", optional=True),
        Field(f"{at}/run/length_m", "Run", "length", optional=True),
        Field(f"{at}/run/method", "Run", "choice", choices=methods),
    ]


def _run(family: str, methods: Choices) -> list[Field]:
    at = f"runs/{family}"
    return [
        Field(f"{at}/length_m", RUN_NAMES[family], "length", optional=True),
        Field(f"{at}/method", "How", "choice", choices=methods),
        Field(
            f"{at}/material",
            "Metal",
            "choice",
            choices=(("Cu", "copper"), ("Al", "aluminium allowed")),
        ),
        Field(f"{at}/parallel", "Sets", "count", optional=True),
        Field(f"{at}/raceway", "Raceway", "text", optional=True),
        Field(f"{at}/in_raceway", "Counted by hand", "count", optional=True),
        Field(f"{at}/ambient_c", "Hotter than the wall", "temperature", optional=True),
    ]


RUN_COLUMNS = 7


def typed_of(plan: dict[str, Any], rows: int, system: units.System) -> dict[str, str]:
    """What the form shows for a plan: every field there is, whether this kit asks for it or not."""
    out = {}
    for _, section in sections({}, rows, everything=True):
        for field in section:
            try:
                out[field.path] = show(lookup(plan, field.path), field, system)
                if field.path.removeprefix("site/") in plan.get("site", {}).get("guessed", ()):
                    out[field.path] = ""
            except KeyError:
                out[field.path] = _first(field, book_of(plan))
    return out


def _first(field: Field, book: Book) -> str:
    """What an empty field starts with."""
    if field.kind == "yesno":
        return "yes" if field.path.endswith("interlock") else "no"
    if field.path.endswith("/method"):
        return book.method_first
    if field.path in ("kit/inverters", "kit/series") or field.path.endswith("/parallel"):
        return "1"
    return field.choices[0][0] if field.choices else ""


def of_the_book(typed: dict[str, str]) -> dict[str, str]:
    """Ways of running cable that the chosen book has no table for become its first; seen on the
    form before anything is saved.
    """
    book = book_of(typed)
    return {
        k: book.method_first if k.endswith("/method") and v not in book.methods else v
        for k, v in typed.items()
    }


def typed_in(text_of: Any, rows: int) -> dict[str, str]:
    """Every field of a sent form; `text_of` gives the text of a name."""
    return {f.path: text_of(f.path) for _, s in sections({}, rows, everything=True) for f in s}


def used_rows(typed: Mapping[str, str], rows: int) -> list[int]:
    """The string rows in which anything was typed; the others are left out of the plan."""
    return [i for i in range(rows) if any(typed.get(f"strings/{i}/{k}") for k in STRING_TYPED)]


def read_form(
    typed: dict[str, str], before: dict[str, Any], rows: int
) -> tuple[dict[str, Any], dict[str, str]]:
    """(the plan document, message by field path). What the form does not show is kept from
    `before`.
    """
    plan: dict[str, Any] = copy.deepcopy(before)
    faults: dict[str, str] = {}
    system: units.System = "si" if typed.get("units") == "si" else "us"
    was = typed_of(before, rows, before.get("units", system)) if before.get("site") else {}
    asked = sections(typed, rows)
    shown = {f.path for _, s in asked for f in s}
    runs = {f.split("/")[1] for f in shown if f.startswith("runs/")}
    plan["strings"], plan["runs"] = (
        [],
        {k: v for k, v in before.get("runs", {}).items() if k not in runs},
    )
    plan = apply(
        plan, [Patch(p, None) for p in RESET if p not in shown and p.split("/")[0] in plan]
    )
    place = {i: n for n, i in enumerate(used_rows(typed, rows))}
    for title, section in asked:
        for field in section:
            _read_field(title, field, typed, before, was, plan, faults, place, system)
    if "site" in plan:
        plan["site"]["guessed"] = [t for t in TEMPERATURES if not typed.get(f"site/{t}")]
    for whole in WHOLES:
        if not typed.get(f"{whole}/power_w") and "kit" in plan:
            plan["kit"].pop(whole.split("/")[1], None)
    return plan, faults


def _read_field(
    title: str,
    field: Field,
    typed: dict[str, str],
    before: dict[str, Any],
    was: dict[str, str],
    plan: dict[str, Any],
    faults: dict[str, str],
    place: dict[int, int],
    system: units.System,
) -> None:
    path, text = field.path, typed.get(field.path, "")
    if title == "Strings":
        row = int(path.split("/")[1])
        if row not in place:
            return
        needed = not path.endswith("_deg")
        path = path.replace(f"strings/{row}/", f"strings/{place[row]}/", 1)
    elif title == "Runs":
        family = field.path.split("/")[1]
        if not any(typed.get(f"runs/{family}/{k}") for k in RUN_TYPED):
            return
        needed = path.endswith(("length_m", "method"))
    else:
        needed = not field.optional
    if not text:
        if needed:
            faults[field.path] = f"type {want(field)}"
        elif not path.startswith(("strings", "runs", *WHOLES)):
            change = Patch(
                path,
                (
                    None
                    if field.kind != "text" or path in ("supply/service_size", "site/zone")
                    else ""
                ),
            )
            plan.update(apply(plan, [change]))
        return
    try:
        same = was.get(field.path) == text and title != "Strings" and system == before.get("units")
        value = _kept(before, field) if same else convert(text, field, system)
        put(plan, path, convert(text, field, system) if value is None else value)
    except units.NotAQuantity as exc:
        faults[field.path] = str(exc)


def _kept(before: dict[str, Any], field: Field) -> object:
    """The value as it was, to its last digit; None when it was a default that the plan does not
    hold.
    """
    try:
        return lookup(before, field.path)
    except KeyError:
        return None


def checked(
    typed: dict[str, str], before: dict[str, Any], rows: int
) -> tuple[Plan | None, dict[str, str]]:
    """(the plan, faults by field path) of a typed form."""
    document, faults = read_form(typed, before, rows)
    if faults:
        return None, faults
    used = used_rows(typed, rows)

    def field(path: str) -> str:
        step = path.split("/")
        if len(step) > 2 and step[0] == "strings":
            return "/".join(["strings", str(used[int(step[1])]), *step[2:]])
        no_field = {"site": "site/t_min_c", "": f"strings/{used[-1] if used else 0}/letter"}
        return no_field.get(path, path)

    plan, faults = saving.checked(document, field)
    if "supply/service_size" in faults:
        faults["supply/service_size"] = "type a size as the book has it, such as 4/0"
    return plan, faults
