"""Saltings Barn: three phases, high-voltage stack, gateway. All of it invented."""

from __future__ import annotations

from gumboot.demo import walls
from gumboot.demo.plans.parts import load, rate

SALTINGS_BARN = {
    "safeguards": [
        {
            "kind": "residual-current device",
            "at": "main-panel",
            "trip_ma": 300,
            "type": "A",
            "delayed": True,
        },
        {
            "kind": "residual-current device",
            "at": "backed-up-circuits",
            "trip_ma": 30,
            "type": "A",
        },
        {"kind": "surge protection", "at": "main-panel"},
    ],
    "code": "iec-60364",
    "units": "si",
    "site": {
        "name": "Saltings Barn",
        "address": "Saltings Farm, Long Drove",
        "latitude_deg": 52.8,
        "longitude_deg": 0.2,
        "altitude_m": 3,
        "zone": "Europe/London",
        "t_min_c": -12,
        "t_roof_c": 34,
        "t_wall_c": 32,
    },
    "supply": {
        "fault_a": 6000,
        "kind": "three-phase 400/230 V",
        "main_breaker_a": 63,
        "bus_a": 125,
        "earthing": "TT",
        "loop_ohm": 38,
    },
    "kit": {
        "inverter": "marram-t10",
        "inverters": 1,
        "pack": "saltmarsh-v5",
        "packs": 1,
        "series": 7,
        "module": "reedbed-430",
        "gateway": "fenwright-g63",
    },
    "backup": {"loads": "essential board", "bond": "gateway", "board_a": 25},
    "strings": [
        {
            "letter": "A",
            "inverter": 1,
            "tracker": "1",
            "modules": 12,
            "tilt_deg": 35,
            "azimuth_deg": 170,
            "run": {"length_m": 24, "method": "B1"},
        },
        {
            "letter": "B",
            "inverter": 1,
            "tracker": "2",
            "modules": 14,
            "tilt_deg": 35,
            "azimuth_deg": 350,
            "run": {"length_m": 31, "method": "B1"},
        },
    ],
    "runs": {
        "battery": {"length_m": 3, "method": "B1"},
        "grid": {"length_m": 14, "method": "C"},
        "backup": {"length_m": 2, "method": "B2"},
        "changeover": {"length_m": 13, "method": "C"},
        "loads": {"length_m": 6, "method": "C"},
    },
    "loads": [
        load("cold", "Cold store", "motor", 900, "L1", duty=0.35, must=True),
        load("light", "Barn lighting", "electronics", 400, "L2", "5-8, 16-21", 0.7, must=True),
        load("gate", "Gates and alarm", "electronics", 60, "L3", must=True),
        load("pump", "Drainage pump", "pump", 1500, "L1+L2+L3", duty=0.1, must=True),
        load("office", "Office", "electronics", 450, "L3", "8-18", 0.6),
        load("kettle", "Kitchen sockets", "resistive", 2200, "L2", "7-9, 12-14", 0.15),
        load("wash", "Yard washer", "motor", 2200, "L1", "9-16", 0.1, starting_w=4400),
        load("dryer", "Grain dryer fan", "motor", 5500, "L1+L2+L3", "8-20", 0.3, backed=False),
    ],
    "energy": {
        "tariff": {
            "currency": "£",
            "standing_day": 0.5,
            "export_limit_w": 8000,
            "rates": [rate("Day", 0.29, 0.12, "7-24"), rate("Night", 0.13, 0.12, "0-7")],
        }
    },
    "survey": {
        "wall": "solid brick",
        "surface": "non-combustible",
        "sun": "no",
        "rain": "no",
        "opening_m": 2.4,
        "network": "wired",
        "confirmed": dict.fromkeys(
            ("edition", "operator", "place", "fire", "building"), "agreed on the farm visit"
        ),
        "licensed": dict.fromkeys(("supply", "ac", "pv", "storage", "roof"), "Osk Fellgate"),
    },
    "walls": [walls.SALTINGS_BARN],
}
