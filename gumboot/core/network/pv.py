"""Strings: from their array to a pair of connectors of their tracker, behind the unit's PV
switch.
"""

from __future__ import annotations

from gumboot.core.kit.terminal import Terminal
from gumboot.core.network.builder import Builder
from gumboot.core.network.circuit import DC, End, end
from gumboot.core.network.controllers import combined
from gumboot.core.network.element import Source
from gumboot.core.network.others import LIGHT
from gumboot.core.size.strings import StringDesign


def lay_pv(b: Builder) -> None:
    """Each string from its array to a pair of connectors of its tracker."""
    taken: dict[tuple[str, str], int] = {}
    units = {u.body: u for u in b.takers}
    unlike = len({s.module.id for s in b.strings}) > 1
    for s in b.strings:
        unit, module = units.get(s.body), s.module
        tracker = unit.tracker(s.tracker) if unit else None
        if unit is None or tracker is None:
            continue
        pair = taken.get((s.body, s.tracker), 0)
        taken[s.body, s.tracker] = pair + (2 if s.jumper else 1)
        if pair >= tracker.pairs:
            continue
        device = b.device("array", module.pushes_a)
        i_mp = s.working_a
        v_mp = s.working_v
        array, label = f"array-{s.letter}", f"Array {s.letter}"
        of = f"× {module.p_max_w:g} W" if unlike else "modules"
        b.body(array, "array", label, f"{s.counted} {of}")
        leads = end(
            array,
            label,
            "leads",
            device.terminals if device else (),
            node=b.node(array, array, "pv"),
            missing=device is None,
        )
        b.sources.append(
            Source(array, "string", f"String {s.letter}", array, (array,), never_dead=LIGHT)
        )
        if unit.controls:
            port = combined(b, unit.n, s)
        else:
            port = _to_inverter(b, s, unit.n, tracker.terminals[2 * pair : 2 * pair + 2], pair)
        b.add(
            s.key,
            "pv",
            f"String {s.letter}",
            leads,
            port,
            DC,
            s.i_max,
            v_mp,
            _protected(s, unit.controls),
            module.fuse_max_a,
            ambient_c=b.plan.site.t_roof_c,
            own=s.fuse,
            drop=i_mp,
        )


def _protected(s: StringDesign, combines: bool) -> str:
    """What protects a string, in words."""
    if not s.fuse:
        return "none: two strings or fewer in parallel"
    return "its breaker in the combiner" if combines else "string fuse"


def _to_inverter(
    b: Builder, s: StringDesign, unit: int, terminals: tuple[Terminal, ...], pair: int
) -> End:
    """A pair of connectors of an inverter's tracker."""
    port = f"PV {s.tracker}"
    return b.unit(unit, port, terminals, _plugged(b, s.letter, unit, port, pair))


def _plugged(b: Builder, letter: str, unit: int, port: str, pair: int) -> str:
    """The unit's PV switch, and the connectors of one string, parted only when it is off. Gives the
    node of the string's lead.
    """
    hub = f"inverter-{unit}"
    inside, at = b.node(f"{hub}/PV", hub, "pv"), b.node(f"{hub}/{port}.{pair + 1}", hub, "pv")
    switch = b.open_by(
        f"{hub}/PV switch", "isolator", "PV switch", hub, hub, inside, "pv", ("+", "−")
    )
    b.join(inside, at)
    lead = b.node(f"pv-{letter}/lead", "", "pv")
    b.open_by(
        f"pv-{letter}/connectors",
        "plug",
        f"connectors of string {letter}",
        "",
        at,
        lead,
        "pv",
        ("+", "−"),
        after=(switch,),
    )
    return lead
