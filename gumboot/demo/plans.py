"""The demo's plans, one of each kind of system, all of it invented."""

from __future__ import annotations

from typing import Any

from gumboot.core.basis.clock import parse_spans
from gumboot.demo import walls


def _hours(text: str) -> list[dict[str, int]]:
    return [{"start_min": a, "end_min": b} for a, b in parse_spans(text)]


def _load(
    id: str,
    name: str,
    kind: str,
    watts: float,
    legs: str = "L1",
    hours: str = "",
    duty: float = 1.0,
    **more: Any,
) -> dict[str, Any]:
    return {
        "id": id,
        "name": name,
        "kind": kind,
        "running_w": watts,
        "legs": legs,
        "hours": _hours(hours),
        "duty": duty,
        **more,
    }


def _rate(name: str, buy: float, sell: float, hours: str = "", **more: Any) -> dict[str, Any]:
    return {"name": name, "buy": buy, "sell": sell, "hours": _hours(hours), **more}


TERN_HOLLOW = {
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
        _load("fridge", "Refrigerator", "motor", 180, "L1", duty=0.4, must=True),
        _load("freezer", "Cellar freezer", "motor", 140, "L1", duty=0.4, must=True),
        _load(
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
        _load("furnace", "Furnace fan", "motor", 550, "L1", duty=0.4, must=True),
        _load("sump", "Sump pump", "pump", 600, "L1", duty=0.05, must=True),
        _load("light", "Lighting", "electronics", 350, "L1", "6-8, 16-23", 0.5, must=True),
        _load("network", "Network and alarm", "electronics", 45, "L2", must=True),
        _load("kitchen", "Kitchen sockets", "resistive", 1800, "L1", "7-9, 12-13, 17-19", 0.15),
        _load("micro", "Microwave oven", "electronics", 1500, "L1", "7-9, 12-13, 17-19", 0.1),
        _load("washer", "Washing machine", "motor", 500, "L2", "9-12", 0.4),
        _load("dish", "Dishwasher", "heater", 1300, "L1", "19-22", 0.4),
        _load("desk", "Television and desk", "electronics", 300, "L2", "8-23", 0.5),
        _load("range", "Range", "resistive", 8000, "L1+L2", "17-19", 0.25, backed=False),
        _load("heater", "Water heater", "heater", 4500, "L1+L2", "5-8, 18-22", 0.3),
        _load("heatpump", "Heat pump", "motor", 4200, "L1+L2", duty=0.3, starting_w=14000),
        _load("car", "Car charger", "electronics", 7200, "L1+L2", "0-5", 0.6, backed=False),
    ],
    "energy": {
        "tariff": {
            "currency": "$",
            "standing_day": 0.45,
            "export_limit_w": 15000,
            "rates": [
                _rate(
                    "Summer peak", 0.46, 0.05, "15-20", days="weekdays", from_month=6, to_month=9
                ),
                _rate(
                    "Summer day",
                    0.19,
                    0.05,
                    "6-15, 20-24",
                    days="weekdays",
                    from_month=6,
                    to_month=9,
                ),
                _rate(
                    "Summer weekend", 0.19, 0.05, "6-24", days="weekends", from_month=6, to_month=9
                ),
                _rate("Winter day", 0.17, 0.05, "6-24", from_month=10, to_month=5),
                _rate("Night", 0.08, 0.05, "0-6"),
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
        _load("cold", "Cold store", "motor", 900, "L1", duty=0.35, must=True),
        _load("light", "Barn lighting", "electronics", 400, "L2", "5-8, 16-21", 0.7, must=True),
        _load("gate", "Gates and alarm", "electronics", 60, "L3", must=True),
        _load("pump", "Drainage pump", "pump", 1500, "L1+L2+L3", duty=0.1, must=True),
        _load("office", "Office", "electronics", 450, "L3", "8-18", 0.6),
        _load("kettle", "Kitchen sockets", "resistive", 2200, "L2", "7-9, 12-14", 0.15),
        _load("wash", "Yard washer", "motor", 2200, "L1", "9-16", 0.1, starting_w=4400),
        _load("dryer", "Grain dryer fan", "motor", 5500, "L1+L2+L3", "8-20", 0.3, backed=False),
    ],
    "energy": {
        "tariff": {
            "currency": "£",
            "standing_day": 0.5,
            "export_limit_w": 8000,
            "rates": [_rate("Day", 0.29, 0.12, "7-24"), _rate("Night", 0.13, 0.12, "0-7")],
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

MOSSBANK_TERRACE = {
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
        _load("fridge", "Fridge freezer", "motor", 110, duty=0.4, must=True),
        _load("boiler", "Boiler and pump", "pump", 120, "L1", "5-9, 16-22", 0.6, must=True),
        _load("light", "Lighting", "electronics", 150, "L1", "6-8, 16-23", 0.6, must=True),
        _load("network", "Network", "electronics", 25, must=True),
        _load("sockets", "Sockets", "resistive", 600, "L1", "7-23", 0.25),
        _load("kitchen", "Kitchen sockets", "resistive", 2200, "L1", "7-9, 12-13, 17-19", 0.15),
        _load("oven", "Oven", "resistive", 2400, "L1", "17-19", 0.3, backed=False),
        _load("shower", "Shower", "resistive", 8500, "L1", "6-8", 0.1, backed=False),
    ],
    "energy": {
        "tariff": {
            "currency": "£",
            "standing_day": 0.55,
            "export_limit_w": 3680,
            "rates": [
                _rate("Peak", 0.42, 0.15, "16-19"),
                _rate("Day", 0.26, 0.15, "5-16, 19-24"),
                _rate("Night", 0.09, 0.15, "0-5"),
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

JUNIPER_CUT = {
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
        _load("fridge", "Refrigerator", "motor", 120, duty=0.35, must=True),
        _load("light", "Lighting", "electronics", 120, "L1", "6-8, 16-23", 0.6, must=True),
        _load(
            "pump", "Well pump", "pump", 750, "L2", "7-9, 17-20", 0.2, must=True, starting_w=3000
        ),
        _load("network", "Network and radio", "electronics", 35, "L2", must=True),
        _load("stove", "Pellet stove", "electronics", 110, "L1", duty=0.4),
        _load("sockets", "Room sockets", "resistive", 500, "L2", "7-22", 0.15),
        _load("tools", "Workshop", "motor", 1500, "L1", "10-16", 0.05),
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
