"""A part is replaced: what that opens again."""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.design import Design
from gumboot.core.hand_over.devices import devices
from gumboot.core.land.termination import Termination
from gumboot.core.prove.due import Due


@dataclass(frozen=True, slots=True)
class Reopened:
    """terminations: to be made off again; tests: to be made again."""

    terminations: tuple[Termination, ...]
    tests: tuple[Due, ...]


def reopened(d: Design, device: str, dues: tuple[Due, ...]) -> Reopened:
    """What a new device opens again: every end at its box, both ends of what lands there stay but
    its own; and the tests at that box, or of circuits that end there. Nothing for a device the job
    has not.
    """
    own = next((x for x in devices(d) if x.key == device), None)
    if own is None or not own.body:
        return Reopened((), ())
    ends = tuple(t for t in d.terminations if t.body == own.body and t.kind != "dead")
    circuits = {
        s.id for s in d.circuits if own.body in (s.circuit.source.body, s.circuit.load.body)
    }
    tests = tuple(
        x for x in dues if not x.known and (x.place == own.body or _circuit(x) in circuits)
    )
    return Reopened(ends, tests)


def _circuit(x: Due) -> str:
    return x.circuit or x.key.partition(".")[2]
