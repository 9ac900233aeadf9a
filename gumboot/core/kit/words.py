"""What a data sheet speaks of: books, supplies, families of circuits."""

from __future__ import annotations

from typing import Literal

from gumboot.core.kit.terminal import (
    Conductor,
)

Family = Literal[
    "pv",
    "pack",
    "battery",
    "grid",
    "grid-feeder",
    "backup",
    "backup-feeder",
    "changeover",
    "loads",
    "generator",
    "existing-pv",
    "tap",
    "port-use",
]
Supplied = Literal["split-phase 120/240 V", "single-phase 230 V", "three-phase 400/230 V"]
Chemistry = Literal["LFP", "NMC", "flooded", "sealed", "gel"]
LITHIUM: tuple[Chemistry, ...] = ("LFP", "NMC")
LINES: dict[str, tuple[Conductor, ...]] = {
    "split-phase 120/240 V": ("L1", "L2"),
    "single-phase 230 V": ("L1",),
    "three-phase 400/230 V": ("L1", "L2", "L3"),
}
LINE_VOLTS: dict[str, float] = {  # between lines; of one line, to neutral
    "split-phase 120/240 V": 240.0,
    "single-phase 230 V": 230.0,
    "three-phase 400/230 V": 400.0,
}
Stage = Literal["Battery", "PV", "Grid", "Backup", "Generator", "Links"]
Opening = Literal["loads", "generator", "backup", "grid", "pv inverter", "pv", "unit", "battery"]
Ground = Literal[
    "concrete", "solid brick", "hollow block", "timber stud", "steel stud", "wood board", "rail"
]
