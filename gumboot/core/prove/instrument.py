"""An instrument of the crew: what it reads, how far it may be off, until when it is vouched for."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

KINDS: dict[str, tuple[str, ...]] = {
    "multimeter": ("volt", "hertz", "ohm"),
    "multifunction tester": (
        *("ohm", "megohm", "ms", "milliamp", "volt", "amp", "hertz"),
        "tick",
    ),
    "insulation tester": ("megohm",),
    "continuity tester": ("ohm",),
    "loop tester": ("ohm", "amp"),
    "residual-current tester": ("ms", "milliamp"),
    "clamp": ("amp", "milliamp", "watt"),
    "power meter": ("watt", "percent", "volt", "amp"),
    "irradiance meter": ("light", "celsius"),
    "thermometer": ("celsius",),
    "thermal camera": ("celsius",),
    "I-V tester": ("volt", "amp"),
    "logger or oscilloscope": ("ms", "volt"),
    "rotation tester": ("tick",),
    "watch": ("seconds",),
}


@dataclass(frozen=True, slots=True)
class Instrument:
    """kind: as in KINDS; share, plain: its class, a share of the reading and so much more in the
    reading's own unit.
    """

    id: str
    kind: str
    name: str
    serial: str
    share: float
    plain: float
    calibrated_until: date

    def off(self, value: float) -> float:
        """How far a reading may be off, in its unit."""
        return self.share * abs(value) + self.plain

    def refuses(self, day: date) -> str:
        """Why it cannot vouch for a reading on a day; empty where it can."""
        if self.calibrated_until < day:
            until = self.calibrated_until.isoformat()
            return f"{self.name}'s calibration ran out on {until}: the verdict is withheld"
        return ""


def named(text: str, rows: Iterable[Instrument]) -> Instrument | None:
    """The one of the crew's that a text names: by its name, its serial, or both."""
    plain = text.strip().lower()
    if not plain:
        return None
    for x in rows:
        if plain in (x.name.lower(), x.serial.lower(), f"{x.name} {x.serial}".lower()):
            return x
    return None
