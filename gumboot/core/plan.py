"""The plan: what the crew decided. One validated document, SI units throughout.

Limits here are of sense (a length is not negative); limits of the trade are findings, made by `design`.
"""

from __future__ import annotations

from typing import Annotated, Literal, get_args
from zoneinfo import ZoneInfo

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints, model_validator

from gumboot.core.climate import guessed_c
from gumboot.core.kit import Family


def known_zone(name: str) -> str:
    """A zone that the time zone database has. Raises ValueError, with what to type."""
    try:
        ZoneInfo(name)
    except (KeyError, OSError, ValueError) as exc:
        raise ValueError(f"“{name}” is not a time zone: type one such as America/Denver or Europe/Dublin") from exc
    return name


Amps = Annotated[float, Field(gt=0, le=4000)]
Celsius = Annotated[float, Field(ge=-60, le=90)]
Metres = Annotated[float, Field(gt=0, le=500)]
PRINTABLE = r"^[^\x00-\x1f\x7f]*$"
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80, pattern=PRINTABLE)]
Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200, pattern=PRINTABLE)]
Key = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9_.-]{1,40}$")]
Letter = Annotated[str, StringConstraints(pattern=r"^[A-Z]$")]

Zone = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9_+-]{1,30}(/[A-Za-z0-9_+-]{1,30}){0,2}$"), AfterValidator(known_zone)]
Temperature = Literal["t_min_c", "t_roof_c", "t_wall_c"]
TEMPERATURES: tuple[Temperature, ...] = get_args(Temperature)
Digest = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
Percent = Annotated[float, Field(ge=0, le=100)]
Price = Annotated[float, Field(ge=-1000, le=1000)]

Across = Annotated[float, Field(ge=-20_000, le=20_000)]
Extent = Annotated[float, Field(gt=0, le=20_000)]

Book = Literal["nec-2023", "iec-60364"]
NeighbourKind = Literal["door", "window", "bedroom window", "water tap", "gas meter", "electricity meter", "panel", "socket", "shelf", "flue", "hidden pipe", "hidden cable"]  # fmt: skip
LoadKind = Literal["resistive", "heater", "electronics", "motor", "pump"]
Legs = Literal["L1", "L2", "L3", "L1+L2", "L1+L2+L3"]
WorkMode = Literal["self-use", "reserve for outage", "windows"]
YesNo = Literal["unknown", "yes", "no"]
Reached = Literal["unknown", "no", "yes", "left half", "right half"]
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


Landing = Literal["maker", "battery first", "battery last", "unit by unit"]


class Part(BaseModel):
    """Frozen, and refuses what it does not know."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Site(Part):
    """Where it is, and how cold and hot it gets, in °C. `guessed` names the temperatures that nobody gave: they follow from the latitude.

    Latitude north and longitude east are positive, in degrees; zone is a name of the IANA time zone database.
    """

    name: Name
    address: Text = ""
    latitude_deg: Annotated[float, Field(ge=-66, le=66)] | None = None
    longitude_deg: Annotated[float, Field(ge=-180, le=180)] | None = None
    altitude_m: Annotated[float, Field(ge=-430, le=6000)] | None = None
    zone: Zone | None = None
    t_min_c: Celsius
    t_roof_c: Celsius
    t_wall_c: Celsius
    guessed: tuple[Temperature, ...] = ()

    @model_validator(mode="before")
    @classmethod
    def _guess(cls, data: object) -> object:
        if not isinstance(data, dict):
            return data
        unknown = [t for t in TEMPERATURES if data.get(t) is None or t in (data.get("guessed") or ())]
        latitude = data.get("latitude_deg")
        if not unknown or not isinstance(latitude, int | float) or not -66 <= latitude <= 66:
            return {k: v for k, v in data.items() if v is not None or k not in TEMPERATURES} | ({"guessed": ()} if unknown else {})
        altitude = data.get("altitude_m")
        guesses = guessed_c(latitude, altitude if isinstance(altitude, int | float) else 0.0)
        return {**data, **{t: guesses[t] for t in unknown}, "guessed": unknown}

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
    """A PV inverter that is there already: its AC power in W, on which side of the changeover it feeds, whether it obeys a rising frequency.

    array_w: its modules at standard conditions; None takes them as its AC power. Tilt and azimuth as of a string.
    """

    power_w: Annotated[float, Field(gt=0, le=200_000)]
    array_w: Annotated[float, Field(gt=0, le=400_000)] | None = None
    tilt_deg: Annotated[float, Field(ge=0, le=90)] = 30
    azimuth_deg: Annotated[float, Field(ge=0, lt=360)] = 180
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


class Window(Part):
    """A stretch of the day by the local clock, in minutes from midnight; one that ends before it starts runs through midnight."""

    start_min: Annotated[int, Field(ge=0, le=1439)]
    end_min: Annotated[int, Field(ge=1, le=1440)]

    @model_validator(mode="after")
    def _not_empty(self) -> Window:
        if self.start_min == self.end_min:
            raise ValueError("a stretch of the day that starts and ends at the same time: type it as 6-9")
        return self


class Load(Part):
    """One circuit of the house: power in W running and starting, its legs, the hours it runs and the share of them it draws.

    starting_w None: by its kind, or from its locked-rotor current in A. `must` live in an outage, or may drop.
    """

    id: Key
    name: Name
    kind: LoadKind = "resistive"
    running_w: Annotated[float, Field(gt=0, le=200_000)]
    starting_w: Annotated[float, Field(gt=0, le=1_000_000)] | None = None
    locked_rotor_a: Annotated[float, Field(gt=0, le=4000)] | None = None
    legs: Legs = "L1"
    backed: bool = True
    must: bool = False
    hours: Annotated[tuple[Window, ...], Field(max_length=6)] = ()
    duty: Annotated[float, Field(gt=0, le=1)] = 1.0
    soft_start: bool = False


class Rate(Part):
    """One price of a tariff, a kWh bought and sold: by the local clock on some days of some months."""

    name: Name
    buy: Price
    sell: Price = 0.0
    hours: Annotated[tuple[Window, ...], Field(max_length=6)] = ()
    days: Literal["every day", "weekdays", "weekends"] = "every day"
    from_month: Annotated[int, Field(ge=1, le=12)] = 1
    to_month: Annotated[int, Field(ge=1, le=12)] = 12


class Tariff(Part):
    """What a kWh costs, and what may flow: limits in W, standing charge a day, fuel of a generator a kWh."""

    currency: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=4, pattern=PRINTABLE)] = "$"
    rates: Annotated[tuple[Rate, ...], Field(max_length=24)] = ()
    standing_day: Annotated[float, Field(ge=0, le=1000)] = 0.0
    fuel_kwh: Annotated[float, Field(ge=0, le=1000)] | None = None
    import_limit_w: Annotated[float, Field(gt=0, le=1_000_000)] | None = None
    export_limit_w: Annotated[float, Field(ge=0, le=1_000_000)] | None = None


class Slot(Part):
    """A window of the unit's menu and the state of charge in percent it charges up to, or discharges down to."""

    start_min: Annotated[int, Field(ge=0, le=1439)]
    end_min: Annotated[int, Field(ge=1, le=1440)]
    soc: Percent


class Work(Part):
    """How the battery works: its mode; for windows the slots to charge and discharge in, and whether spare sun charges or is sold first."""

    mode: WorkMode = "self-use"
    spare_sun: Literal["battery", "grid"] = "battery"
    charge: Annotated[tuple[Slot, ...], Field(max_length=3)] = ()
    discharge: Annotated[tuple[Slot, ...], Field(max_length=3)] = ()


class Energy(Part):
    """A year of living with it: the tariff, how the battery works, and where load and weather come from.

    load_file and weather_file: digest of a file kept with the job. Without them load follows from the board (scaled to `yearly_kwh`
    if that is known) and weather is a clear sky times `climate_factor`.
    """

    tariff: Tariff = Tariff()
    work: Work = Work()
    yearly_kwh: Annotated[float, Field(gt=0, le=1_000_000)] | None = None
    load_file: Digest | None = None
    weather_file: Digest | None = None
    climate_factor: Annotated[float, Field(ge=0.1, le=1)] = 0.7


class Survey(Part):
    """What was seen at the house. "unknown" stays so until someone looks; `confirmed` and `licensed` name who said or holds what."""

    wall: Literal["unknown", "concrete", "solid brick", "hollow block", "timber studs", "steel studs"] = "unknown"
    surface: Literal["unknown", "non-combustible", "combustible"] = "unknown"
    sun: YesNo = "unknown"
    rain: YesNo = "unknown"
    opening_m: Annotated[float, Field(ge=0, le=100)] | None = None
    network: Literal["unknown", "wired", "wireless, good", "wireless, weak", "none"] = "unknown"
    confirmed: dict[Key, Text] = Field(default_factory=dict)
    licensed: dict[Key, Text] = Field(default_factory=dict)


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


class Spot(Part):
    """Where the left lower corner of a body is, in mm from the wall's left edge and the floor."""

    x_mm: Across
    y_mm: Across


class Neighbour(Part):
    """Something the wall has already: its left lower corner and size in mm. A hidden pipe or cable is the strip that no bit may enter."""

    kind: NeighbourKind
    x_mm: Across
    y_mm: Across
    width_mm: Extent
    height_mm: Extent


class Backing(Part):
    """A board or rail between wall and equipment. Boards stop fire and hold nothing; rails are screwed to every stud they cross and hold."""

    material: Literal["cement board", "steel sheet", "rail"] = "cement board"
    x_mm: Across
    y_mm: Across
    width_mm: Extent
    height_mm: Extent


class Extra(Part):
    """Something else that the crew hangs: size in mm, mass in kg. Conductors may pass through a trough."""

    id: Key
    kind: Literal["trough", "disconnect", "meter", "network box", "other"] = "other"
    label: Name
    width_mm: Extent
    height_mm: Extent
    depth_mm: Extent = 120.0
    mass_kg: Annotated[float, Field(gt=0, le=500)] = 2.0


class Wall(Part):
    """One wall, seen from the front. Millimetres from its left edge and the floor.

    Studs: the middle of the first one, their pitch and width. A corner is an adjoining wall. front_mm: free floor before it.
    eye_mm: level of the eye of who will read the displays. behind: the room on the other side. reach_mm: how far before the ankles the hands lift; None follows from the box.
    """

    id: Letter
    name: Name = "Wall"
    width_mm: Extent = 3600.0
    height_mm: Extent = 2400.0
    made: Literal["concrete", "solid brick", "hollow block", "timber studs", "steel studs"] = "solid brick"
    lining: Literal["none", "gypsum board", "wood"] = "none"
    lining_mm: Annotated[float, Field(ge=0, le=100)] = 0.0
    stud_first_mm: Across = 0.0
    stud_pitch_mm: Annotated[float, Field(ge=100, le=2000)] = 406.4
    stud_width_mm: Annotated[float, Field(ge=20, le=200)] = 38.0
    place: Literal["indoors", "garage", "outdoors"] = "indoors"
    sun: Reached = "unknown"
    rain: Reached = "unknown"
    corner_left: bool = False
    corner_right: bool = False
    front_mm: Extent | None = None
    eye_mm: Annotated[float, Field(ge=800, le=2200)] = 1550.0
    behind: Literal["unknown", "outdoors", "bedroom", "living room", "other"] = "unknown"
    swept: bool = False
    reach_mm: Annotated[float, Field(ge=250, le=800)] | None = None
    neighbours: Annotated[tuple[Neighbour, ...], Field(max_length=40)] = ()
    backing: Annotated[tuple[Backing, ...], Field(max_length=20)] = ()
    extras: Annotated[tuple[Extra, ...], Field(max_length=20)] = ()
    placed: dict[Key, Spot] = Field(default_factory=dict)
    anchor: Key | None = None

    @model_validator(mode="after")
    def _extras_differ(self) -> Wall:
        if len({x.id for x in self.extras}) != len(self.extras):
            raise ValueError("two things that hang on this wall have the same id")
        return self


class Spacing(Part):
    """What the authority said of storage, in mm: from doors and windows, and from other storage. None: common practice is used, and said."""

    opening_mm: Annotated[float, Field(ge=0, le=10_000)] | None = None
    storage_mm: Annotated[float, Field(ge=0, le=10_000)] | None = None


class Fitted(Part):
    """The crew's own choice for one circuit. Kept and judged, never silently replaced."""

    size: Size | None = None
    protection_a: Amps | None = None


class Reel(Part):
    """A remnant the crew has: cable by catalogue id, size, colour, and its length in m."""

    cable: Name
    size: Size
    colour: Text = ""
    length_m: Metres


class Plan(Part):
    """Everything decided about one job.

    landing: the order of landing, by the maker's sheet where it gives one, or a school of the crew's. recheck: what is done a day later
    where the maker is silent.
    """

    format: Literal["gumboot-plan/1"] = "gumboot-plan/1"
    code: Book = "nec-2023"
    units: Literal["us", "si"] = "us"
    site: Site
    supply: Supply
    kit: Kit
    backup: Backup = Backup()
    strings: Annotated[tuple[PvString, ...], Field(max_length=26)] = ()
    loads: Annotated[tuple[Load, ...], Field(max_length=120)] = ()
    energy: Energy = Energy()
    survey: Survey | None = None
    walls: Annotated[tuple[Wall, ...], Field(max_length=6)] = ()
    spacing: Spacing = Spacing()
    runs: dict[Key, Run] = Field(default_factory=dict)
    fitted: dict[Key, Fitted] = Field(default_factory=dict)
    settings: dict[Key, float | Text] = Field(default_factory=dict)
    landing: Landing = "maker"
    recheck: Literal["by kind", "torque", "look"] = "by kind"
    reels: Annotated[tuple[Reel, ...], Field(max_length=60)] = ()

    @model_validator(mode="after")
    def _letters_differ(self) -> Plan:
        letters = [s.letter for s in self.strings]
        if len(set(letters)) != len(letters):
            raise ValueError("two strings have the same letter")
        return self

    @model_validator(mode="after")
    def _walls_differ(self) -> Plan:
        letters = [w.id for w in self.walls]
        if len(set(letters)) != len(letters):
            raise ValueError("two walls have the same letter")
        hung = [b for w in self.walls for b in (*w.placed, *(x.id for x in w.extras))]
        twice = next((b for b in hung if hung.count(b) > (2 if any(x.id == b for w in self.walls for x in w.extras) else 1)), None)
        if twice:
            raise ValueError(f"{twice} stands on two walls")
        return self

    @model_validator(mode="after")
    def _loads_differ(self) -> Plan:
        ids = [x.id for x in self.loads]
        if len(set(ids)) != len(ids):
            raise ValueError("two loads have the same id")
        return self
