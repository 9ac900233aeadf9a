"""The code books there are, as data. Clauses and colours from memory: check your edition."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, solve
from gumboot.core.basis.formula import Formula
from gumboot.core.codes import OutsideTable, iec, nec
from gumboot.core.codes.book import Ask, Book, Code
from gumboot.core.codes.busbar import IEC_RULE, NEC_RULE, iec_fed, nec_fed
from gumboot.core.codes.ways import iec_bend, iec_ways, nec_bend, nec_ways, outer_area


def _nec_fuse(i_sc: Figure) -> tuple[Figure, ...]:
    low = solve(
        "I_low",
        "A",
        "String fuse at least",
        "1.25 * 1.25 * I_sc",
        i_sc,
        source=f"{nec.BOOK} 690.8(B), 690.9(B)",
        doubt=MEMORY,
    )
    return (low,)


def _at_least(amps: float, bounds: Sequence[Figure]) -> bool:
    return amps >= bounds[0].n


def _between(amps: float, bounds: Sequence[Figure]) -> bool:
    return bounds[0].n < amps < bounds[1].n


def _least(of: Callable[[str], Figure], sizes: Sequence[str], amps: float) -> Figure:
    """The first of some sizes, least first, whose capacity is so much. Raises OutsideTable."""
    for size in sizes:
        found = of(size)
        if found.n >= amps - 1e-9:
            return found
    raise OutsideTable(f"{amps:.0f} A is above the tables here: ask for its circuit by hand")


def _nec_house(amps: float, loaded: int) -> Figure:
    return _least(lambda size: nec.ampacity(size, 60, "raceway"), nec.SIZES, amps)


def _iec_house(amps: float, loaded: int) -> Figure:
    return _least(
        lambda size: iec.ampacity(size, 70, "C", 3 if loaded == 3 else 2), iec.SIZES[1:], amps
    )


NEC = Book(
    code="nec-2023",
    name=nec.BOOK,
    short="NEC",
    swatch="nec",
    clauses={
        "bond": f"{nec.BOOK} 250.24, 250.30, 250.34",
        "sources meet": f"{nec.BOOK} 702.5, 705.40",
        "under load": f"{nec.BOOK} 690.33(D), 690.15",
        "pv connectors": f"{nec.BOOK} 690.33(C), 690.43",
        "converters in series": f"{nec.BOOK} 690.7(B)(2), 690.8(A)(1)",
        "interrupting": f"{nec.BOOK} 110.9",
        "output": f"{nec.BOOK} 705.28(A)",
        "limiter": f"{nec.BOOK} 705.13, 750.30",
        "cold voltage": f"{nec.BOOK} 690.7(A)",
        "cold by coefficient": f"{nec.BOOK} 690.7(A)(1)",
        "string current": f"{nec.BOOK} 690.8(A)(1)",
        "string fuse": f"{nec.BOOK} 690.9(A)",
        "array earth fault": f"{nec.BOOK} 690.41(B)",
        "array arc": f"{nec.BOOK} 690.11",
        "dwelling": f"{nec.BOOK} 690.7",
        "drop": f"{nec.BOOK} 215.2(A)(2) note 2",
        "outage load": f"{nec.BOOK} 702.4(A)(2)",
        "island load": f"{nec.BOOK} 710.15(A)",
        "rapid shutdown": f"{nec.BOOK} 690.12",
        "emergency shutdown": f"{nec.BOOK} 706.15(A)",
        "surge": f"{nec.BOOK} 230.67, 215.18",
        "utility fault": f"{nec.BOOK} 110.9, 110.24",
        "chain": f"{nec.BOOK} 240.4, 240.8",
        "charger": f"{nec.BOOK} 625.41, 210.20(A)",
        "breaker for long": f"{nec.BOOK} 210.20(A), 215.3",
        "tap": f"{nec.BOOK} 705.11, 230.82",
        "board behind": f"{nec.BOOK} 250.24(A)(5), 250.32, 225.31",
        "feeder": f"{nec.BOOK} 705.12(A), 705.30",
        "service": f"{nec.BOOK} 705.11(A)",
        "busbar": NEC_RULE,
        "parallel": f"{nec.BOOK} 310.10(G)",
        "schools": f"{nec.BOOK} 310.16, 310.17",
        "conduit fill": f"{nec.BOOK} Chapter 9 Table 1",
        "bends": f"{nec.BOOK} 358.26 and its kin",
        "sweep": f"{nec.BOOK} Chapter 9 Table 2",
        "handle": f"{nec.BOOK} 240.24(A), 404.8(A)",
        "working space": f"{nec.BOOK} 110.26(A)",
        "legend": f"{nec.BOOK} 408.4(A), 110.22",
        "directory": f"{nec.BOOK} 705.10, 706.15, 690.13",
        "single supply": f"{nec.BOOK} 710.15(C)",
        "opens utility": f"{nec.BOOK} 230.70",
        "opens string": f"{nec.BOOK} 690.13, 690.15",
        "opens pack": f"{nec.BOOK} 706.15",
        "opens inverter": f"{nec.BOOK} 705.20",
        "opens controller": f"{nec.BOOK} 690.15",
        "opens pv inverter": f"{nec.BOOK} 705.20",
        "opens generator": f"{nec.BOOK} 445.18",
    },
    colours={
        "L1": "black",
        "L2": "red",
        "L3": "blue",
        "N": "white",
        "PE": "green",
        "+": "red",
        "−": "black",
    },  # N 200.6, PE 250.119; the others common practice
    asks=(
        Ask("edition", "Which edition of the code is in force here, with which amendments?"),
        Ask(
            "permit", "Electrical and building permit: what do they want to see, and who inspects?"
        ),
        Ask(
            "utility",
            "The utility's agreement: application, export limit, outside disconnect, meter",
        ),
        Ask(
            "place",
            "Where storage may stand: rooms, distance from doors, windows, exits and other storage,"
            " most kWh a place",
        ),
        Ask("fire", "Fire code: detectors, protection from vehicles, signs for responders"),
        Ask("shutdown", "Rapid shutdown: what starts it, and its label"),
    ),  # what an authority decides: common practice
    placards=(
        "pv disconnect",
        "pv raceways",
        "rapid shutdown",
        "emergency shutdown",
        "busbar",
        "directory",
        "storage disconnect",
        "standby",
        "single supply",
        "inlet",
        "legends",
    ),
    methods={
        "raceway": "in raceway",
        "raceway-on-roof": "in raceway on the roof",
        "free-air": "in free air",
    },
    method_first="raceway",
    method_first_pv="raceway",
    method_said="{}",
    american=True,
    main_board="Main panel",
    sub_board="Subpanel",
    earth_label="GEC",
    neutral_opened=False,
    bonded_by_network=(),
    own_bond=False,
    loops=False,
    rapid_shutdown=True,
    output_margin=1.0,  # 705.28(A): the rated output current of the plate
    continuous=1.25,
    board_load=Formula(
        "I",
        "I_board / 1.25",
        "A",
        "Continuous current",
        f"{nec.BOOK} 215.2, 215.3",
        doubt=MEMORY,
    ),
    next_standard=nec.next_standard,
    ratings=nec.STANDARD_A,
    building_v={"dwelling": 600.0, "other": 1000.0, "equipment only": 1500.0},  # 690.7
    fuse_bounds=_nec_fuse,
    fuse_fits=_at_least,
    back_factor=1.25,
    arc_fault_v=80.0,
    fed=nec_fed,
    rule_120=True,
    mains_feed_combiners=True,
    asks_service=True,
    electrode=nec.gec,
    main_bonding=None,
    area_unit="in²",
    wire_area=nec.wire_area,
    ways=nec_ways,
    bend=nec_bend,
    schools={
        "raceway": "Enclosed raceway, Table 310.16",
        "free-air": "Free air, Table 310.17",
    },
    ampacity=lambda size, method, metal="Cu": nec.ampacity(size, 75, method, metal),
    house_wire=_nec_house,  # terminals of 60 °C to 100 A: 110.14(C)(1)
    charger_guard=(
        "Through a receptacle it wants protection of people by a ground-fault device (625.54);"
        " above 60 A, or 150 V to ground, a disconnect that locks open (625.43)."
    ),
    working_depth=nec.working_depth,
    working_space=True,
)

IEC = Book(
    code="iec-60364",
    name=iec.BOOK,
    short="IEC",
    swatch="iec",
    clauses={
        "bond": "IEC 60364-8-82, 60364-5-54",
        "sources meet": "IEC 60364-5-55 551.7",
        "under load": "IEC 62548, IEC 62852",
        "pv connectors": "IEC 62548, IEC 62852",
        "converters in series": "IEC 62548",
        "interrupting": "IEC 60364-4-43 434.5.1",
        "output": "IEC 60364-7-712",
        "limiter": "IEC 60364-8-82",
        "surge": "IEC 60364-4-44 443, 60364-7-712 712.443",
        "utility fault": "IEC 60364-4-43 434.5.1",
        "cold voltage": "IEC 62548",
        "cold by coefficient": "IEC 62548",
        "dwelling": "IEC 62548 on buildings",
        "string current": "IEC 62548",
        "drop": "IEC 60364-5-52 Table G.52.1",
        "outage load": COMMON_PRACTICE,
        "island load": COMMON_PRACTICE,
        "string fuse": "IEC 62548",
        "array earth fault": "IEC 62548 6.4",
        "array arc": "IEC 63027",
        "chain": "IEC 60364-4-43 433.1, 433.4",
        "charger": "IEC 60364-7-722 722.311, IEC 60364-4-43 433.1",
        "breaker for long": "IEC 60364-4-43 433.1",
        "tap": "IEC 60364-4-43; the network operator's rules",
        "board behind": "IEC 60364-5-54 543.4.3, 60364-5-53 536.2",
        "feeder": "IEC 60364-4-43 433.1",
        "busbar": IEC_RULE,
        "parallel": "IEC 60364-5-52 523.7",
        "conduit fill": COMMON_PRACTICE,
        "bends": COMMON_PRACTICE,
        "sweep": COMMON_PRACTICE,
        "handle": COMMON_PRACTICE,
        "working space": "IEC 60364-7-729",
        "legend": "IEC 60364-5-51 514.4, IEC 61439-3",
        "directory": "IEC 60364-7-712 712.514, 60364-5-55",
        "opens utility": "IEC 60364-5-53 536",
        "opens string": "IEC 60364-7-712 712.536",
        "opens pack": "IEC 60364-5-57",
        "opens inverter": "IEC 60364-5-55 551.7.6",
        "opens controller": "IEC 60364-7-712 712.536",
        "opens pv inverter": "IEC 60364-5-55 551.7.6",
        "opens generator": "IEC 60364-5-55 551.2",
    },
    colours={
        "L1": "brown",
        "L2": "black",
        "L3": "grey",
        "N": "blue",
        "PE": "green-yellow",
        "+": "red",
        "−": "white",
    },  # IEC 60445:2017, from memory
    asks=(
        Ask("edition", "Which national edition is in force here, with which deviations?"),
        Ask(
            "operator",
            "The grid operator: notice or consent before connection, which grid profile, export"
            " limit",
        ),
        Ask(
            "place",
            "Where storage may stand: rooms, escape routes, distance from doors, windows and other"
            " storage, most kWh a place",
        ),
        Ask("fire", "Fire rules: detectors, walls, signs for responders"),
        Ask("building", "Building or heritage consent: outside walls, roof, noise to neighbours"),
    ),  # what an authority decides: common practice
    placards=(
        "pv here",
        "pv dc",
        "dual supply",
        "inverter",
        "battery",
        "island",
        "residual current",
        "documents",
        "legends",
    ),
    methods={k: f"{k}, {v}" for k, v in iec.METHOD_NAMES.items()},
    method_first="C",
    method_first_pv="B1",
    method_said="method {}",
    american=False,
    main_board="Main board",
    sub_board="Sub-board",
    earth_label="BONDING",
    neutral_opened=True,
    bonded_by_network=("TT",),
    own_bond=True,
    loops=True,
    rapid_shutdown=False,
    output_margin=1.1,
    continuous=1.0,
    board_load=Formula(
        "I",
        "1 * I_board",
        "A",
        "Design current",
        COMMON_PRACTICE,
        assumption="loaded to its rating",
    ),
    next_standard=iec.next_standard,
    ratings=iec.STANDARD_A,
    building_v=dict.fromkeys(("dwelling", "other", "equipment only"), 1000.0),  # on buildings
    fuse_bounds=iec.string_fuse,
    fuse_fits=_between,
    back_factor=1.0,
    arc_fault_v=None,
    fed=iec_fed,
    rule_120=False,
    mains_feed_combiners=False,
    asks_service=False,
    electrode=None,
    main_bonding=iec.main_bonding,
    area_unit="mm²",
    wire_area=outer_area,
    ways=iec_ways,
    bend=iec_bend,
    schools={},
    ampacity=None,
    house_wire=_iec_house,
    charger_guard=(
        "A residual-current device of its own, 30 mA: type B, or type A or F where the charger"
        " itself detects 6 mA of direct current (60364-7-722, 722.531)."
    ),
    working_depth=lambda volts, opposite: 700.0,  # gangways, 60364-7-729, from memory
    working_space=False,
)
BOOKS: dict[Code, Book] = {b.code: b for b in (NEC, IEC)}

NEC_LANDS = ("US", "PR", "GU", "VI", "AS", "MP", "MX", "CO", "CR", "PA", "VE", "DO", "EC", "CA")
# whose rules are the NEC or built on it, from memory; Canada's are neither, the NEC is the nearer


def book_for(country: str) -> Book:
    """The book that is proposed for a country, by its two letters of ISO 3166; the authority there
    decides.
    """
    return NEC if country in NEC_LANDS else IEC
