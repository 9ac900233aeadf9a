"""The sheets of meters and current transformers."""

from __future__ import annotations

from gumboot.web.pages.form import Field
from gumboot.web.shelf.sheets.parts import (
    SIGNALS_SECTION,
    Section,
    case,
    given,
    maybe,
    optional,
    registers,
    terminals,
)

CASE, AIR = case()
SHOWS = [f"{what} {n}" for what in ("power", "volts", "current") for n in (1, 2, 3)]
REGISTERS = registers(SHOWS, "W, V or A; 0.1 of a tenth")
METER = (
    Section(
        "electrical",
        "Meter",
        (
            Field("maker", "Maker", "text"),
            Field("model", "Model", "text"),
            Field("lines", "Lines it measures", "count", "1, 2 or 3"),
            Field(
                "through",
                "It measures through",
                "choice",
                "",
                (
                    ("transformers", "current transformers"),
                    ("itself", "itself: the current passes"),
                ),
            ),
            given("most_a", "Most current through it", "current", "of one that the current passes"),
            given("ct_out_a", "Its transformers give, in A", "current", "such as 50 mA or 5 A"),
            given("ct_out_v", "or give, in V", "voltage", "such as 333 mV"),
            given("tap_fuse_a", "Fuse of its voltage taps", "current"),
        ),
        folds=False,
    ),
    Section(
        "bus",
        "Communication",
        (
            Field(
                "bus",
                "Bus",
                "choice",
                "",
                optional("RS-485", "CAN", "Ethernet", "radio", "pulses"),
                True,
            ),
            given("bit_rate", "Bit rate, bit/s", "number", "9600"),
            given("address", "Address as it comes", "count"),
            Field("parity", "Parity", "choice", "", optional("none", "even", "odd"), True),
        ),
        (REGISTERS,),
        why="Registers, counted from 0, let Gumboot read the meter by itself over Modbus.",
    ),
    SIGNALS_SECTION,
    Section("terminals", "Terminals", rows=(terminals("terminals"),)),
    CASE,
    AIR,
)
CT = (
    Section(
        "electrical",
        "Current transformer",
        (
            Field("maker", "Maker", "text"),
            Field("model", "Model", "text"),
            Field("primary_a", "Rated current through it", "current"),
            given("out_a", "Comes out then, in A", "current", "such as 50 mA or 5 A"),
            given("out_v", "or in V", "voltage", "such as 333 mV"),
            given("opening_mm", "Opening", "place"),
            maybe("opens", "It opens to go round a conductor"),
            Field(
                "arrow",
                "Its arrow points at, for power drawn from the grid",
                "choice",
                "",
                optional("house", "grid", "inverter"),
                True,
            ),
            given("lead_m", "Lead", "length"),
            given("lead_most_m", "Lead may be made as long as", "length"),
        ),
        folds=False,
    ),
)
