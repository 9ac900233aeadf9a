"""The plan: what the crew decided. One validated document, SI units throughout.

Limits here are of sense (a length is not negative); limits of the trade are findings, made by `design`.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, model_validator

from gumboot.core.kit import Family

Amps = Annotated[float, Field(gt=0, le=4000)]
Celsius = Annotated[float, Field(ge=-60, le=90)]
Metres = Annotated[float, Field(gt=0, le=500)]
PRINTABLE = r"^[^\x00-\x1f\x7f]*$"
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80, pattern=PRINTABLE)]
Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200, pattern=PRINTABLE)]
Key = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9_.-]{1,40}$")]
Letter = Annotated[str, StringConstraints(pattern=r"^[A-Z]$")]

Book = Literal["nec-2023", "iec-60364"]
Method = Literal["raceway", "raceway-on-roof", "free-air", "A1", "A2", "B1", "B2", "C", "D1", "D2", "E", "F"]
Size = Annotated[str, StringConstraints(pattern=r"^(\d{1,4}|[1-4]/0|\d{1,3}(\.\d)? mm²)$")]
FAMILIES: tuple[Family, ...] = (
    "pack",
    "battery",
    "grid",
    "grid-feeder",
    "backup",
    "backup-feeder",
    "changeover",
    "loads",
    "generator",
    "existing-pv",
)


class Part(BaseModel):
    """Frozen, and refuses what it does not know."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Site(Part):
    """Where it is and how cold and hot it gets, in °C."""

    name: Name
    address: Text = ""
    t_min_c: Celsius
    t_roof_c: Celsius
    t_wall_c: Celsius

    @model_validator(mode="after")
    def _cold_below_hot(self) -> Site:
        if self.t_min_c >= self.t_roof_c:
            raise ValueError("the lowest temperature must be below the array's design ambient")
        return self


class Supply(Part):
    """The service: main breaker and busbar in A; where the back-fed breaker sits; the sum of all load breakers if known.

    Under the IEC: earthing of the supply, the external loop impedance or the earth electrode in Ω.
    """

    kind: Literal["split-phase 120/240 V", "single-phase 230 V", "three-phase 400/230 V", "off-grid"] = "split-phase 120/240 V"
    main_breaker_a: Amps | None = None
    bus_a: Amps | None = None
    connection: Literal["main-panel breaker", "supply-side tap"] = "main-panel breaker"
    backfeed: Literal["opposite end", "elsewhere"] = "opposite end"
    load_breakers_a: Annotated[float, Field(ge=0, le=10000)] | None = None
    service_size: Size | None = None
    earthing: Literal["TN-C-S", "TN-S", "TT"] | None = None
    loop_ohm: Annotated[float, Field(gt=0, le=200)] | None = None


class Generator(Part):
    """A generator and its inlet: power in W, where it lands, whether its neutral is bonded to its own frame."""

    power_w: Annotated[float, Field(gt=0, le=200_000)]
    lands: Literal["inverter", "loads panel", "inverter with bypass"] = "inverter"
    interlock: bool = True
    bonded: bool = False


class ExistingPv(Part):
    """A PV inverter that is there already: its AC power in W, on which side of the changeover it feeds, whether it obeys a rising frequency."""

    power_w: Annotated[float, Field(gt=0, le=200_000)]
    side: Literal["backup side", "grid side"] = "backup side"
    obeys_frequency: Literal["yes", "no", "unknown"] = "unknown"


class Kit(Part):
    """What is fitted, by catalogue id. `packs` stand in parallel, each of `series` units in series; `towers` share one stack."""

    inverter: Name
    inverters: Annotated[int, Field(ge=1, le=6)]
    pack: Name | None = None
    packs: Annotated[int, Field(ge=0, le=25)] = 0
    series: Annotated[int, Field(ge=1, le=60)] = 1
    towers: Annotated[int, Field(ge=1, le=2)] = 1
    takeoff: Literal["one end", "diagonal", "star"] = "star"
    module: Name | None = None
    gateway: Name | None = None
    generator: Generator | None = None
    existing_pv: ExistingPv | None = None


class Backup(Part):
    """What lives on in an outage, what changes over, and where neutral then meets earth."""

    loads: Literal["nothing", "whole house", "essential board", "transfer-switched circuits"] = "whole house"
    changeover: Literal["transfer switch", "interlocked breakers", "loose breakers"] = "transfer switch"
    neutral: Literal["solid", "switched"] = "solid"
    bond: Literal["service", "inverter", "gateway", "loads panel"] = "service"
    board_a: Amps | None = None


class Run(Part):
    """A run of conductors: one-way length in m, how it is run, and what shares its way.

    Runs that name the same raceway share it; `in_raceway` states the current-carrying conductors (NEC) or loaded
    circuits (IEC) there outright, for what Gumboot does not know of. `parallel` sets of conductors share the current.
    """

    length_m: Metres
    method: Method = "raceway"
    material: Literal["Cu", "Al"] = "Cu"
    ambient_c: Celsius | None = None
    in_raceway: Annotated[int, Field(ge=1, le=60)] | None = None
    raceway: Annotated[str, StringConstraints(strip_whitespace=True, max_length=20, pattern=PRINTABLE)] = ""
    parallel: Annotated[int, Field(ge=1, le=6)] = 1


class PvString(Part):
    """One string: its letter, inverter (from 1), tracker, modules in series, and how it faces."""

    letter: Letter
    inverter: Annotated[int, Field(ge=1, le=6)]
    tracker: Name
    modules: Annotated[int, Field(ge=1, le=999)]
    mounting: Literal["roof", "rack"] = "roof"
    tilt_deg: Annotated[float, Field(ge=0, le=90)] = 30
    azimuth_deg: Annotated[float, Field(ge=0, lt=360)] = 180
    run: Run


class Fitted(Part):
    """The crew's own choice for one circuit. Kept and judged, never silently replaced."""

    size: Size | None = None
    protection_a: Amps | None = None


class Plan(Part):
    """Everything decided about one job."""

    format: Literal["gumboot-plan/1"] = "gumboot-plan/1"
    code: Book = "nec-2023"
    units: Literal["us", "si"] = "us"
    site: Site
    supply: Supply
    kit: Kit
    backup: Backup = Backup()
    strings: Annotated[tuple[PvString, ...], Field(max_length=26)] = ()
    runs: dict[Key, Run] = Field(default_factory=dict)
    fitted: dict[Key, Fitted] = Field(default_factory=dict)
    settings: dict[Key, float | Text] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _letters_differ(self) -> Plan:
        letters = [s.letter for s in self.strings]
        if len(set(letters)) != len(letters):
            raise ValueError("two strings have the same letter")
        return self
