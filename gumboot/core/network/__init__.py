"""The network of a job: what connects to what, and what opens it.

array ──[plug]─[PV switch]──┐          ┌─[relay]── grid ── (combiner ──) main panel ─[main]─ utility
                            inverter ──┤                                     │ changeover
cells ─[own breaker]─ bus ──┘          └── backup ── (combiner ──) changeover ── loads panel

Every kind of system is this picture with parts left out: off grid there is no main panel; an
inverter with one AC port has its grid line on the gateway; an essential board needs no changeover;
one pack and one inverter need no bus. `build` makes it once; `ask`, `bonds` and `fault` answer.
"""

from __future__ import annotations

from gumboot.core.kit import Catalogue, Controller, Gateway, Inverter, Pack
from gumboot.core.network.ac import lay_ac, lay_units
from gumboot.core.network.ask import (
    Isolation,
    Meeting,
    OnBar,
    StaysLive,
    frontier,
    isolate,
    least_cut,
    live,
    meeting,
    on_busbar,
    reached,
)
from gumboot.core.network.builder import Builder
from gumboot.core.network.circuit import Body, Circuit, End, Role, SignalCable, end
from gumboot.core.network.controllers import lay_combiners, lay_controllers
from gumboot.core.network.dc import lay_battery
from gumboot.core.network.element import Bond, Node, Source, Switch, Wire
from gumboot.core.network.links import lay_links
from gumboot.core.network.network import Network, Open
from gumboot.core.network.pv import lay_pv
from gumboot.core.plan import Plan
from gumboot.core.size.bank import Bank
from gumboot.core.size.strings import StringDesign

__all__ = [
    "Body",
    "Bond",
    "Circuit",
    "End",
    "Isolation",
    "Meeting",
    "Network",
    "Node",
    "OnBar",
    "Open",
    "Role",
    "SignalCable",
    "Source",
    "StaysLive",
    "Switch",
    "Wire",
    "build",
    "end",
    "frontier",
    "isolate",
    "least_cut",
    "live",
    "meeting",
    "on_busbar",
    "reached",
]


def build(
    plan: Plan,
    catalogue: Catalogue,
    inverter: Inverter,
    pack: Pack | None,
    gateway: Gateway | None,
    bank: Bank | None,
    strings: list[StringDesign],
    through_a: float | None = None,
    controller: Controller | None = None,
) -> Network:
    """Every body, circuit, signal cable, node, wire, switch and source of a job of any kind."""
    b = Builder(plan, catalogue, inverter, pack, gateway, bank, strings, through_a, controller)
    lay_units(b)
    lay_controllers(b)
    lay_pv(b)
    lay_combiners(b)  # circuits are numbered as they are laid: strings, battery, AC
    lay_battery(b)
    lay_ac(b)
    lay_links(b)
    return b.done()
