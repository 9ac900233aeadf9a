"""Mossbank Terrace: one phase, battery beside a PV inverter. All of it invented."""

from __future__ import annotations

from gumboot.demo import walls
from gumboot.demo.plans.parts import load, rate

MOSSBANK_TERRACE = {
    "linking": {"unit_at": "127.0.0.1:7506", "bms_at": "127.0.0.1:7507"},
    "safeguards": [
        {
            "kind": "residual-current device",
            "at": "backed-up-circuits",
            "trip_ma": 30,
            "type": "A",
        },
    ],
    "code": "iec-60364",
    "units": "si",
    "site": {
        "name": "Mossbank Terrace",
        "address": "27 Mossbank Terrace",
        "latitude_deg": 53.6,
        "longitude_deg": -2.1,
        "altitude_m": 120,
        "zone": "Europe/London",
        "t_min_c": -9,
        "t_roof_c": 33,
        "t_wall_c": 28,
    },
    "supply": {
        "kind": "single-phase 230 V",
        "main_breaker_a": 80,
        "bus_a": 125,
        "earthing": "TN-C-S",
        "loop_ohm": 0.21,
    },
    "kit": {
        "inverter": "fenwright-a5",
        "inverters": 1,
        "pack": "tidewell-9",
        "packs": 1,
        "gateway": "fenwright-g1",
        "existing_pv": {
            "power_w": 3600,
            "current_a": 16,
            "array_w": 3900,
            "tilt_deg": 38,
            "azimuth_deg": 200,
            "side": "backup side",
            "obeys_frequency": "yes",
        },
    },
    "backup": {"loads": "whole house", "bond": "gateway", "board_a": 63},
    "runs": {
        "battery": {"length_m": 1.2, "method": "F"},
        "grid": {"length_m": 4, "method": "C"},
        "changeover": {"length_m": 2, "method": "C"},
        "loads": {"length_m": 3, "method": "C"},
        "existing-pv": {"length_m": 9, "method": "C"},
    },
    "fitted": {
        "existing-pv": {"size": "2.5 mm²"}
    },  # so near to the board that 1.5 mm² of earth would not bear a short
    "loads": [
        load("fridge", "Fridge freezer", "motor", 110, duty=0.4, must=True),
        load("boiler", "Boiler and pump", "pump", 120, "L1", "5-9, 16-22", 0.6, must=True),
        load("light", "Lighting", "electronics", 150, "L1", "6-8, 16-23", 0.6, must=True),
        load("network", "Network", "electronics", 25, must=True),
        load("sockets", "Sockets", "resistive", 600, "L1", "7-23", 0.25),
        load("kitchen", "Kitchen sockets", "resistive", 2200, "L1", "7-9, 12-13, 17-19", 0.15),
        load("oven", "Oven", "resistive", 2400, "L1", "17-19", 0.3, backed=False),
        load("shower", "Shower", "resistive", 8500, "L1", "6-8", 0.1, backed=False),
    ],
    "energy": {
        "tariff": {
            "currency": "£",
            "standing_day": 0.55,
            "export_limit_w": 3680,
            "rates": [
                rate("Peak", 0.42, 0.15, "16-19"),
                rate("Day", 0.26, 0.15, "5-16, 19-24"),
                rate("Night", 0.09, 0.15, "0-5"),
            ],
        }
    },
    "survey": {
        "wall": "hollow block",
        "surface": "non-combustible",
        "sun": "no",
        "rain": "no",
        "opening_m": 1.1,
        "network": "wireless, good",
        "confirmed": dict.fromkeys(
            ("edition", "operator", "place", "fire", "building"), "confirmed by letter"
        ),
        "licensed": dict.fromkeys(("supply", "ac", "pv", "storage", "roof"), "Osk Fellgate"),
    },
    "walls": [walls.MOSSBANK_TERRACE],
}
