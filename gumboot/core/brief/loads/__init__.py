"""The load board: what lives in an outage, on which leg, what it draws and starts with, and whether
kit and generator carry it.
"""

from gumboot.core.brief.loads.board import Board, Leg, design_board, may_run, share, starting_power
from gumboot.core.brief.loads.findings import board_findings
from gumboot.core.brief.loads.generator import Charging, design_charging, generator_findings

__all__ = [
    "Board",
    "Charging",
    "Leg",
    "board_findings",
    "design_board",
    "design_charging",
    "generator_findings",
    "may_run",
    "share",
    "starting_power",
]
