"""The demo's plans, one of each kind of system, all of it invented."""

from __future__ import annotations

TERN_HOLLOW = {
    "site": {"name": "Tern Hollow", "address": "4 Ferry Lane, Tern Hollow", "t_min_c": -25.556, "t_roof_c": 37.778, "t_wall_c": 40.556},
    "supply": {"main_breaker_a": 200, "bus_a": 200},
    "kit": {"inverter": "marram-s8", "inverters": 2, "pack": "tidewell-14", "packs": 3, "module": "reedbed-430", "generator": {"power_w": 14000, "lands": "inverter"}},
    "backup": {"loads": "whole house", "changeover": "transfer switch", "board_a": 200},
    "strings": [
        {"letter": letter, "inverter": inverter, "tracker": tracker, "modules": modules, "tilt_deg": 28, "azimuth_deg": azimuth, "run": {"length_m": feet * 0.3048}}
        for letter, inverter, tracker, modules, azimuth, feet in (("A", 1, "1", 10, 165, 82), ("B", 1, "2", 10, 165, 88), ("C", 1, "3", 12, 255, 96), ("D", 2, "1", 9, 75, 104), ("E", 2, "2", 9, 75, 110))
    ],
    "runs": {
        "pack": {"length_m": 1.8288, "method": "free-air"}, "battery": {"length_m": 2.1336, "method": "free-air"},
        "grid": {"length_m": 3.6576, "in_raceway": 4}, "grid-feeder": {"length_m": 11.5824},
        "backup": {"length_m": 3.6576, "in_raceway": 4}, "backup-feeder": {"length_m": 9.144},
        "changeover": {"length_m": 3.048, "material": "Al"}, "loads": {"length_m": 6.096, "material": "Al"}, "generator": {"length_m": 18.288},
    },
    "fitted": {"battery-2": {"size": "4"}},
}  # fmt: skip

HERON_SLIP = {
    "site": {"name": "Heron Slip", "address": "11 Slipway Row", "t_min_c": -15, "t_roof_c": 36.1, "t_wall_c": 32.2},
    "supply": {"main_breaker_a": 150, "bus_a": 200},
    "kit": {"inverter": "marram-s8", "inverters": 1, "pack": "tidewell-14", "packs": 2, "module": "reedbed-430"},
    "strings": [
        {"letter": "A", "inverter": 1, "tracker": "1", "modules": 10, "tilt_deg": 22, "azimuth_deg": 190, "run": {"length_m": 15.24}},
        {"letter": "B", "inverter": 1, "tracker": "2", "modules": 10, "tilt_deg": 22, "azimuth_deg": 190, "run": {"length_m": 16.764}},
    ],
    "runs": {"pack": {"length_m": 1.524, "method": "free-air"}, "battery": {"length_m": 1.8288, "method": "free-air"}, "grid": {"length_m": 7.62}, "backup": {"length_m": 6.096}},
}  # fmt: skip

SALTINGS_BARN = {
    "code": "iec-60364", "units": "si",
    "site": {"name": "Saltings Barn", "address": "Saltings Farm, Long Drove", "t_min_c": -12, "t_roof_c": 34, "t_wall_c": 32},
    "supply": {"kind": "three-phase 400/230 V", "main_breaker_a": 63, "bus_a": 125, "earthing": "TT", "loop_ohm": 38},
    "kit": {"inverter": "marram-t10", "inverters": 1, "pack": "saltmarsh-v5", "packs": 1, "series": 7, "module": "reedbed-430", "gateway": "fenwright-g63"},
    "backup": {"loads": "essential board", "bond": "gateway", "board_a": 25},
    "strings": [
        {"letter": "A", "inverter": 1, "tracker": "1", "modules": 12, "tilt_deg": 35, "azimuth_deg": 170, "run": {"length_m": 24, "method": "B1"}},
        {"letter": "B", "inverter": 1, "tracker": "2", "modules": 14, "tilt_deg": 35, "azimuth_deg": 350, "run": {"length_m": 31, "method": "B1"}},
    ],
    "runs": {
        "battery": {"length_m": 3, "method": "B1"}, "grid": {"length_m": 14, "method": "C"}, "backup": {"length_m": 2, "method": "B2"},
        "changeover": {"length_m": 13, "method": "C"}, "loads": {"length_m": 6, "method": "C"},
    },
}  # fmt: skip

MOSSBANK_TERRACE = {
    "code": "iec-60364", "units": "si",
    "site": {"name": "Mossbank Terrace", "address": "27 Mossbank Terrace", "t_min_c": -9, "t_roof_c": 33, "t_wall_c": 28},
    "supply": {"kind": "single-phase 230 V", "main_breaker_a": 80, "bus_a": 125, "earthing": "TN-C-S", "loop_ohm": 0.21},
    "kit": {
        "inverter": "fenwright-a5", "inverters": 1, "pack": "tidewell-9", "packs": 1, "gateway": "fenwright-g1",
        "existing_pv": {"power_w": 3600, "side": "backup side", "obeys_frequency": "yes"},
    },
    "backup": {"loads": "whole house", "bond": "gateway", "board_a": 63},
    "runs": {
        "battery": {"length_m": 1.2, "method": "F"}, "grid": {"length_m": 4, "method": "C"}, "changeover": {"length_m": 2, "method": "C"},
        "loads": {"length_m": 3, "method": "C"}, "existing-pv": {"length_m": 9, "method": "C"},
    },
}  # fmt: skip

JUNIPER_CUT = {
    "site": {"name": "Juniper Cut", "address": "End of the Juniper Cut track", "t_min_c": -28, "t_roof_c": 33, "t_wall_c": 35},
    "supply": {"kind": "off-grid"},
    "kit": {
        "inverter": "marram-c6", "inverters": 1, "pack": "saltmarsh-l800", "packs": 1, "series": 24, "module": "reedbed-430",
        "generator": {"power_w": 7500, "lands": "inverter with bypass", "interlock": True},
    },
    "backup": {"loads": "whole house", "bond": "loads panel"},
    "strings": [
        {"letter": "A", "inverter": 1, "tracker": "1", "modules": 8, "mounting": "rack", "tilt_deg": 50, "azimuth_deg": 180, "run": {"length_m": 18.288}},
        {"letter": "B", "inverter": 1, "tracker": "2", "modules": 8, "mounting": "rack", "tilt_deg": 50, "azimuth_deg": 180, "run": {"length_m": 19.812}},
    ],
    "runs": {
        "pack": {"length_m": 1.524, "method": "free-air"}, "battery": {"length_m": 1.2192, "method": "free-air"}, "backup": {"length_m": 2.4384},
        "generator": {"length_m": 7.62},
    },
}  # fmt: skip
