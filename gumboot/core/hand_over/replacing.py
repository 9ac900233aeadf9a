"""A part is replaced: what that opens again."""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.design import Design
from gumboot.core.hand_over.devices import devices
from gumboot.core.land.termination import Termination
from gumboot.core.plan.kit import CONTROLLERS
from gumboot.core.prove.due import Due
from gumboot.core.set import keying
from gumboot.core.walk.step import Step


@dataclass(frozen=True, slots=True)
class Reopened:
    """terminations: proven dead and made off again; tests: made again; lines: keyed again."""

    terminations: tuple[Termination, ...]
    tests: tuple[Due, ...]
    lines: tuple[Step, ...] = ()


def reopened(d: Design, device: str, dues: tuple[Due, ...]) -> Reopened:
    """What a new device opens again: every end at its box, its being proven dead first; the tests
    at that box, or of circuits that end there; of a unit its whole menu. Far ends stay as they are.
    Nothing for a device the job has not.
    """
    own = next((x for x in devices(d) if x.key == device), None)
    if own is None or not own.body:
        return Reopened((), ())
    ends = tuple(t for t in d.terminations if t.body == own.body)
    circuits = {
        s.id for s in d.circuits if own.body in (s.circuit.source.body, s.circuit.load.body)
    }
    tests = tuple(
        x for x in dues if not x.known and (x.place == own.body or _circuit(x) in circuits)
    )
    return Reopened(ends, tests, _menu(d, own.key))


def _menu(d: Design, device: str) -> tuple[Step, ...]:
    kind, _, n = device.rpartition("-")
    if kind not in ("inverter", "controller"):
        return ()
    unit = int(n) + (CONTROLLERS if kind == "controller" else 0)
    return tuple(s for s in keying.steps_of(d) if s.key.startswith(f"key.{unit}."))


def _circuit(x: Due) -> str:
    return x.circuit or x.key.partition(".")[2]
