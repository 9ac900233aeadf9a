"""Where safeguards stand: the body each belongs to, its words on the drawing, and the terminals
that
the crew makes off.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from gumboot.core.kit import Catalogue, Device
from gumboot.core.kit.terminal import FactoryTermination
from gumboot.core.network.circuit import Body, Circuit
from gumboot.core.plan import Safeguard

ELSEWHERE = ("outside", "array", "backed-up-circuits")  # places that are no body of the job
ROLES = {
    "residual-current device": "residual-current",
    "surge protection": "surge",
    "emergency shutdown": "button",
    "outside disconnect": "disconnect",
}


def short(s: Safeguard) -> str:
    """A safeguard in the fewest words: "RCD 300 mA type A"."""
    match s.kind:
        case "residual-current device":
            return f"RCD {s.trip_ma} mA type {s.type}{' delayed' if s.delayed else ''}"
        case "surge protection":
            return f"SPD type {s.type_no}"
        case "rapid shutdown":
            return f"rapid shutdown {s.method}"
    return s.kind


def host(s: Safeguard, bodies: Mapping[str, Body], circuits: Mapping[str, Circuit]) -> str:
    """The body a safeguard is drawn at and made off in: that of its circuit's supply end; what
    stands outside goes with the service, what brings the array down with the first inverter.
    """
    if s.at in circuits:
        return circuits[s.at].source.body
    if s.at in bodies:
        return s.at
    board = "loads-panel" if "loads-panel" in bodies else "main-panel"
    first = {"backed-up-circuits": board, "outside": "main-panel", "array": "inverter-1"}
    at = first.get(s.at, "main-panel")
    return at if at in bodies else next(iter(bodies), "")


def device_of(s: Safeguard, catalogue: Catalogue, supply: str, book: str) -> Device | None:
    """The device chosen for a safeguard; else the smallest of the shelf that does what it says."""
    role = ROLES.get(s.kind)
    if role is None:
        return None
    own = catalogue.named(s.device) if s.device else None
    if own and own.role == role:
        return own
    fits = (
        d
        for d in catalogue.devices
        if d.role == role
        and d.supply in (supply, "any")
        and d.book in (book, "any")
        and (role != "residual-current" or (d.residual, d.trip_ma) == (s.type, s.trip_ma))
    )
    return min(fits, key=lambda d: d.up_to_a, default=None)


def made_off(n: int, s: Safeguard, device: Device | None) -> Iterator[FactoryTermination]:
    """The screws of a safeguard's own terminals: two for each pole of what current passes
    through.
    """
    if device is None:
        return
    through = s.kind in ("residual-current device", "outside disconnect")
    for t in device.terminals:
        if t.torque_nm is None:
            continue
        for side in ("line", "load") if through else ("",):
            yield FactoryTermination(
                id=f"guard-{n}.{t.id}{f'.{side}' if side else ''}",
                label=f"{short(s)}, {f'{side} ' if side else ''}{t.label}",
                torque_nm=t.torque_nm,
                bit=t.bit,
            )
