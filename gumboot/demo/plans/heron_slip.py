"""Heron Slip: split phase, one hybrid, two packs. All of it invented."""

from __future__ import annotations

from gumboot.demo import walls

HERON_SLIP = {
    "safeguards": [
        {"kind": "rapid shutdown", "at": "array"},
        {"kind": "emergency shutdown", "at": "outside"},
        {"kind": "surge protection", "at": "main-panel"},
    ],
    "site": {
        "name": "Heron Slip",
        "address": "11 Slipway Row",
        "t_min_c": -15,
        "t_roof_c": 36.1,
        "t_wall_c": 32.2,
    },
    "supply": {"fault_a": 8000, "main_breaker_a": 150, "bus_a": 200},
    "kit": {
        "inverter": "marram-s8",
        "inverters": 1,
        "pack": "tidewell-14",
        "packs": 2,
        "module": "reedbed-430",
    },
    "strings": [
        {
            "letter": "A",
            "inverter": 1,
            "tracker": "1",
            "modules": 10,
            "tilt_deg": 22,
            "azimuth_deg": 190,
            "run": {"length_m": 15.24},
        },
        {
            "letter": "B",
            "inverter": 1,
            "tracker": "2",
            "modules": 10,
            "tilt_deg": 22,
            "azimuth_deg": 190,
            "run": {"length_m": 16.764},
        },
    ],
    "runs": {
        "pack": {"length_m": 1.524, "method": "free-air"},
        "battery": {"length_m": 1.8288, "method": "free-air"},
        "grid": {"length_m": 7.62},
        "backup": {"length_m": 6.096},
    },
    "walls": [walls.HERON_SLIP],
}
