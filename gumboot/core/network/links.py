"""Signal cables: battery link, meter and current transformers, gateway control, the link between
parallel inverters.
"""

from __future__ import annotations

import itertools

from gumboot.core.kit.link import Link
from gumboot.core.network.builder import Builder
from gumboot.core.network.circuit import SignalCable
from gumboot.core.network.dc import packs_each


def lay_links(b: Builder) -> None:
    """Every link the sheets of inverter and gateway name, where both its ends are in the job."""
    for link in b.inverter.links:
        if link.to == "bank":
            _bank(b, link)
        elif link.to == "meter":
            if "main-panel" in b.bodies and not (b.gateway and b.gateway.meter_inside):
                _add(b, link, f"link-{link.name}", "inverter-1", "main-panel", out=True)
        elif link.to == "inverter":
            for i in range(1, b.plan.kit.inverters):
                key = f"link-{link.name}-{i}"
                _add(b, link, key, f"inverter-{i}", f"inverter-{i + 1}", out=True)
    if b.gateway and "gateway" in b.bodies:
        for link in b.gateway.links:
            _add(b, link, f"link-{link.name}", "inverter-1", "gateway", out=False)


def _add(b: Builder, link: Link, key: str, source: str, load: str, out: bool) -> None:
    """A cable whose sheet is that of its source (out) or of its load."""
    ends = (link.here, link.there) if out else (link.there, link.here)
    b.links.append(SignalCable(key, link.name, link.conductors, source, load, *ends))


def groups(b: Builder) -> list[tuple[int, list[str]]]:
    """(the inverter it talks to, its pack bodies) of every bank."""
    packs = [x for x in b.bodies if x.startswith("pack-")]
    if b.pack is not None and b.pack.form == "stack":
        return [(i, [p]) for i, p in enumerate(packs, 1)]
    if b.pack is not None and b.pack.cabinet:
        return [(1, packs)] if packs else []
    out, first = [], 0
    for i, n in enumerate(packs_each(b), 1):
        out += [(i, packs[first : first + n])] if packs[first : first + n] else []
        first += n
    return out


def _bank(b: Builder, link: Link) -> None:
    """From the first pack of each bank to the inverter it talks to; from pack to pack within it."""
    bms = link.name == "BMS link"
    if bms and (b.pack is None or b.pack.link == "none"):
        return  # lead cells say nothing
    for i, packs in groups(b):
        if bms and b.pack and b.pack.chain:
            leaves, enters = b.pack.chain
            for one, next_ in itertools.pairwise(packs):
                key = f"link-{one}-{next_}"
                b.links.append(
                    SignalCable(key, "pack to pack", b.pack.link, one, next_, leaves, enters)
                )
        key = f"link-{link.name}" if i == 1 else f"link-{link.name}-{i}"
        _add(b, link, key, packs[0], f"inverter-{i}", out=False)
