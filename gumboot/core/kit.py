"""The equipment: what a catalogue entry says, as data. Ports, terminals, torques and menus are never code."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Literal

from pydantic import Field, TypeAdapter

from gumboot.core.case import Case, Rack, Stack
from gumboot.core.entry import Entry, Positive
from gumboot.core.terminal import Block, Conductor, FactoryJoint, Ferrule, Lug, Socket, Strands, Terminal

Book = Literal["nec-2023", "iec-60364"]
Family = Literal[
    "pv", "pack", "battery", "grid", "grid-feeder", "backup", "backup-feeder", "changeover", "loads", "generator", "existing-pv"
]
Supplied = Literal["split-phase 120/240 V", "single-phase 230 V", "three-phase 400/230 V"]
Chemistry = Literal["LFP", "flooded", "sealed", "gel"]
LINES: dict[str, tuple[Conductor, ...]] = {
    "split-phase 120/240 V": ("L1", "L2"),
    "single-phase 230 V": ("L1",),
    "three-phase 400/230 V": ("L1", "L2", "L3"),
}
Stage = Literal["Battery", "PV", "Grid", "Backup", "Generator", "Links"]
Ground = Literal["concrete", "solid brick", "hollow block", "timber stud", "steel stud", "wood board", "rail"]


class Tracker(Entry):
    """One PV tracker: window in V, current limits in A, the pairs of connectors and what one pair carries."""

    id: str
    v_min: Positive
    v_max: Positive
    v_start: Positive
    i_mp_max_a: Positive
    i_sc_max_a: Positive
    pairs: Annotated[int, Field(ge=1)]
    pair_a: Positive
    terminals: tuple[Terminal, ...]


class Port(Entry):
    """A battery, grid or backup port: its continuous current and the largest protection its maker allows."""

    i_max_a: Positive
    protection_max_a: Positive
    protection: str
    terminals: tuple[Terminal, ...]
    named_size: str = ""
    protection_named_a: Positive | None = None
    length_max_m: Positive | None = None


class MenuItem(Entry):
    """One line of the unit's menu. `rule` names the function of `core.settings` that fills it."""

    id: str
    group: str
    label: str
    unit: str = ""
    rule: str
    options: tuple[str, ...] = ()
    least: float | None = None
    most: float | None = None
    step: float | None = None


class Link(Entry):
    """A thin line between boxes: what it is called, its conductors, the role of the box at its other end, and where it ends here and there."""

    name: str
    conductors: str
    to: Literal["bank", "meter", "gateway", "inverter"]
    here: Socket
    there: Socket


class Inverter(Entry):
    """An inverter: hybrid, AC-coupled, inverter-charger, or all-in-one with its pack inside.

    leg_max_w: continuous on one leg, None for an even share; imbalance_max_w: between legs. standby_w: what it draws itself while it works. fault_a: what it can push into a short when islanded. capacitance_f and precharge: of its battery port.
    residual: the residual-current device its maker declares enough; None when the maker is silent.
    landing: the order in which its maker wants the stages landed; empty when silent.
    """

    kind: Literal["inverter"]
    id: str
    maker: str
    model: str
    topology: Literal["hybrid", "ac-coupled", "inverter-charger", "all-in-one"] = "hybrid"
    supply: Supplied
    power_w: Positive
    surge_w: Positive | None = None
    surge_s: Positive | None = None
    leg_max_w: Positive | None = None
    imbalance_max_w: Positive | None = None
    standby_w: Annotated[float, Field(ge=0)] = 0
    voltage_v: Positive
    pass_through_a: Positive | None = None
    pv_v_max: Positive | None = None
    pv_power_max_w: Positive | None = None
    trackers: tuple[Tracker, ...] = ()
    trackers_bridge: bool = False
    chemistries: Annotated[tuple[Chemistry, ...], Field(min_length=1)] = ("LFP",)
    pack_inside: str = ""
    battery_v_min: Positive
    battery_v_max: Positive
    battery_efficiency: Annotated[float, Field(gt=0, le=1)]
    charge_max_a: Positive
    capacitance_f: Positive | None = None
    precharge_ohm: Positive | None = None
    battery: Port | None = None
    grid: Port | None = None
    backup: Port | None = None
    generator: Port | None = None
    bond_relay: bool = False
    fault_a: Positive | None = None
    residual: Literal["A", "B"] | None = None
    links: tuple[Link, ...] = ()
    earth: Terminal
    earth_screws: Annotated[int, Field(ge=1)]
    units_max: Annotated[int, Field(ge=1)] = 1
    capacitor_wait_min: Positive
    shutdown: Annotated[tuple[str, ...], Field(min_length=1)]
    factory_joints: tuple[FactoryJoint, ...] = ()
    cover: FactoryJoint | None = None
    block: Block | None = None
    landing: tuple[Stage, ...] = ()
    case: Case | None = None
    menu: Annotated[tuple[MenuItem, ...], Field(min_length=1)]

    @property
    def lines(self) -> tuple[Conductor, ...]:
        """Its live line conductors: ("L1", "L2")."""
        return LINES[self.supply]


class Cabinet(Entry):
    """What packs slide into: how many it holds, how many cabinets may stand in a row, and the joints of its inner bus."""

    name: str
    holds: Annotated[int, Field(ge=1)]
    row_max: Annotated[int, Field(ge=1)]
    bus_a: Positive
    joints: tuple[FactoryJoint, ...]
    case: Case | None = None


class Pack(Entry):
    """A battery unit of cells in series: a pack, a module of a stack, or one lead-acid cell or block. Currents in A, at its posts.

    breaker_a None: it has none of its own, and each string of units wants a fuse.
    bridge: the bolts of the copper bars between two towers of a stack; interlink: a bolt of the bar between two cells.
    chain: where the link from pack to pack leaves one and enters the next.
    """

    kind: Literal["pack"]
    id: str
    maker: str
    model: str
    form: Literal["pack", "stack", "block"] = "pack"
    chemistry: Chemistry
    cells: Annotated[int, Field(ge=1)]
    capacity_ah: Positive
    discharge_max_a: Positive
    charge_max_a: Positive
    peak_a: Positive | None = None
    peak_s: Positive | None = None
    bms_v_max: Positive
    bms_v_min: Positive
    depth: Annotated[float, Field(gt=0, le=1)]
    resistance_ohm: Positive
    breaker_a: Positive | None = None
    breaker_interrupt_a: Positive | None = None
    precharge_ohm: Positive | None = None
    series_max: Annotated[int, Field(ge=1)] = 1
    parallel_max: Annotated[int, Field(ge=1)]
    cabinet: Cabinet | None = None
    interlink: FactoryJoint | None = None
    bridge: tuple[FactoryJoint, ...] = ()
    link: str
    terminals: tuple[Terminal, ...]
    earth: Terminal
    factory_joints: tuple[FactoryJoint, ...] = ()
    chain: tuple[Socket, Socket] | None = None
    block: Block | None = None
    case: Case | None = None
    stack: Stack | None = None
    rack: Rack | None = None

    @property
    def v_nom(self) -> float:
        """Nominal voltage in V: 3.2 V a cell of lithium iron phosphate, 2 V a cell of lead."""
        return round(self.cells * (3.2 if self.chemistry == "LFP" else 2.0), 3)


class Gateway(Entry):
    """What separates house and grid in an outage: a gateway, or a bare islanding box. It breaks before it makes.

    neutral: whether its contactor switches neutral. bond_relay: whether it can join neutral and earth when islanded.
    """

    kind: Literal["gateway"]
    id: str
    maker: str
    model: str
    form: Literal["gateway", "islanding box"] = "gateway"
    supply: Supplied
    i_max_a: Positive
    neutral: Literal["solid", "switched"]
    bond_relay: bool
    meter_inside: bool
    grid: Port
    inverter: Port
    backup: Port
    links: tuple[Link, ...] = ()
    factory_joints: tuple[FactoryJoint, ...] = ()
    cover: FactoryJoint | None = None
    block: Block | None = None
    case: Case | None = None


class Module(Entry):
    """A PV module at standard test conditions; coefficients as fractions per °C, None where the sheet is silent."""

    kind: Literal["module"]
    id: str
    maker: str
    model: str
    p_max_w: Positive
    v_oc_v: Positive
    v_mp_v: Positive
    i_sc_a: Positive
    i_mp_a: Positive
    beta_voc_per_c: Annotated[float, Field(le=0, ge=-0.01)] | None = None
    gamma_vmp_per_c: Annotated[float, Field(le=0, ge=-0.01)] | None = None
    fuse_max_a: Positive
    system_v_max: Positive


class Device(Entry):
    """A protective device or a box: where conductors end that do not end on inverter or pack."""

    kind: Literal["device"]
    id: str
    role: Literal["ac-breaker", "dc-breaker", "dc-fuse", "dc-bus", "panel", "transfer-switch", "array", "inlet", "tap", "electrode"]
    label: str
    supply: Supplied | Literal["any"] = "any"
    book: Book | Literal["any"] = "any"
    up_to_a: Positive
    interrupt_a: Positive | None = None
    terminals: tuple[Terminal, ...]
    case: Case | None = None


class ConductorType(Entry):
    """A kind of cable: insulation temperature in °C, conductor class, which runs it serves; cost a mm² and metre, and of making off one end.

    reels_m: the lengths it is sold in. Costs are in the crew's own coin: only their ratio matters, when the least-cost legal set is picked.
    """

    kind: Literal["conductor"]
    id: str
    label: str
    book: Book
    material: Literal["Cu", "Al"] = "Cu"
    temp_c: Literal[70, 75, 90]
    strands: Strands
    cores: Literal["single", "multi"] = "single"
    cost_mm2_m: Positive
    cost_end: Positive
    reels_m: Annotated[tuple[Positive, ...], Field(min_length=1)] = (100.0,)
    families: tuple[Family, ...]
    sizes: tuple[str, ...]


class Lugs(Entry):
    """The crew's lug chart."""

    kind: Literal["lugs"]
    id: str
    rows: tuple[Lug, ...]


class Ferrules(Entry):
    """The crew's ferrule chart."""

    kind: Literal["ferrules"]
    id: str
    rows: tuple[Ferrule, ...]


class Anchor(Entry):
    """What holds a bracket: in which ground, its hole in mm, the bit, and what it fails at in N (pulled, and sheared).

    Its maker's sheet goes first; most common practice wants a factor of four below that.
    """

    kind: Literal["anchor"]
    id: str
    label: str
    grounds: Annotated[tuple[Ground, ...], Field(min_length=1)]
    hole_mm: Positive
    depth_mm: Positive
    bit: str
    tension_n: Positive
    shear_n: Positive
    source: str


AnyEntry = Annotated[Inverter | Gateway | Pack | Module | Device | ConductorType | Lugs | Ferrules | Anchor, Field(discriminator="kind")]
entry = TypeAdapter[AnyEntry](AnyEntry)
file = TypeAdapter[list[AnyEntry]](list[AnyEntry])


class BrokenCatalogue(ValueError):
    """The catalogue itself cannot serve: nothing a plan can do about it."""


class Catalogue:
    """All equipment known, by id. Hashable by identity, so that a design can be remembered for it."""

    def __init__(self, entries: Iterable[AnyEntry]) -> None:
        rows = list(entries)
        self.inverters = {e.id: e for e in rows if isinstance(e, Inverter)}
        self.gateways = {e.id: e for e in rows if isinstance(e, Gateway)}
        self.packs = {e.id: e for e in rows if isinstance(e, Pack)}
        self.modules = {e.id: e for e in rows if isinstance(e, Module)}
        self.devices = [e for e in rows if isinstance(e, Device)]
        self.conductors = [e for e in rows if isinstance(e, ConductorType)]
        self.anchors = [e for e in rows if isinstance(e, Anchor)]
        self.lugs = {lug.size: lug for e in rows if isinstance(e, Lugs) for lug in e.rows}
        self.ferrules = {f.size: f for e in rows if isinstance(e, Ferrules) for f in e.rows}
        if len({e.id for e in rows}) != len(rows):
            raise BrokenCatalogue("two catalogue entries share one id")

    def device(self, role: str, amps: float, supply: str = "any", book: str = "any") -> Device:
        """The smallest device of a role, supply and book that carries `amps`, else the largest. Raises BrokenCatalogue when there is none."""
        fits = [d for d in self.devices if d.role == role and d.supply in (supply, "any") and d.book in (book, "any")]
        of_role = sorted(fits, key=lambda d: d.up_to_a)
        if not of_role:
            raise BrokenCatalogue(f"the catalogue has no {role} for {supply} under {book}")
        return next((d for d in of_role if d.up_to_a >= amps), of_role[-1])

    def conductor(self, family: Family, book: Book, material: str = "Cu") -> ConductorType | None:
        """The cable used for a family of runs under a book; None when the catalogue has none of that metal."""
        return next((c for c in self.conductors if family in c.families and c.book == book and c.material == material), None)
