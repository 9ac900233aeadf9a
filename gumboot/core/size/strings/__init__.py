"""PV strings: cold and hot voltage and currents against the tracker they land on."""

from gumboot.core.size.strings.string import StringDesign, design_string
from gumboot.core.size.strings.taker import Taker, taker_of, takers
from gumboot.core.size.strings.trackers import design_trackers
from gumboot.core.size.strings.voltage import (
    COLD,
    GAMMA_ASSUMED,
    RISE_C,
    SILENT_V,
    T_STC,
    cold_voltage,
    coldest,
    hot_voltages,
    hottest,
    maximum_current,
    string_fuse,
    wants_fuses,
)

__all__ = [
    "COLD",
    "GAMMA_ASSUMED",
    "RISE_C",
    "SILENT_V",
    "T_STC",
    "StringDesign",
    "Taker",
    "cold_voltage",
    "coldest",
    "design_string",
    "design_trackers",
    "hot_voltages",
    "hottest",
    "maximum_current",
    "string_fuse",
    "taker_of",
    "takers",
    "wants_fuses",
]
