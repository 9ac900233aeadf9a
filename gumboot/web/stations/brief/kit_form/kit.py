"""The fields of the kit: units and packs, generator, PV inverters, strings and runs."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from gumboot.core.brief.suits import charges_pack, gateways, suits_supply, suits_unit
from gumboot.core.kit import LINES
from gumboot.web.pages.form import Choices, Field, words
from gumboot.web.stations.brief.kit_form.shape import Shape, own_breakers_on_bus

RUN_NAMES = {
    "pack": "Each pack, stack or bank string to the battery bus or combiner",
    "battery": "Battery to each inverter",
    "controller": "Battery bus to each charge controller",
    "controller-pv": "PV combiner to each charge controller",
    "grid": "Each inverter to combiner, gateway or main panel",
    "grid-feeder": "Grid combiner onward",
    "backup": "Each inverter's backup port to combiner, changeover or board",
    "backup-feeder": "Backup combiner onward",
    "changeover": "Main panel to changeover",
    "loads": "Changeover to the loads",
    "generator": "Generator inlet",
    "generator-unit": "Generator combiner to each inverter",
    "existing-pv": "PV inverter to its board",
    "tap": "Tap to the service disconnect",
    "sub-feeder": "Main panel to the board behind it",
    "port-use": "Generator port to what it serves",
}
HOOKUPS: dict[bool, tuple[str, Choices]] = {  # by whether they are stacks for several inputs
    False: (
        "Packs come together",
        (
            ("bus", "on a bus"),
            ("chain", "from pack to pack, the first to the unit"),
            ("inputs", "each on a battery input of its own"),
        ),
    ),
    True: (
        "Stacks of a unit",
        (
            ("bus", "one on its input, or several in a combiner"),
            ("inputs", "each on a battery input of its own"),
        ),
    ),
}


def named(shelf: Mapping[str, Any]) -> Choices:
    """Entries of the shelf as they are chosen, by maker and model."""
    return tuple((k, f"{e.maker} {e.model}") for k, e in sorted(shelf.items()))


def kit_fields(s: Shape) -> list[tuple[Field, bool]]:
    book = s.shelf

    unit, kind = s.inverter, s.typed.get("supply/kind", "")
    units = {
        k: u
        for k, u in book.inverters.items()
        if suits_supply(u, kind) or k == s.typed.get("kit/inverter")
    }
    inside = {u.pack_inside for u in book.inverters.values()} - {unit.pack_inside if unit else ""}
    packs = {
        k: p
        for k, p in book.packs.items()
        if (suits_unit(p, unit) and k not in inside) or k == s.typed.get("kit/pack")
    }
    loose = unit is None or not unit.pack_inside or unit.battery is not None
    parting = {k: book.gateways[k] for k in gateways(book, unit, kind)}
    stacked = s.pack is not None and s.pack.form != "pack"
    towers = (
        s.pack is not None and s.pack.form == "stack" and bool(unit and unit.battery_inputs > 1)
    )
    controllers = {
        k: c
        for k, c in book.controllers.items()
        if (loose and c.book in (s.book.code, "any") and charges_pack(c, s.pack, s.series))
        or k == s.typed.get("kit/controller")
    }
    gateway = book.gateways.get(s.typed.get("kit/gateway", ""))
    asks = (
        unit is None or not unit.signals or any({"meter", "CT"} & {*p.serves} for p in unit.signals)
    )
    measured = asks and not s.off_grid and not (gateway and gateway.meter_inside)
    lines = len(LINES.get(kind, ("L1",)))
    measuring = {
        k: m for k, m in book.meters.items() if m.lines >= lines or k == s.typed.get("kit/meter")
    }
    return [
        (Field("kit/inverter", "Inverter", "choice", choices=named(units)), True),
        (Field("kit/inverters", "Inverters", "count", "how many in parallel"), True),
        (Field("kit/pack", "Pack", "choice", choices=named(packs)), loose),
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
            Field("kit/hookup", HOOKUPS[towers][0], "choice", choices=HOOKUPS[towers][1]),
            loose and (not stacked or towers),
        ),
        (
            Field(
                "kit/lines",
                "Lines of the units",
                "text",
                "each unit in turn, such as L1 L2 L3"
                + ("; empty where all make one line" if s.off_grid else ""),
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
            Field(
                "kit/pack_fuses",
                "A fuse for each pack at the bus",
                "yesno",
                "where a short can drive more than a pack's own breaker breaks",
            ),
            own_breakers_on_bus(s),
        ),
        (
            Field(
                "kit/module",
                "Module",
                "choice",
                choices=(("", "none yet"), *named(book.modules)),
                optional=True,
            ),
            unit is None or bool(unit.trackers) or bool(controllers),
        ),
        (
            Field(
                "kit/controller",
                "Charge controller",
                "choice",
                "an array of its own, beside the inverter on the battery bus",
                (("", "none"), *named(controllers)),
                True,
            ),
            bool(controllers),
        ),
        (
            Field("kit/controllers", "Charge controllers", "count", "how many"),
            bool(controllers) and s.controllers > 0,
        ),
        (
            Field(
                "kit/gateway",
                "Gateway",
                "choice",
                "what parts house and grid in an outage",
                (("", "none"), *named(parting)),
                True,
            ),
            not s.off_grid,
        ),
        (
            Field(
                "kit/meter",
                "Meter",
                "choice",
                "at the house's board",
                (("", "as the unit's maker supplies"), *named(measuring)),
                True,
            ),
            measured,
        ),
        (
            Field(
                "kit/ct",
                "Current transformers",
                "choice",
                choices=(
                    ("", "as the unit's maker supplies"),
                    *((k, f"{c.maker} {c.model}, {c.says}") for k, c in sorted(book.cts.items())),
                ),
                optional=True,
            ),
            measured,
        ),
    ]


PLATE = "a line, from its plate; left empty it follows from its power"


def generator_fields(s: Shape) -> list[tuple[Field, bool]]:
    there = bool(s.typed.get("kit/generator/power_w"))
    every = (("every inverter", "every inverter (combiner)"),)
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
                    *(every if s.several else ()),
                ),
            ),
            there,
        ),
        (
            Field(
                "kit/generator/interlock",
                "Interlock plate",
                "yesno",
                "on a panel: its breaker and the main are never on together",
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
        (
            Field(
                "kit/port_use/current_a", "Its greatest current", "current", PLATE, optional=True
            ),
            bool(s.typed.get("kit/port_use/power_w"))
            and s.typed.get("kit/port_use/use") == "PV inverter"
            and (s.inverter is None or s.inverter.generator is not None),
        ),
    ]


def existing_fields(s: Shape) -> list[tuple[Field, bool]]:
    first = bool(s.typed.get("kit/existing_pv/power_w"))
    second = bool(s.typed.get("kit/more_pv/0/power_w"))
    return [
        *_pv_inverter(s, "kit/existing_pv", "Its power", True, first),
        *_pv_inverter(s, "kit/more_pv/0", "A second one's power", first, second),
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
        (Field(f"{at}/current_a", "Its greatest current", "current", PLATE, optional=True), shown),
        (Field(f"{at}/array_w", "Its modules", "power", taken, optional=True), shown),
        (Field(f"{at}/tilt_deg", "Their tilt", "angle", optional=True), shown),
        (Field(f"{at}/azimuth_deg", "Their azimuth", "angle", optional=True), shown),
        (Field(f"{at}/side", "It feeds", "choice", choices=sides), shown and not s.off_grid),
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


def trackers_of(s: Shape) -> Choices:
    """The trackers of the unit, and those its maker lets be bridged; empty where none is chosen."""
    if s.inverter is None or not s.inverter.trackers:
        return ()
    ids = [t.id for t in s.inverter.trackers]
    pairs = [f"{a}+{b}" for n, a in enumerate(ids) for b in ids[n + 1 :]]
    bridged = [(x, f"{x}, bridged") for x in pairs] if s.inverter.trackers_bridge else []
    return (("", "—"), *((x, x) for x in ids), *bridged)


def string_fields(
    i: int, methods: Choices, s: Shape, modules: Choices, everything: bool
) -> list[Field]:
    """The fields of one row of strings: what it lands on by what there is."""
    at, trackers = f"strings/{i}", trackers_of(s)
    kind = "choice" if trackers else "text"
    takes = everything or s.inverter is None or bool(s.inverter.trackers) or not s.controllers
    off = (("0", "inverter"),) if takes else ()
    units = (*off, *((f"{n}", f"controller {n}") for n in range(1, max(s.controllers, 1) + 1)))
    on = [
        Field(f"{at}/inverter", "Inverter", "count", optional=True),
        Field(f"{at}/tracker", "Tracker", kind, choices=trackers, optional=True),
    ]
    return [
        Field(f"{at}/letter", "Letter", "text", optional=True),
        *(
            [Field(f"{at}/controller", "On", "choice", choices=units)]
            if everything or s.controllers
            else []
        ),
        *(on if takes else []),
        Field(f"{at}/modules", "Modules", "count", optional=True),
        Field(
            f"{at}/mounting",
            "Mounted",
            "choice",
            choices=(("roof", "on the roof"), ("rack", "on a rack")),
        ),
        Field(f"{at}/tilt_deg", "Tilt", "angle", optional=True),
        Field(f"{at}/azimuth_deg", "Azimuth", "angle", optional=True),
        Field(f"{at}/run/length_m", "Run, one way", "length", optional=True),
        Field(f"{at}/run/method", "How", "choice", choices=methods),
        Field(f"{at}/there", "There already", "yesno"),
        Field(f"{at}/run/there", "Cable there", "yesno"),
        Field(f"{at}/rows", "Rows, joined", "count", optional=True),
        Field(f"{at}/module", "Another module", "choice", choices=modules, optional=True),
    ]


def run_fields(family: str, methods: Choices, conduits: bool) -> list[Field]:
    """What is asked of one run; conduits: of what its conduit is made, where the book cares."""
    at = f"runs/{family}"
    made = words("EMT", "PVC", "RMC")
    kind = [Field(f"{at}/conduit", "Conduit", "choice", choices=made)] if conduits else []
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
        Field(f"{at}/there", "There already", "yesno"),
        *kind,
    ]
