"""Juniper Cut: off grid, lead-acid bank, generator inlet. All of it invented."""

from __future__ import annotations

from gumboot.demo import walls
from gumboot.demo.plans.parts import load

JUNIPER_CUT = {
    "linking": {"unit_at": "127.0.0.1:7508"},
    "safeguards": [
        {"kind": "rapid shutdown", "at": "array", "method": "at each string"},
        {"kind": "emergency shutdown", "at": "outside"},
    ],
    "site": {
        "name": "Juniper Cut",
        "address": "End of the Juniper Cut track",
        "latitude_deg": 45.3,
        "longitude_deg": -110.4,
        "altitude_m": 1650,
        "zone": "America/Denver",
        "t_min_c": -28,
        "t_roof_c": 33,
        "t_wall_c": 35,
    },
    "supply": {"kind": "off-grid"},
    "kit": {
        "inverter": "marram-c6",
        "inverters": 1,
        "pack": "saltmarsh-l800",
        "packs": 1,
        "series": 24,
        "module": "reedbed-430",
        "generator": {"power_w": 7500, "lands": "inverter with bypass", "interlock": True},
    },
    "backup": {"loads": "whole house", "bond": "loads panel"},
    "strings": [
        {
            "letter": "A",
            "inverter": 1,
            "tracker": "1",
            "modules": 8,
            "mounting": "rack",
            "tilt_deg": 50,
            "azimuth_deg": 180,
            "run": {"length_m": 18.288},
        },
        {
            "letter": "B",
            "inverter": 1,
            "tracker": "2",
            "modules": 8,
            "mounting": "rack",
            "tilt_deg": 50,
            "azimuth_deg": 180,
            "run": {"length_m": 19.812},
        },
    ],
    "runs": {
        "pack": {"length_m": 1.524, "method": "free-air"},
        "battery": {"length_m": 1.2192, "method": "free-air"},
        "backup": {"length_m": 2.4384},
        "generator": {"length_m": 7.62},
    },
    "loads": [
        load("fridge", "Refrigerator", "motor", 120, duty=0.35, must=True),
        load("light", "Lighting", "electronics", 120, "L1", "6-8, 16-23", 0.6, must=True),
        load("pump", "Well pump", "pump", 750, "L2", "7-9, 17-20", 0.2, must=True, starting_w=3000),
        load("network", "Network and radio", "electronics", 35, "L2", must=True),
        load("stove", "Pellet stove", "electronics", 110, "L1", duty=0.4),
        load("sockets", "Room sockets", "resistive", 500, "L2", "7-22", 0.15),
        load("tools", "Workshop", "motor", 1500, "L1", "10-16", 0.05),
    ],
    "energy": {"tariff": {"currency": "$", "fuel_kwh": 0.65}, "climate_factor": 0.65},
    "survey": {
        "wall": "timber studs",
        "surface": "non-combustible",
        "sun": "no",
        "rain": "no",
        "opening_m": 1.5,
        "network": "none",
        "confirmed": dict.fromkeys(
            ("edition", "permit", "utility", "place", "fire", "shutdown"),
            "county office, by telephone",
        ),
        "licensed": dict.fromkeys(
            ("supply", "ac", "pv", "storage", "roof"), "Merrin Tarn, master electrician"
        ),
    },
    "walls": [walls.JUNIPER_CUT],
}
