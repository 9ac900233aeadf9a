"""Tern Hollow: split phase, two hybrids in parallel, whole house, generator. All of it invented."""

from __future__ import annotations

from gumboot.demo import walls
from gumboot.demo.plans.parts import load, rate

TERN_HOLLOW = {
    "linking": {"meter_at": "127.0.0.1:7502", "bms_at": "127.0.0.1:7504"},
    "safeguards": [
        {"kind": "rapid shutdown", "at": "array"},
        {"kind": "emergency shutdown", "at": "outside"},
    ],
    "site": {
        "name": "Tern Hollow",
        "address": "4 Ferry Lane, Tern Hollow",
        "latitude_deg": 44.6,
        "longitude_deg": -92.9,
        "altitude_m": 250,
        "zone": "America/Chicago",
        "t_min_c": -25.556,
        "t_roof_c": 37.778,
        "t_wall_c": 40.556,
    },
    "supply": {"main_breaker_a": 200, "bus_a": 200},
    "kit": {
        "inverter": "marram-s8",
        "inverters": 2,
        "pack": "tidewell-14",
        "packs": 3,
        "module": "reedbed-430",
        "generator": {"power_w": 14000, "lands": "inverter"},
    },
    "backup": {"loads": "whole house", "changeover": "transfer switch", "board_a": 200},
    "strings": [
        {
            "letter": letter,
            "inverter": inverter,
            "tracker": tracker,
            "modules": modules,
            "tilt_deg": 28,
            "azimuth_deg": azimuth,
            "run": {"length_m": feet * 0.3048},
        }
        for letter, inverter, tracker, modules, azimuth, feet in (
            ("A", 1, "1", 10, 165, 82),
            ("B", 1, "2", 10, 165, 88),
            ("C", 1, "3", 12, 255, 96),
            ("D", 2, "1", 9, 75, 104),
            ("E", 2, "2", 9, 75, 110),
        )
    ],
    "runs": {
        "pack": {"length_m": 1.8288, "method": "free-air"},
        "battery": {"length_m": 2.1336, "method": "free-air"},
        "grid": {"length_m": 3.6576, "in_raceway": 4},
        "grid-feeder": {"length_m": 11.5824},
        "backup": {"length_m": 3.6576, "in_raceway": 4},
        "backup-feeder": {"length_m": 9.144},
        "changeover": {"length_m": 3.048, "material": "Al"},
        "loads": {"length_m": 6.096, "material": "Al"},
        "generator": {"length_m": 18.288},
    },
    "fitted": {"battery-2": {"size": "4"}},
    "loads": [
        load("fridge", "Refrigerator", "motor", 180, "L1", duty=0.4, must=True),
        load("freezer", "Cellar freezer", "motor", 140, "L1", duty=0.4, must=True),
        load(
            "well",
            "Well pump",
            "pump",
            1500,
            "L1+L2",
            "6-9, 17-22",
            0.15,
            must=True,
            locked_rotor_a=48,
        ),
        load("furnace", "Furnace fan", "motor", 550, "L1", duty=0.4, must=True),
        load("sump", "Sump pump", "pump", 600, "L1", duty=0.05, must=True),
        load("light", "Lighting", "electronics", 350, "L1", "6-8, 16-23", 0.5, must=True),
        load("network", "Network and alarm", "electronics", 45, "L2", must=True),
        load("kitchen", "Kitchen sockets", "resistive", 1800, "L1", "7-9, 12-13, 17-19", 0.15),
        load("micro", "Microwave oven", "electronics", 1500, "L1", "7-9, 12-13, 17-19", 0.1),
        load("washer", "Washing machine", "motor", 500, "L2", "9-12", 0.4),
        load("dish", "Dishwasher", "heater", 1300, "L1", "19-22", 0.4),
        load("desk", "Television and desk", "electronics", 300, "L2", "8-23", 0.5),
        load("range", "Range", "resistive", 8000, "L1+L2", "17-19", 0.25, backed=False),
        load("heater", "Water heater", "heater", 4500, "L1+L2", "5-8, 18-22", 0.3),
        load("heatpump", "Heat pump", "motor", 4200, "L1+L2", duty=0.3, starting_w=14000),
        load("car", "Car charger", "electronics", 7200, "L1+L2", "0-5", 0.6, backed=False),
    ],
    "energy": {
        "tariff": {
            "currency": "$",
            "standing_day": 0.45,
            "export_limit_w": 15000,
            "rates": [
                rate("Summer peak", 0.46, 0.05, "15-20", days="weekdays", from_month=6, to_month=9),
                rate(
                    "Summer day",
                    0.19,
                    0.05,
                    "6-15, 20-24",
                    days="weekdays",
                    from_month=6,
                    to_month=9,
                ),
                rate(
                    "Summer weekend", 0.19, 0.05, "6-24", days="weekends", from_month=6, to_month=9
                ),
                rate("Winter day", 0.17, 0.05, "6-24", from_month=10, to_month=5),
                rate("Night", 0.08, 0.05, "0-6"),
            ],
        },
    },
    "survey": {
        "wall": "timber studs",
        "surface": "combustible",
        "sun": "no",
        "rain": "no",
        "opening_m": 1.22,
        "network": "unknown",
        "confirmed": {"edition": "NEC 2023 without amendments, county office"},
        "licensed": {
            "supply": "Merrin Tarn, master electrician",
            "ac": "Merrin Tarn, master electrician",
        },
    },
    "walls": [walls.TERN_HOLLOW],
}
