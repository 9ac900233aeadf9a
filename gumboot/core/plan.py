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

Method = Literal["raceway", "free-air"]
FAMILIES: tuple[Family, ...] = ("pack", "battery", "grid", "grid-feeder", "backup", "backup-feeder")


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
    """The service: main breaker and busbar in A; where the back-fed breaker sits; the sum of all load breakers if known."""

    kind: Literal["split-phase 120/240 V"] = "split-phase 120/240 V"
    main_breaker_a: Amps
    bus_a: Amps
    backfeed: Literal["opposite end", "elsewhere"] = "opposite end"
    load_breakers_a: Annotated[float, Field(ge=0, le=10000)] | None = None


class Kit(Part):
    """What is fitted, by catalogue id."""

    inverter: Name
    inverters: Annotated[int, Field(ge=1, le=6)]
    pack: Name
    packs: Annotated[int, Field(ge=1, le=16)]
    module: Name


class Run(Part):
    """A run of conductors: one-way length in m, how it is run, how many current-carrying conductors share the raceway."""

    length_m: Metres
    method: Method = "raceway"
    ambient_c: Celsius | None = None
    in_raceway: Annotated[int, Field(ge=2, le=60)] | None = None


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

    size: Annotated[str, StringConstraints(pattern=r"^(\d{1,4}|[1-4]/0)$")] | None = None
    protection_a: Amps | None = None


class Plan(Part):
    """Everything decided about one job."""

    format: Literal["gumboot-plan/1"] = "gumboot-plan/1"
    code: Literal["nec-2023"] = "nec-2023"
    units: Literal["us", "si"] = "us"
    site: Site
    supply: Supply
    kit: Kit
    strings: Annotated[tuple[PvString, ...], Field(max_length=26)] = ()
    runs: dict[Family, Run] = Field(default_factory=dict)
    fitted: dict[Key, Fitted] = Field(default_factory=dict)
    settings: dict[Key, float | Text] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _letters_differ(self) -> Plan:
        letters = [s.letter for s in self.strings]
        if len(set(letters)) != len(letters):
            raise ValueError("two strings have the same letter")
        return self
