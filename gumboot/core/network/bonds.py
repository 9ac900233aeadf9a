"""Where neutral meets earth, state by state.

A state closes and opens what a unit or a hand moves when the supply changes; in each, the bonds
counted are those that the neutral of what is fed is joined to. One is right.

    grid on            the utility there, every relay and contactor closed
    islanded           relays toward the grid open, the changeover on the inverter
    on the generator   as islanded, and the generator's own breaker closed
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

from gumboot.core.network.element import Bond, Switch
from gumboot.core.network.network import Network, Open

STATES = ("grid on", "islanded", "on the generator")


@dataclass(frozen=True, slots=True)
class Bonded:
    """One state, and the bonds that its neutral is joined to; `stands`: what is thrown how."""

    state: str
    bonds: tuple[Bond, ...]
    stands: tuple[str, ...] = ()


def neutral_joined(network: Network, start: str, opened: Open) -> set[str]:
    """The alternating nodes whose neutral is joined to that of `start`: neutral passes every wire,
    and every switch but an open one that opens neutral.
    """
    seen, todo = {start}, deque([start])
    while todo:
        here = todo.popleft()
        for there, s in network.beside[here]:
            if there in seen or network.nodes[there].system != "ac":
                continue
            if s is None or not s.opens_neutral or s.id not in opened:
                seen.add(there)
                todo.append(there)
    return seen


WHEN: dict[str, tuple[str, ...]] = {
    "grid on": ("always",),
    "islanded": ("always", "island"),
    "on the generator": ("always", "island", "generator"),
}


def bonded(network: Network, place: str, opened: Open, state: str) -> tuple[Bond, ...]:
    """The bonds that the neutral at a node is joined to in a state, with so much open."""
    joined = neutral_joined(network, place, opened)
    return tuple(x for x in network.bonds if x.node in joined and x.when in WHEN[state])


def states(network: Network) -> tuple[Bonded, ...]:
    """Every state that the job has, with its bonds: at the backed-up loads, or at the main board
    where nothing is backed up. A changeover by hand has each of its positions looked at.
    """
    out: list[Bonded] = []
    fed = "loads-panel" if "loads-panel" in network.nodes else ""
    at_grid = fed or ("main-panel" if "main-panel" in network.nodes else "")
    toward_grid = frozenset(s.id for s in network.switches if _parts_from_grid(network, s))
    throws: list[Switch] = [
        s for s in network.switches if s.interlock == "changeover" or _loose(network, s)
    ]
    if "service" in network.nodes and at_grid:
        for position in throws or (None,):
            opened = frozenset(s.id for s in throws if s is not position)
            stands = (position.name,) if position else ()
            out.append(Bonded("grid on", bonded(network, at_grid, opened, "grid on"), stands))
    on_inverter = frozenset(s.id for s in throws if s.works == "grid")
    if fed:
        opened = toward_grid | on_inverter
        out.append(Bonded("islanded", bonded(network, fed, opened, "islanded")))
        if "generator" in network.nodes:
            main = frozenset(
                s.id
                for s in network.switches
                if s.interlock == "loads panel" and s.works == "loads"
            )
            panel = any(s.id == "loads-panel/back-feed breaker" for s in network.switches)
            running = opened | (main if panel else frozenset())
            out.append(
                Bonded("on the generator", bonded(network, fed, running, "on the generator"))
            )
    return tuple(out)


def _parts_from_grid(network: Network, s: Switch) -> bool:
    """Whether a contactor opens when the grid is lost: a unit's relay toward it, a gateway's."""
    return s.kind == "contactor" and s.works == "grid" and "service" in network.nodes


def _loose(network: Network, s: Switch) -> bool:
    return s.body == "transfer-switch" and s.id in (
        "transfer-switch/grid",
        "transfer-switch/inverter",
    )


def by_state(rows: tuple[Bonded, ...]) -> dict[str, tuple[Bond, ...]]:
    """The bonds of each state; of several positions the one that is wrong, if any is."""
    out: dict[str, tuple[Bond, ...]] = {}
    for x in rows:
        if x.state not in out or len(x.bonds) != 1:
            out[x.state] = x.bonds
    return out
