"""The sheet of a pack, a module of a stack, or a cell."""

from __future__ import annotations

from typing import get_args

from gumboot.core.kit import CHEMISTRIES
from gumboot.core.kit.register import PackRegister
from gumboot.web.pages.form import Field, words
from gumboot.web.shelf.sheets.parts import (
    BLOCK,
    FACTORY,
    KEY,
    MADE,
    SIGNALS_SECTION,
    Rows,
    Section,
    case,
    given,
    registers,
    terminals,
    with_ids,
)
from gumboot.web.shelf.sheets.running import CARE_SECTION, STARTING

CASE, AIR = case()
SHOWS = get_args(PackRegister.model_fields["shows"].annotation)
PACK_REGISTERS = registers(SHOWS, "%, °C, V or A; 0.1 of a tenth")
PACK = (
    Section(
        "electrical",
        "Electrical",
        (
            Field("maker", "Maker", "text"),
            Field("model", "Model", "text"),
            Field("form", "Form", "choice", "", words("pack", "stack", "block")),
            Field("chemistry", "Chemistry", "choice", "", tuple(CHEMISTRIES.items())),
            Field("cells", "Cells in series", "count", "51.2 V of LFP are 16"),
            Field("capacity_ah", "Capacity, Ah", "number"),
            Field("discharge_max_a", "Discharges with at most", "current"),
            Field("charge_max_a", "Charges with at most", "current"),
            Field("bms_v_min", "Lowest voltage", "voltage", "BMS opens; lead 1.75 V a cell"),
            Field("bms_v_max", "Highest voltage", "voltage", "BMS opens; lead 2.6 V a cell"),
            given("breaker_a", "Its own breaker", "current", "empty: it has none"),
            given("breaker_interrupt_a", "The breaker breaks", "current"),
            Field("parallel_max", "In parallel, at most", "count"),
            given("link", "Bus of the BMS", "text", "CAN 500 kbit/s"),
            given("depth", "Depth of discharge", "share"),
        ),
        folds=False,
        why="Enough to begin with: every other section can wait.",
    ),
    Section(
        "more",
        "More of the electrical sheet",
        (
            given("peak_a", "Peak", "current"),
            given("peak_s", "Peak for, s", "number"),
            given("resistance_ohm", "Internal resistance", "resistance"),
            given("precharge_ohm", "Precharges through", "resistance"),
            given("series_max", "In series, at most", "count", "of a stack or of cells"),
        ),
    ),
    Section(
        "terminals",
        "Posts and earth",
        rows=(
            terminals("terminals", "row of posts"),
            terminals("earth", "row for the earth terminal"),
            FACTORY,
        ),
    ),
    Section(
        "addresses",
        "Address",
        (
            Field(
                "addressing",
                "A pack comes to its address",
                "choice",
                "",
                (
                    ("", "not said"),
                    ("switches", "by its switches"),
                    ("itself", "by itself"),
                    ("tool", "by a tool or an app"),
                ),
                True,
            ),
        ),
        (PACK_REGISTERS,),
        why="Registers, counted from 0, let Gumboot ask packs on RS-485; on CAN a DBC file does.",
    ),
    SIGNALS_SECTION,
    BLOCK,
    CASE,
    AIR,
    Section("starting", "How its electronics are woken", STARTING),
    CARE_SECTION,
    Section(
        "stack",
        "Stack, rack, links between cells",
        (
            given("stack/foot", "Stack: foot", "place"),
            given("stack/foot_kg", "Stack: mass of the foot, kg", "number"),
            given("stack/head", "Stack: control unit", "place"),
            given("stack/head_kg", "Stack: mass of the control unit, kg", "number"),
            given("stack/between", "Stack: between two towers", "place"),
            given("rack/across", "Rack: cells beside each other", "count"),
            given("rack/rows", "Rack: rows behind each other", "count"),
            given("rack/own_kg", "Rack: own mass, kg", "number"),
            given("rack/around", "Rack: around the cells", "place"),
            given("interlink/label", "Bolt of the bar between cells", "text"),
            given("interlink/torque_nm", "Its torque", "torque"),
            given("interlink/bit", "Turned by", "text"),
        ),
        (
            Rows(
                "bridge",
                "bolt of the bars between towers",
                MADE,
                KEY,
                join=with_ids,
            ),
        ),
    ),
    Section(
        "cabinet",
        "Cabinet that packs slide into",
        (
            given("cabinet/name", "Cabinet", "text"),
            given("cabinet/holds", "Holds packs", "count"),
            given("cabinet/row_max", "Cabinets in a row, at most", "count"),
            given("cabinet/bus_a", "Its inner bus carries", "current"),
        ),
        (
            Rows(
                "cabinet/terminations",
                "termination of the inner bus",
                MADE,
                KEY,
                join=with_ids,
            ),
        ),
    ),
)
