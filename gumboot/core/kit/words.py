"""What a data sheet speaks of: books, supplies, families of circuits."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from gumboot.core.kit.terminal import (
    Conductor,
)

Family = Literal[
    "pv",
    "pack",
    "battery",
    "controller",
    "controller-pv",
    "grid",
    "grid-feeder",
    "backup",
    "backup-feeder",
    "changeover",
    "loads",
    "generator",
    "generator-unit",
    "existing-pv",
    "tap",
    "sub-feeder",
    "port-use",
]
Supplied = Literal[
    "split-phase 120/240 V",
    "single-phase 120 V",
    "three-phase 208Y/120 V",
    "two lines of 208Y/120 V",
    "single-phase 230 V",
    "three-phase 400/230 V",
]
Chemistry = Literal["LFP", "NMC", "flooded", "sealed", "gel"]
LITHIUM: tuple[Chemistry, ...] = ("LFP", "NMC")
CHEMISTRIES: dict[Chemistry, str] = {
    "LFP": "LFP, lithium iron phosphate",
    "NMC": "NMC, lithium nickel manganese cobalt",
    "flooded": "flooded lead",
    "sealed": "sealed lead, AGM",
    "gel": "gel lead",
}
SHEETS_SAY: dict[str, Chemistry] = {  # what data sheets call them; common practice
    **dict.fromkeys(("lfp", "lifepo4", "lifepo₄", "lithium iron phosphate"), "LFP"),
    **dict.fromkeys(("nmc", "nickel manganese cobalt"), "NMC"),
    **dict.fromkeys(("flooded", "wet", "vented", "opzs"), "flooded"),
    **dict.fromkeys(("sealed", "agm", "vrla", "sla"), "sealed"),
    **dict.fromkeys(("gel", "opzv"), "gel"),
}


def chemistry_of(said: object) -> object:
    """A battery's chemistry by what its sheet calls it; what none calls so stays as it is."""
    return SHEETS_SAY.get(said.strip().lower(), said) if isinstance(said, str) else said


@dataclass(frozen=True, slots=True)
class Mains:
    """A kind of supply: its lines, V of each to neutral and between two of them (of one line, to
    neutral), the angle of each in degrees, Hz, and whether it is one of North America's.
    """

    lines: tuple[Conductor, ...]
    to_neutral: float
    between: float
    angles: tuple[float, ...]
    hertz: float
    american: bool

    @property
    def wye(self) -> bool:
        """Whether its lines are phases, 120° apart: of split phase they are opposed."""
        return len(self.lines) > 1 and abs(self.angles[1]) == 120.0


PHASES = (0.0, -120.0, 120.0)
MAINS: dict[str, Mains] = {  # ANSI C84.1 and IEC 60038: nominal voltages
    "split-phase 120/240 V": Mains(("L1", "L2"), 120.0, 240.0, (0.0, 180.0), 60.0, True),
    "single-phase 120 V": Mains(("L1",), 120.0, 120.0, (0.0,), 60.0, True),
    "three-phase 208Y/120 V": Mains(("L1", "L2", "L3"), 120.0, 208.0, PHASES, 60.0, True),
    "two lines of 208Y/120 V": Mains(("L1", "L2"), 120.0, 208.0, PHASES[:2], 60.0, True),
    "single-phase 230 V": Mains(("L1",), 230.0, 230.0, (0.0,), 50.0, False),
    "three-phase 400/230 V": Mains(("L1", "L2", "L3"), 230.0, 400.0, PHASES, 50.0, False),
}
ANGLES = {kind: m.angles for kind, m in MAINS.items()}
BOXES = {"two lines of 208Y/120 V": "split-phase 120/240 V"}  # whose devices serve: NEC 240.85
LINES = {kind: m.lines for kind, m in MAINS.items()}
LINE_VOLTS = {kind: m.between for kind, m in MAINS.items()}


def spreads(unit: str, house: str) -> bool:
    """Whether single-phase units of a kind may stand on the lines of a house of several: each makes
    what one of them is to neutral.
    """
    one, more = MAINS.get(unit), MAINS.get(house)
    if one is None or more is None or len(more.lines) == 1:
        return False
    return len(one.lines) == 1 and one.to_neutral == more.to_neutral


Stage = Literal["Battery", "PV", "Grid", "Backup", "Generator", "Links"]
Opening = Literal["loads", "generator", "backup", "grid", "pv inverter", "pv", "unit", "battery"]
Ground = Literal[
    "concrete", "solid brick", "hollow block", "timber stud", "steel stud", "wood board", "rail"
]
