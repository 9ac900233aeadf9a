"""Grid profiles: what the country line of a menu stands for. Defaults of the standards, from
memory; the grid operator's own letter comes before them, and national annexes differ.

    IEEE 1547-2018   Table 13 (shall trip, category III), 18, 4 (enter service), 24 (droop)
    EN 50549-1:2019  4.9.3 (interface protection), 4.6.1 (LFSM-O), 4.10 (connection)
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Of = Literal["V", "Hz", "s", "%", "%/min"]


@dataclass(frozen=True, slots=True)
class Limit:
    """One value of a profile: per unit of the nominal volts where `of` is "V", and how long it may
    last.
    """

    name: str
    value: float
    of: Of
    seconds: float | None = None


@dataclass(frozen=True, slots=True)
class Profile:
    """A profile by the name that a menu's choice means."""

    name: str
    source: str
    limits: tuple[Limit, ...]


PROFILES = {
    "IEEE 1547-2018": Profile(
        "IEEE 1547-2018, category III",
        "IEEE 1547-2018 Tables 4, 13, 18, 24, from memory",
        (
            Limit("Overvoltage 2", 1.20, "V", 0.16),
            Limit("Overvoltage 1", 1.10, "V", 13.0),
            Limit("Undervoltage 1", 0.88, "V", 21.0),
            Limit("Undervoltage 2", 0.50, "V", 2.0),
            Limit("Overfrequency 2", 62.0, "Hz", 0.16),
            Limit("Overfrequency 1", 61.2, "Hz", 300.0),
            Limit("Underfrequency 1", 58.5, "Hz", 300.0),
            Limit("Underfrequency 2", 56.5, "Hz", 0.16),
            Limit("Enters service above", 0.917, "V"),
            Limit("Enters service below", 1.05, "V"),
            Limit("Enters service from", 59.5, "Hz"),
            Limit("Enters service to", 60.1, "Hz"),
            Limit("Enters service after", 300.0, "s"),
            Limit("Ramps up over", 300.0, "s"),
            Limit("Droop begins above", 60.036, "Hz"),
            Limit("Droop", 5.0, "%"),
        ),
    ),
    "EN 50549-1": Profile(
        "EN 50549-1",
        "EN 50549-1:2019 4.6.1, 4.9.3, 4.10, from memory; national annexes differ",
        (
            Limit("Overvoltage 2", 1.15, "V", 0.2),
            Limit("Overvoltage 1, mean of 10 min", 1.10, "V", 3.0),
            Limit("Undervoltage 1", 0.85, "V", 1.5),
            Limit("Overfrequency", 52.0, "Hz", 0.5),
            Limit("Underfrequency", 47.5, "Hz", 0.5),
            Limit("Connects above", 0.85, "V"),
            Limit("Connects below", 1.10, "V"),
            Limit("Connects from", 49.5, "Hz"),
            Limit("Connects to", 50.2, "Hz"),
            Limit("Watches for", 60.0, "s"),
            Limit("Ramps up by", 10.0, "%/min"),
            Limit("Power falls above", 50.2, "Hz"),
            Limit("Droop", 5.0, "%"),
        ),
    ),
}
