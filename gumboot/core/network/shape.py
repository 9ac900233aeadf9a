"""What shape the alternating side of a job has, and what its boxes are called."""

from __future__ import annotations

from typing import Literal, cast

from gumboot.core.kit.terminal import Conductor
from gumboot.core.network import house
from gumboot.core.network.builder import Builder
from gumboot.core.network.house import shared_out

Line = Literal["L1", "L2", "L3", ""]
CHANGED_OVER = ("whole house", "transfer-switched circuits")


def on_grid(b: Builder) -> bool:
    """Whether there is a service at all."""
    return b.plan.supply.kind != "off-grid"


def has_changeover(b: Builder) -> bool:
    """Whether something separates house and grid: a gateway, or a transfer switch where loads have
    two sources.
    """
    changed = b.inverter.backup is not None and b.plan.backup.loads in CHANGED_OVER
    return on_grid(b) and (b.gateway is not None or changed)


def grid_on_gateway(b: Builder) -> bool:
    """Whether the inverters' only AC port lands on the gateway."""
    return b.gateway is not None and b.inverter.backup is None


def feeds(b: Builder) -> bool:
    """Whether the units can feed a grid: they have a grid port, and their maker lets them."""
    return b.inverter.grid is not None and b.inverter.feeds_grid and on_grid(b)


def tapped(b: Builder) -> bool:
    """Whether the connection is ahead of the main."""
    return b.plan.supply.connection == "supply-side tap"


def subbed(b: Builder) -> bool:
    """Whether the units connect at a board behind the main one."""
    return on_grid(b) and b.plan.supply.connection == "sub-board breaker"


def spread(b: Builder) -> bool:
    """Whether single-phase units stand on the lines of a house of several."""
    return shared_out(b.plan, b.inverter)


def line_of(b: Builder, i: int) -> Line:
    """The line that inverter i stands on, where single-phase units share a house of several."""
    return cast(Line, house.line_of(b.plan, b.inverter, i))


def conductors_of(b: Builder, i: int) -> tuple[Conductor, ...]:
    """The conductors of one unit's AC circuit."""
    line = line_of(b, i)
    return (line, "N", "PE") if line else (*b.inverter.lines, "N", "PE")


def main_name(b: Builder) -> str:
    """What the box is called where the job meets the service."""
    if tapped(b):
        return "Service disconnect"
    return b.plan.book.main_board


def changeover_body(b: Builder) -> str:
    """The key of the changeover."""
    return "gateway" if b.gateway else "transfer-switch"


def changeover_name(b: Builder) -> str:
    """What the changeover is called."""
    if b.gateway:
        return "Gateway" if b.gateway.form == "gateway" else "Islanding box"
    names = {
        "transfer switch": "Transfer switch",
        "interlocked breakers": "Interlocked breakers",
        "loose breakers": "Breakers",
    }
    return names[b.plan.backup.changeover]


def loads_name(b: Builder) -> str:
    """What the board of the backed-up loads is called."""
    if not on_grid(b):
        return "Loads panel"
    names = {"essential board": "Essential board", "whole house": "House panel"}
    return names.get(b.plan.backup.loads, "Backed-up panel")
