"""The sheet of an inverter."""

from __future__ import annotations

from typing import get_args

from gumboot.core.kit import Chemistry, Supplied, presumed
from gumboot.core.kit.menu import MenuRegister
from gumboot.core.kit.register import UnitRegister
from gumboot.core.kit.terminal import End
from gumboot.web.pages.form import Field, words
from gumboot.web.shelf.sheets.parts import (
    BLOCK,
    COVER,
    FACTORY,
    GROUPED,
    SIGNALS_SECTION,
    Many,
    Rows,
    Section,
    case,
    given,
    maybe,
    numbered,
    optional,
    port,
    registers,
    slug,
    terminals,
)
from gumboot.web.shelf.sheets.running import ALARMS_SECTION, CARE_SECTION, STARTING

BATTERY, BATTERY_TERMINALS = port("battery", "Battery port", "battery")
GRID, GRID_TERMINALS = port("grid", "Grid port", "grid")
BACKUP, BACKUP_TERMINALS = port("backup", "Backup port", "backup")
GENERATOR, GENERATOR_TERMINALS = port("generator", "Generator port", "generator")


def connected(rows: Many) -> Many:
    """Trackers with their like connectors as one thing; unlike ones stay as they are."""
    out = []
    for r in rows:
        own = r.get("terminals") or []
        rests = [{k: v for k, v in t.items() if k not in GROUPED} for t in own]
        names = presumed.connectors(str(r["id"]), int(r.get("pairs", 1)), metric=False)
        as_usual = [[t[k] for k in GROUPED] for t in names] == [
            [t[k] for k in GROUPED] for t in own
        ]
        if own and as_usual and all(x == rests[0] for x in rests):
            r = {**{k: v for k, v in r.items() if k != "terminals"}, "connector": rests[0]}
        out.append(r)
    return out


def connectors(rows: Many) -> Many:
    """Trackers with their connectors one by one; those without a name are numbered."""
    out = []
    for i, r in enumerate(rows, 1):
        made = {**r, "id": str(r.get("id") or i)}
        rest = made.pop("connector", None)
        if rest:
            pairs = int(made.get("pairs", 1))
            made["terminals"] = [
                {
                    **{k: t[k] for k in GROUPED},
                    "end": "pv-connector",
                    "source": "maker's sheet",
                    **rest,
                }
                for t in presumed.connectors(made["id"], pairs, metric=False)
            ]
        out.append(made)
    return out


def menu_ids(rows: Many) -> Many:
    """Menu lines keep their ids; new ones get one by their label."""
    ids = numbered([str(r.get("id") or slug(str(r.get("label", "")))) for r in rows])
    return [{**r, "id": id} for id, r in zip(ids, rows, strict=True)]


MEANS = {
    "own": "something else: nothing is proposed",
    "first": "the first choice fits every job",
    "lithium": "battery type",
    "link": "BMS link",
    "capacity": "bank capacity",
    "charge": "charge current limit",
    "discharge": "discharge current limit",
    "absorb": "absorb voltage",
    "float": "float voltage",
    "recover": "recovery voltage",
    "warn": "low-voltage warning",
    "cut": "low-voltage cut-off",
    "tail": "tail current",
    "equalise_v": "equalising voltage",
    "equalise_off": "equalising on or off",
    "export": "export limit",
    "pass_through": "current from the grid",
    "mode": "work mode",
    "charge_slot": "window that charges from the grid",
    "give_slot": "window that gives to the house",
    "reserve_soc": "reserve for an outage",
    "floor_on_grid": "floor with the grid on",
    "floor_off_grid": "floor in an outage",
    "back_to_grid": "back to grid below %",
    "back_to_battery": "back to battery above %",
    "back_to_grid_v": "back to grid below volts",
    "back_to_battery_v": "back to battery above volts",
    "grid_charge": "charge from the grid",
    "spare_sun": "what becomes of spare sun",
    "bond_off": "bond of neutral and earth in an island",
    "role": "leader or follower",
    "line": "which line it stands on",
    "sleep_off": "sleep at small loads",
    "hard_stop": "hard stop, below the cut-off",
    "recharge": "charge again below",
    "cut_delay": "delay of the cut-off",
    "absorb_min": "absorption time",
    "equalise_min": "equalising time",
    "equalise_delay": "equalising gives up after",
    "equalise_days": "equalises each so many days",
    "equalise_now": "equalise now",
    "per_heat": "volts by temperature, a cell",
    "protocol": "battery protocol by name",
    "source_priority": "source for the loads",
    "charge_priority": "what may charge",
    "grid_charge_a": "charging current from the grid",
    "output_in_outage": "output on in an outage",
    "restart.overload": "restart after overload",
    "restart.heat": "restart after heat",
    "bypass.overload": "bypass on overload",
    "power_save_w": "sleeps below",
    "unbalanced": "unbalanced output",
    "export_per_phase": "export limit: in all or per phase",
    "power_factor": "power factor",
    "reactive": "reactive power",
    "input_range": "input range: narrow or wide",
    "output_v": "output voltage",
    "output_hz": "output frequency",
    "phase_mode": "how units stand together",
    "gen_auto": "starts a generator",
    "gen_start_soc": "generator starts at %",
    "gen_stop_soc": "generator stops at %",
    "gen_start_v": "generator starts at volts",
    "gen_stop_v": "generator stops at volts",
    "gen_charge_a": "charging current from the generator",
    "clock": "time of day",
    "date": "date",
    "bus_address": "address on a bus",
}
WINDOW = "window.charge.1.start, end, enable, soc, power, days; window.give.1.start and so on"
REGISTER_TYPES = optional(*get_args(MenuRegister.model_fields["type"].annotation))
MENU = Rows(
    "menu",
    "menu line",
    (
        Field("group", "Menu", "text", "Battery"),
        given("number", "Number or code", "text", "05, P1.03"),
        Field("label", "Line, as it shows", "text", "Charge current limit"),
        Field("rule", "What it means", "text", WINDOW, listed="meanings"),
        given("unit", "Unit", "text", "A, V, W, %; time for a time of day"),
        given("options", "Choices", "several", "as the manual words them"),
        given("least", "From", "number"),
        given("most", "To", "number"),
        given("step", "Step", "number"),
        given("default", "From the works", "value", "56.4, or a choice"),
    ),
    (
        given("id", "Key", "text", "kept by itself"),
        given("codes", "Choices on the display", "several", "one for each: CAn, 485, no"),
        given("means", "What each choice means", "several", "one for each: on, off"),
        given("values", "What the register holds for each", "numbers", "0, 1, 2 where silent"),
        given("digits", "Figures after the point", "count"),
        given("when", "Shows only under line", "text", "that line's key"),
        given("when_is", "while it is", "several", "its choices"),
        given("rewrites", "Changes lines", "list", "their keys"),
        maybe("restart", "Takes a restart"),
        maybe("per_unit", "Each unit its own"),
        given("read_at/number", "Register, from 0", "count"),
        Field("read_at/type", "Written as", "choice", "", REGISTER_TYPES, True),
        given("read_at/scale", "One is worth", "number"),
        maybe("read_at/holding", "Holding register"),
        maybe("read_at/low_first", "Low word first"),
        given("sunspec", "SunSpec point", "text", "704.WMaxLimPct"),
        maybe("writes", "May be written over the wire"),
        maybe("profile", "Part of the grid profile"),
    ),
    spare=2,
    most=120,
    join=menu_ids,
)
TRACKERS = Rows(
    "trackers",
    "tracker",
    (
        given("id", "Tracker", "text", "1"),
        Field("v_min", "Works from", "voltage"),
        Field("v_max", "Works to", "voltage"),
        given("v_start", "Starts at", "voltage"),
        Field("i_mp_max_a", "Current, working", "current"),
        Field("i_sc_max_a", "Current, short circuit", "current"),
        given("pairs", "Pairs of connectors", "count"),
        given("pair_a", "One pair carries", "current"),
        given("connector/most", "Connectors take up to", "text", "10 mm² or 8"),
        given("connector/strip_mm", "Strip", "place"),
        given("connector/bit", "Turned by", "text", "PV connector spanner"),
    ),
    (
        given("connector/least", "Connectors take from", "text"),
        Field("connector/end", "Ends in", "choice", "", optional(*get_args(End)), True),
        given("connector/torque_nm", "Torque", "torque"),
        Field(
            "connector/temp_c", "Marked for", "count", "°C", optional("60", "70", "75", "90"), True
        ),
        given("connector/thread", "Thread of the screw", "text"),
        given("connector/source", "Where it stands", "text"),
    ),
    spare=2,
    most=12,
    split=connected,
    join=connectors,
)

CASE, AIR = case()

MENU_SECTION = Section(
    "menu",
    "Menu",
    rows=(MENU,),
    why="Line by line as the unit shows it; what a line means decides what Set proposes.",
)
REGISTERS_SECTION = Section(
    "registers",
    "Registers over Modbus",
    rows=(registers(get_args(UnitRegister.model_fields["shows"].annotation), "V, Hz or %"),),
    why="Counted from 0; Wake reads an inverter's own volts by them.",
)
INVERTER = (
    Section(
        "electrical",
        "Electrical",
        (
            Field("maker", "Maker", "text"),
            Field("model", "Model", "text"),
            Field(
                "topology",
                "Kind",
                "choice",
                "",
                words("hybrid", "ac-coupled", "inverter-charger", "all-in-one"),
            ),
            Field("supply", "Supply", "choice", "", words(*get_args(Supplied))),
            Field("power_w", "Continuous power", "power"),
            given("surge_w", "Surge", "power"),
            given("surge_s", "Surge for, s", "number"),
            given("transfer_ms", "Gap when the grid goes, ms, as claimed", "number"),
            given("ac_max_a", "Greatest AC current", "current", "continuous, a line"),
            given("pass_through_a", "Passes through", "current", "grid to backup"),
            Field("battery_v_min", "Battery from", "voltage"),
            Field("battery_v_max", "Battery to", "voltage"),
            Field("charge_max_a", "Charges with at most", "current"),
            given("battery_efficiency", "Battery to AC", "share", "94 % where silent"),
            given("chemistries", "Batteries it takes", "list", ", ".join(get_args(Chemistry))),
            given("pv_v_max", "PV: absolute maximum", "voltage"),
            given("pv_power_max_w", "PV: most power", "power"),
        ),
        folds=False,
        why="Enough to begin with: every other section can wait.",
    ),
    Section(
        "pv",
        "PV trackers",
        (maybe("trackers_bridge", "Two trackers may be bridged"),),
        (TRACKERS,),
    ),
    Section(
        "more",
        "More of the electrical sheet",
        (
            given("voltage_v", "Rated AC voltage", "voltage"),
            given("leg_max_w", "Most on one leg", "power"),
            given("imbalance_max_w", "Legs may differ by", "power"),
            given("standby_w", "Draws itself", "watts"),
            given("units_max", "Units in parallel, at most", "count"),
            given("battery_inputs", "Battery inputs", "count"),
            given("pack_inside", "Pack inside", "text", "its id on the shelf"),
            given("capacitance_f", "Battery port capacitance, F", "number"),
            given("precharge_ohm", "Precharges through", "resistance"),
            given("fault_a", "Into a short, islanded", "current"),
            maybe("feeds_grid", "Ever feeds the grid"),
            maybe("bond_relay", "Bonds neutral and earth in an island"),
            Field(
                "neutral",
                "Its relay leaves neutral",
                "choice",
                "",
                optional("solid", "switched"),
                True,
            ),
            Field(
                "residual", "Residual-current device enough", "choice", "", optional("A", "B"), True
            ),
        ),
    ),
    Section(
        "terminals",
        "Ports and terminals",
        (*BATTERY, *GRID, *BACKUP, *GENERATOR, given("earth_screws", "Earth screws", "count")),
        (
            BATTERY_TERMINALS,
            GRID_TERMINALS,
            BACKUP_TERMINALS,
            GENERATOR_TERMINALS,
            terminals("earth", "row for the earth terminal"),
        ),
        why="Like terminals in one row. A port without a current is taken as not there.",
    ),
    BLOCK,
    CASE,
    AIR,
    SIGNALS_SECTION,
    MENU_SECTION,
    REGISTERS_SECTION,
    ALARMS_SECTION,
    CARE_SECTION,
    Section(
        "switching",
        "Order of switching, service",
        (
            given("capacitor_wait_min", "Capacitors hold charge for, min", "number"),
            given("switch_off", "Switched off by", "text", "hold its button until it is dark"),
            given(
                "shutdown",
                "Maker's order of going down",
                "list",
                "loads, generator, backup, grid, pv, unit, battery",
            ),
            *STARTING,
            given("landing", "Maker's order of landing", "list", "Battery, PV, Grid, Backup"),
            *COVER,
        ),
        (FACTORY,),
    ),
)
