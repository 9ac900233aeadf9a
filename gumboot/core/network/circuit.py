"""What a job is made of before anything is sized: bodies, circuits between them, and thin lines."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from gumboot.core.basis.figure import Figure, given
from gumboot.core.kit import Device, Family
from gumboot.core.kit.enclosure import Enclosure
from gumboot.core.kit.signal import Plug
from gumboot.core.kit.terminal import Block, Conductor, FactoryTermination, Socket, Terminal
from gumboot.core.plan import Run

Role = Literal[
    "array",
    "pack",
    "dc-bus",
    "controller",
    "pv-combiner",
    "inverter",
    "pv-inverter",
    "grid-combiner",
    "backup-combiner",
    "generator-combiner",
    "changeover",
    "main-panel",
    "loads",
    "generator",
    "house-panel",
    "sub-board",
    "port-use",
]
UNITY = given("pf", 1.0, "", "Power factor", "the inverter's default")
DC: tuple[Conductor, ...] = ("+", "−", "PE")


@dataclass(frozen=True, slots=True)
class End:
    """One end of a circuit: the body it lands on, the terminals that take its conductors, and the
    node of the network they are. missing: the shelf has no device for it, so nothing can be sized.
    temp_c: of its coolest live terminal that is marked; silent: one of them is not; free_air: all
    are marked for conductors at their free-air ampacity.
    """

    body: str
    label: str
    port: str
    terminals: tuple[Terminal, ...]
    temp_c: int
    node: str
    missing: bool = False
    silent: bool = False
    free_air: bool = False
    _by: dict[Conductor, Terminal] = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        first = {t.conductor: t for t in reversed(self.terminals) if t.conductor}
        object.__setattr__(self, "_by", first)

    def terminal(self, conductor: Conductor) -> Terminal:
        """The terminal for one conductor. Raises KeyError when the catalogue gave none: a broken
        catalogue.
        """
        return self._by[conductor]


@dataclass(frozen=True, slots=True)
class Body:
    """A box of the job: what stands on the wall or in the yard."""

    id: str
    role: Role
    label: str
    lines: tuple[str, ...] = ()
    factory_terminations: tuple[FactoryTermination, ...] = ()
    bars: tuple[FactoryTermination, ...] = ()  # terminations of bars and links that the crew makes
    guards: tuple[FactoryTermination, ...] = ()  # screws of the safeguards that stand in it
    safeguards: tuple[tuple[int, str], ...] = ()  # their places in the plan, from 1, and words
    enclosure: Enclosure | None = None
    block: Block | None = None
    cover: FactoryTermination | None = None
    device: Device | None = None  # the panel, switch or bus chosen for it


@dataclass(frozen=True, slots=True)
class DevicePlace:
    """A place that a device from the shelf is chosen for: its key, in words, the role and supply it
    wants and for how many A and DC volts; what stands there, and whether the crew chose it.
    """

    key: str
    label: str
    role: str
    supply: str
    amps: float
    volts_dc: float
    device: Device | None
    chosen: bool


@dataclass(frozen=True, slots=True)
class Guard:
    """A safeguard where it stands: the body, its number and words, how many A pass through it, its
    device of the shelf, and that device's screws.
    """

    n: int
    body: str
    says: str
    amps: float
    device: Device | None
    screws: tuple[FactoryTermination, ...]


class Core(NamedTuple):
    """One core of a lead: its function at each end, the pin it lands on there ("" where no sheet
    says), its colour, and the number of its pair, from 1 (0: the shield, or no pair).
    """

    does: str
    meets: str
    pin: str
    far_pin: str
    colour: str
    pair: int


@dataclass(frozen=True, slots=True)
class SignalCable:
    """A signal cable between two bodies (or something that is no box of the job, by its name), with
    its conductors in words, its ports, its cores pin to pin, and where it ends at each.

    serves: what it is for; bus: what it carries. shield_at: the body where its shield lands.
    unmet: functions of the source's port, and of the load's, that meet nothing at the other end.
    """

    id: str
    name: str
    conductors: str
    source: str
    load: str
    at_source: Socket
    at_load: Socket
    serves: str = ""
    bus: str = ""
    a: Plug | None = None
    b: Plug | None = None
    cores: tuple[Core, ...] = ()
    shield_at: str = ""
    protocol: str = ""
    bit_rate: float | None = None
    unmet: tuple[tuple[str, ...], tuple[str, ...]] = ((), ())

    @property
    def drawn(self) -> bool:
        """Whether it stands on the one-line: what moves, measures and guards power, between two
        boxes; the rest is on the sheets of Link.
        """
        return self.source != self.load and self.serves not in (
            *("shutdown", "generator", "grid operator", "heat pump", "network"),
        )


@dataclass(frozen=True, slots=True)
class Circuit:
    """A circuit before it is sized. `source` is the end that can be live first, and so is landed
    last.

    upstream: the circuits its fault current comes through from the supply, nearest first. fault:
    the most that a bank can push into a short on it, before any cable. phases_apart: whether its
    lines stand 120° apart, so that of two of them the neutral carries as much as they do.
    """

    id: str
    family: Family
    name: str
    number: int
    source: End
    load: End
    conductors: tuple[Conductor, ...]
    current: Figure
    drop_current: Figure
    voltage: Figure
    run: Run | None
    ambient_c: float
    protection: str
    own_protection: Figure | None
    protection_max_a: float
    protection_named_a: float | None
    power_factor: Figure | None
    upstream: tuple[str, ...] = ()
    fault: Figure | None = None
    phases_apart: bool = False

    @property
    def missing(self) -> bool:
        """Whether the shelf lacks a device that one of its ends needs."""
        return self.source.missing or self.load.missing

    @property
    def system(self) -> Literal["pv", "dc", "ac"]:
        """What flows: "pv", "dc" or "ac"."""
        if self.family in ("pv", "controller-pv"):
            return "pv"
        return "ac" if self.power_factor else "dc"

    @property
    def owns(self) -> bool:
        """Whether a pack's own breaker protects it, which its maker chose with the pack."""
        return self.own_protection is not None and self.system == "dc"

    @property
    def lines(self) -> int:
        """Live line conductors: two of a DC pair, one to three of AC."""
        return sum(c not in ("N", "PE") for c in self.conductors)

    @property
    def three_phase(self) -> bool:
        """Whether it has three lines."""
        return self.lines == 3


def end(
    body: str,
    label: str,
    port: str,
    terminals: tuple[Terminal, ...],
    *extra: Terminal,
    node: str,
    missing: bool = False,
) -> End:
    """An end whose rating is that of its weakest live terminal. NEC 110.14(C)."""
    every = terminals + extra
    live = [t for t in every if t.conductor != "PE"]
    marked = [t.temp_c for t in live if t.temp_c]
    return End(
        body,
        label,
        port,
        every,
        min(marked, default=90),
        node,
        missing,
        silent=len(marked) < len(live) or not live,
        free_air=bool(live) and all(t.free_air for t in live),
    )
