"""The chapter of Wall that comes before sizing: what hangs where, and how long the ways are."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from gumboot.core.basis.figure import Figure
from gumboot.core.brief.chapters import KIT, chosen, named
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.network import Circuit
from gumboot.core.network.chapters import NETWORK
from gumboot.core.size.equipment import BANK, STRINGS
from gumboot.core.wall.bodies import Box, boxes
from gumboot.core.wall.hang import WallDesign, hang
from gumboot.core.wall.routes import with_runs


def _boxes(d: Draft) -> tuple[Box, ...]:
    kit = chosen(d)
    return boxes(
        d.plan,
        d[NETWORK].bodies,
        kit.inverter,
        kit.pack,
        kit.gateway,
        _dc_v(d),
        kit.controller,
    )


ON_THE_BANK = ("pack", "dc-bus", "inverter", "controller")


def _dc_v(d: Draft) -> dict[str, float]:
    """The most DC volts in a body: of the bank, and of the strings that come to it."""
    bank, strings = d[BANK], (d[STRINGS] or ((), ()))[0]
    most = bank.v_max.n if bank else 0.0
    out = {b.id: most for b in d[NETWORK].bodies if b.role in ON_THE_BANK}
    for s in strings:
        for id in (s.body, s.body.replace("controller-", "pv-combiner-")):
            out[id] = max(out.get(id, 0.0), s.v_oc_cold.n)
    return out


BOXES: Chapter[tuple[Box, ...]] = Chapter(
    "boxes",
    _boxes,
    reads=("extras", "kit", "supply"),
    requires=(KIT, NETWORK),
    needs=(BANK, STRINGS),
)


def _hung(d: Draft) -> tuple[WallDesign, ...]:
    """The walls with what hangs on them and the ways that are led over them."""
    network, every = d[NETWORK], d[BOXES]
    was: tuple[WallDesign, ...] | None = d.was(HUNG)
    return hang(d.plan, every, network.circuits, network.links, d.catalogue, was or ())


def _hung_figures(walls: tuple[WallDesign, ...]) -> Iterable[tuple[str, Figure]]:
    return (f for w in walls for f in _figures(w))


def _figures(w: WallDesign) -> Iterator[tuple[str, Figure]]:
    yield from ((f"way.{r.want.id}", r.length) for r in w.routes)
    for h in w.fixings:
        yield from named(f"hold.{h.box}", h, "factor", "pull", "shear")
    for x in w.lifts:
        yield f"lift.{x.box}.{x.what}", x.index


HUNG: Chapter[tuple[WallDesign, ...]] = Chapter(
    "hung",
    _hung,
    reads=("walls", "site", "spacing", "units", "code"),
    requires=(NETWORK, BOXES),
    figures=_hung_figures,
)


def _runs(d: Draft) -> tuple[Circuit, ...]:
    """The circuits with their runs, as long as their ways. One whose run is as before stays the
    same.
    """
    network, old = d[NETWORK], d.was(RUNS)
    ways = {r.want.id: r for w in d[HUNG] for r in w.routes}
    circuits = with_runs(network.circuits, ways, d.plan)
    if old and d.was(NETWORK) is network:
        before = {c.id: c for c in old}
        circuits = tuple(before[c.id] if c.run == before[c.id].run else c for c in circuits)
    return circuits


RUNS: Chapter[tuple[Circuit, ...]] = Chapter(
    "runs", _runs, reads=("runs", "strings"), requires=(NETWORK, HUNG)
)
