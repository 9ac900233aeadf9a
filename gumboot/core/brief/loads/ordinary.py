"""Ordinary circuits of a house, to pick from. All of it common practice, from memory: read the
plate where there is one.
"""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.basis.clock import parse_spans
from gumboot.core.kit import MAINS
from gumboot.core.plan import Legs, Load, LoadKind, Window


@dataclass(frozen=True, slots=True)
class Ordinary:
    """A circuit as houses have it: W running on 120 V a line and on 230 V, when, and the share of
    that time it draws.

    both: stands on both legs where there are two; must: most people want it in an outage.
    """

    name: str
    kind: LoadKind
    watts: tuple[float, float]
    hours: str = ""
    duty: float = 1.0
    both: bool = False
    must: bool = False

    def watts_on(self, supply: str) -> float:
        """W running on a kind of supply."""
        return self.watts[0 if MAINS[supply].american else 1]

    def load(self, id: str, supply: str) -> Load:
        """The circuit on a kind of supply."""
        mains = MAINS[supply]
        legs: Legs = "L1+L2" if self.both and mains.american and len(mains.lines) > 1 else "L1"
        hours = tuple(Window(start_min=a, end_min=b) for a, b in parse_spans(self.hours))
        return Load(
            id=id,
            name=self.name,
            kind=self.kind,
            running_w=self.watts_on(supply),
            legs=legs,
            hours=hours,
            duty=self.duty,
            must=self.must,
        )


ORDINARY: tuple[Ordinary, ...] = (
    Ordinary("Refrigerator", "motor", (180, 120), duty=0.4, must=True),
    Ordinary("Freezer", "motor", (120, 100), duty=0.4, must=True),
    Ordinary("Lighting", "electronics", (300, 200), "6-8, 17-23", 0.5, must=True),
    Ordinary("Network and alarm", "electronics", (40, 40), must=True),
    Ordinary("Heating controls and pump", "pump", (90, 70), duty=0.4, must=True),
    Ordinary("Furnace fan", "motor", (500, 400), duty=0.4, must=True),
    Ordinary("Well pump", "pump", (1500, 1100), "6-9, 17-22", 0.15, both=True, must=True),
    Ordinary("Sump pump", "pump", (600, 500), duty=0.05, must=True),
    Ordinary("Television and desk", "electronics", (250, 200), "8-23", 0.5),
    Ordinary("Kitchen sockets", "resistive", (1500, 2200), "7-9, 12-13, 17-19", 0.15),
    Ordinary("Microwave oven", "electronics", (1500, 1200), "7-9, 12-13, 17-19", 0.1),
    Ordinary("Room sockets", "resistive", (600, 500), "7-23", 0.2),
    Ordinary("Bathroom sockets", "heater", (1500, 1500), "6-8, 20-22", 0.15),
    Ordinary("Dishwasher", "heater", (1300, 2000), "19-22", 0.4),
    Ordinary("Washing machine", "motor", (500, 2000), "9-12", 0.4),
    Ordinary("Tumble dryer", "heater", (5000, 2500), "10-13", 0.4, both=True),
    Ordinary("Range or cooker", "resistive", (8000, 7000), "17-19", 0.25, both=True),
    Ordinary("Water heater", "heater", (4500, 3000), "5-8, 18-22", 0.3, both=True),
    Ordinary("Air conditioner", "motor", (3500, 2000), "12-22", 0.4, both=True),
    Ordinary("Heat pump", "motor", (4000, 2500), duty=0.35, both=True),
    Ordinary("Garage door", "motor", (500, 350), "7-9, 17-19", 0.02),
    Ordinary("Workshop", "motor", (1800, 1800), "9-17", 0.1),
    Ordinary("Car charger", "electronics", (7200, 7400), "0-6", 0.5, both=True),
)
