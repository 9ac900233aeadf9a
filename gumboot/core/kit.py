"""The equipment: what a catalogue entry says, as data. Ports, terminals, torques and menus are never code."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

Positive = Annotated[float, Field(gt=0)]
Conductor = Literal["L1", "L2", "N", "PE", "+", "−"]
Family = Literal["pv", "pack", "battery", "grid", "grid-feeder", "backup", "backup-feeder"]
Termination = Literal["lug", "bare", "ferrule", "pv-connector"]


class Entry(BaseModel):
    """Frozen, and refuses what it does not know."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class Terminal(Entry):
    """One place a conductor lands. torque_nm None: the maker is silent, the book's own table serves."""

    id: str
    label: str
    conductor: Conductor
    end: Termination
    stud: str = ""
    least: str = "14"
    most: str
    strip_mm: Positive | None = None
    torque_nm: Positive | None = None
    bit: str
    temp_c: Literal[60, 75, 90] = 75
    source: str


class FactoryJoint(Entry):
    """A joint made at the works, found loose often enough to be on the list."""

    id: str
    label: str
    torque_nm: Positive
    bit: str


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


class Inverter(Entry):
    """A split-phase hybrid inverter."""

    kind: Literal["inverter"]
    id: str
    maker: str
    model: str
    supply: Literal["split-phase 120/240 V"]
    power_w: Positive
    voltage_v: Positive
    pass_through_a: Positive
    pv_v_max: Positive
    pv_power_max_w: Positive
    trackers: Annotated[tuple[Tracker, ...], Field(min_length=1)]
    battery_v_min: Positive
    battery_v_max: Positive
    battery_efficiency: Annotated[float, Field(gt=0, le=1)]
    charge_max_a: Positive
    battery: Port
    grid: Port
    backup: Port
    earth: Terminal
    earth_screws: Annotated[int, Field(ge=1)]
    units_max: Annotated[int, Field(ge=1)] = 1
    capacitor_wait_min: Positive
    shutdown: Annotated[tuple[str, ...], Field(min_length=1)]
    factory_joints: tuple[FactoryJoint, ...] = ()
    menu: Annotated[tuple[MenuItem, ...], Field(min_length=1)]


class Pack(Entry):
    """A battery pack of cells in series. Currents in A, at the pack's posts."""

    kind: Literal["pack"]
    id: str
    maker: str
    model: str
    chemistry: Literal["LFP"]
    cells: Annotated[int, Field(ge=1)]
    capacity_ah: Positive
    discharge_max_a: Positive
    charge_max_a: Positive
    bms_v_max: Positive
    bms_v_min: Positive
    depth: Annotated[float, Field(gt=0, le=1)]
    resistance_ohm: Positive
    breaker_a: Positive
    breaker_interrupt_a: Positive
    parallel_max: Annotated[int, Field(ge=1)]
    link: str
    terminals: tuple[Terminal, ...]
    earth: Terminal
    factory_joints: tuple[FactoryJoint, ...] = ()

    @property
    def v_nom(self) -> float:
        """Nominal voltage in V: 3.2 V a cell."""
        return round(self.cells * 3.2, 3)


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
    gamma_vmp_per_c: Annotated[float, Field(le=0, ge=-0.01)]
    fuse_max_a: Positive
    system_v_max: Positive


class Device(Entry):
    """A protective device or a box: where conductors end that do not end on inverter or pack."""

    kind: Literal["device"]
    id: str
    role: Literal["ac-breaker", "dc-breaker", "dc-bus", "panel", "transfer-switch", "array"]
    label: str
    up_to_a: Positive
    interrupt_a: Positive | None = None
    terminals: tuple[Terminal, ...]


class Lug(Entry):
    """What end preparation a conductor size takes: barrel depth in mm and crimp die."""

    size: str
    barrel_mm: Positive
    die: str


class ConductorType(Entry):
    """A kind of cable: insulation temperature in °C, conductor class, and which runs it serves."""

    kind: Literal["conductor"]
    id: str
    label: str
    temp_c: Literal[75, 90]
    strands: Literal["stranded", "fine"]
    families: tuple[Family, ...]
    sizes: tuple[str, ...]


class Lugs(Entry):
    """The crew's lug chart."""

    kind: Literal["lugs"]
    id: str
    rows: tuple[Lug, ...]


AnyEntry = Annotated[Inverter | Pack | Module | Device | ConductorType | Lugs, Field(discriminator="kind")]
entry = TypeAdapter[AnyEntry](AnyEntry)
file = TypeAdapter[list[AnyEntry]](list[AnyEntry])


class BrokenCatalogue(ValueError):
    """The catalogue itself cannot serve: nothing a plan can do about it."""


class Catalogue:
    """All equipment known, by id. Hashable by identity, so that a design can be remembered for it."""

    def __init__(self, entries: Iterable[AnyEntry]) -> None:
        rows = list(entries)
        self.inverters = {e.id: e for e in rows if isinstance(e, Inverter)}
        self.packs = {e.id: e for e in rows if isinstance(e, Pack)}
        self.modules = {e.id: e for e in rows if isinstance(e, Module)}
        self.devices = [e for e in rows if isinstance(e, Device)]
        self.conductors = [e for e in rows if isinstance(e, ConductorType)]
        self.lugs = {lug.size: lug for e in rows if isinstance(e, Lugs) for lug in e.rows}
        if len({e.id for e in rows}) != len(rows):
            raise BrokenCatalogue("two catalogue entries share one id")

    def device(self, role: str, amps: float) -> Device:
        """The smallest device of a role that carries `amps`, else the largest. Raises BrokenCatalogue when there is none."""
        of_role = sorted((d for d in self.devices if d.role == role), key=lambda d: d.up_to_a)
        if not of_role:
            raise BrokenCatalogue(f"the catalogue has no {role}")
        return next((d for d in of_role if d.up_to_a >= amps), of_role[-1])

    def conductor(self, family: Family) -> ConductorType:
        """The cable used for a family of runs. Raises BrokenCatalogue when there is none."""
        for c in self.conductors:
            if family in c.families:
                return c
        raise BrokenCatalogue(f"the catalogue has no conductor for {family} runs")
