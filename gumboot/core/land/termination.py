"""One thing to make off, and the states it goes through on its way."""

from __future__ import annotations

from typing import Literal, NamedTuple

from gumboot.core.basis.figure import Figure
from gumboot.core.kit import Family
from gumboot.core.kit.terminal import Conductor, Recheck, Strands

Kind = Literal["dead", "factory", "bar", "conductor", "signal", "cover"]
State = Literal["proven", "prepared", "landed", "torqued", "tugged", "marked", "closed"]
Method = Literal[
    "lug",
    "bare",
    "ferrule",
    "pv-connector",
    "spring",
    "plug",
    "clip",
    "screw",
    "ring",
    "as made",
    "bar",
    "dead",
    "cover",
]

STAGES: tuple[tuple[str, tuple[Family, ...]], ...] = (
    ("Battery", ("battery", "pack", "controller")),
    ("PV", ("pv", "controller-pv", "existing-pv")),
    ("Grid", ("grid", "grid-feeder", "changeover", "tap", "sub-feeder")),
    ("Backup", ("backup", "backup-feeder", "loads")),
    ("Generator", ("generator", "generator-unit", "port-use")),
)
SCREWED: tuple[Method, ...] = ("lug", "bare", "ferrule", "screw", "ring")


def chain_of(kind: Kind, method: Method, torque: bool) -> tuple[State, ...]:
    """The states in order. A spring clamp or plug has no torque and no mark; a factory termination
    is there already.
    """
    if kind == "dead":
        return ("proven",)
    if kind == "cover":
        return ("torqued",) if torque else ("closed",)
    if kind == "factory":
        return ("torqued", "marked")
    if kind == "bar":
        return ("landed", "torqued", "marked")
    if method in ("plug", "clip"):
        return ("landed", "tugged")
    if method in SCREWED and torque:
        return (
            ("landed", "torqued", "marked")
            if method == "ring"
            else ("prepared", "landed", "torqued", "tugged", "marked")
        )
    return ("prepared", "landed", "tugged")


class Termination(NamedTuple):
    """One thing to make off. torque None: nothing to turn. Strip and sleeve in mm, torque in N·m,
    insulation in °C.

    pad: the port and terminal on its body's block. far: what the other end lands on. isolate: what
    must be open and locked before.
    recheck: what is done a day later. polarity is the conductor's own: +, −, L1, N, PE.
    """

    key: str
    kind: Kind
    stage: str
    body: str
    place: str
    terminal: str
    method: Method
    label: str
    source: str
    number: int = 0
    circuit: str = ""
    port: str = ""
    pad: str = ""
    conductor: Conductor | Literal["signal", ""] = ""
    size: str = ""
    cable: str = ""
    strands: Strands | Literal[""] = ""
    temp_c: int | None = None
    far: str = ""
    stud: str = ""
    hardware: tuple[str, ...] = ()
    tool: str = ""
    die: str = ""
    sleeve_mm: float | None = None
    strip_mm: float | None = None
    bit: str = ""
    torque: Figure | None = None
    ferrite: str = ""
    isolate: tuple[str, ...] = ()
    live: tuple[str, ...] = ()
    recheck: Recheck = "none"

    @property
    def chain(self) -> tuple[State, ...]:
        """The states it goes through."""
        return chain_of(self.kind, self.method, self.torque is not None)
