"""Where safeguards stand: the body each belongs to, its words on the drawing, its device, and the
terminals that the crew makes off.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from gumboot.core.basis.finding import Change, Cure, Finding, stop
from gumboot.core.kit import Catalogue, Device
from gumboot.core.kit.terminal import FactoryTermination
from gumboot.core.kit.words import LINE_VOLTS, LINES
from gumboot.core.network.circuit import Body, Circuit
from gumboot.core.plan import RESIDUAL_TYPES, Plan, Safeguard

ELSEWHERE = ("outside", "array", "backed-up-circuits")  # places that are no body of the job
ROLES = {
    "residual-current device": "residual-current",
    "surge protection": "surge",
    "emergency shutdown": "button",
    "outside disconnect": "disconnect",
}
IN_LINE = ("residual-current", "disconnect")  # what current passes through
_rank = RESIDUAL_TYPES.index


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


def through(s: Safeguard, plan: Plan, circuits: Mapping[str, Circuit]) -> float:
    """What passes through a safeguard in A: all that the main breaker lets by, or a circuit's own
    current. 0 where nothing does, or where it stands for many of unlike size.
    """
    if ROLES.get(s.kind) not in IN_LINE:
        return 0.0
    if s.at in circuits:
        return plan.book.continuous * circuits[s.at].current.n
    if s.at == "sub-board":
        return plan.supply.sub_board.breaker_a or 0.0
    return plan.supply.main_breaker_a or 0.0 if s.at in ("main-panel", "outside") else 0.0


def supply_of(s: Safeguard, supply: str, unit: str, circuits: Mapping[str, Circuit]) -> str:
    """What a safeguard's device is made for: the house's supply, or the unit's own one line."""
    c = circuits.get(s.at)
    return unit if c and c.lines < len(LINES[supply]) else supply


def device_of(
    plan: Plan, n: int, shelf: Catalogue, supply: str, amps: float
) -> tuple[Device | None, Finding | None]:
    """(the device chosen for the n-th safeguard, from 0, else the smallest of the shelf that does
    what it says; what is wrong with it).
    """
    s, book = plan.safeguards[n], plan.code
    role = ROLES.get(s.kind)
    if role is None:
        return None, None
    fits = [
        d for d in shelf.devices if d.role == role and d.serves(supply) and d.book in (book, "any")
    ]
    key, rule = f"guard.{n}.device", "its plate"
    if s.device:
        own = shelf.named(s.device)
        wrong = _wrong(s, own, fits, supply, amps)
        if not wrong:
            return own, None
        change = Change(f"/safeguards/{n}/device", None)
        smallest = Cure("Take the smallest of the shelf that serves", (change,))
        says = f"{own.label if own else f'“{s.device}”'} {wrong}."
        return own if own in fits else None, stop(key, "plan", says, rule, smallest)
    found = min(
        (d for d in fits if not _wrong(s, d, fits, supply, amps)),
        key=lambda d: (_rank(d.residual) if d.residual else 0, d.up_to_a),
        default=None,
    )
    if found:
        return found, None
    says = f"The shelf has no {short(s)} for {f'{amps:.4g} A, ' if amps else ''}{supply}."
    cure = Cure("Enter one on the shelf, plan another rating, or take it out")
    return None, stop(key, "plan", says, "catalogue", cure)


def _wrong(
    s: Safeguard, device: Device | None, fits: list[Device], supply: str, amps: float
) -> str:
    """Why a device does not do what the safeguard says; "" where it does."""
    if device is None:
        return "is not on the shelf"
    if device not in fits:
        return f"is not a device for {s.kind} on this supply, under this code"
    if s.kind == "residual-current device":
        if device.trip_ma != s.trip_ma:
            return f"does not trip at the {s.trip_ma} mA that is planned"
        if device.residual is None or _rank(device.residual) < _rank(s.type):
            return f"is not of the type {s.type} that is planned"
    if not device.holds(supply):
        return f"is good to {device.volts_ac:g} V; {LINE_VOLTS[supply]:g} V stand on it"
    if device.up_to_a < amps - 1e-9:
        return f"carries {device.up_to_a:g} A; {amps:.4g} A pass through it"
    return ""


def made_off(n: int, s: Safeguard, device: Device | None) -> Iterator[FactoryTermination]:
    """The screws of a safeguard's own terminals: two for each pole of what current passes
    through.
    """
    if device is None:
        return
    for t in device.terminals:
        if t.torque_nm is None:
            continue
        for side in ("line", "load") if ROLES[s.kind] in IN_LINE else ("",):
            yield FactoryTermination(
                id=f"guard-{n}.{t.id}{f'.{side}' if side else ''}",
                label=f"{short(s)}, {f'{side} ' if side else ''}{t.label}",
                torque_nm=t.torque_nm,
                bit=t.bit,
            )
