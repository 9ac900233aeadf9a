"""All that differs between code books, so that nobody else asks which book a job is under.

`plan.book` is the job's. A third book is one more `Book` in `books.py`, with its tables.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from gumboot.core.basis.figure import Figure
from gumboot.core.basis.formula import Formula
from gumboot.core.codes.busbar import Fed
from gumboot.core.codes.ways import Ways

Code = Literal["nec-2023", "iec-60364"]


@dataclass(frozen=True, slots=True)
class Ask:
    """A local rule that must be confirmed, or a task that wants a licence: its key in the plan, and
    in words.
    """

    key: str
    says: str


@dataclass(frozen=True, slots=True, eq=False)
class Book:
    """A code book.

    code: as the plan has it; name, short: in words; swatch: the drawing's class of its colours;
    clauses: by what they are about; colours: of conductors; asks: what an authority decides here;
    placards: their kinds, in order.
    methods: ways of running cable that it has a table for, in words; method_first: what an empty
    form begins
    with, of a string `method_first_pv`; method_said: a method in words, with {} for its name.
    american: whether it is for North America's supplies or the others; main_board: what the box at
    the service is called; earth_label: how the main earth's conductor is labelled.
    neutral_opened: whether an AC breaker opens neutral too. bonded_by_network: earthing systems in
    which the network bonds neutral. own_bond: whether an island needs a bond and an electrode of
    its own. loops: whether earth-fault loops and residual-current devices are judged.
    rapid_shutdown: whether an array on a roof must be switched from the ground.
    output_margin: greatest output current of an inverter over its rated one where its maker is
    silent. continuous: protection over continuous current; board_load: the current a feeder is
    counted
    with, of its rating; next_standard: the rating at or above some A; ratings: all there are, in A.
    building_v: the most V of an array, by what the building is. fuse_bounds: what a string fuse
    must lie
    between, of I_sc; fuse_fits: whether a rating does.
    fed: whether a busbar may take what feeds it; rule_120: whether the end that is fed counts and
    the rule that passes is told; mains_feed_combiners: whether a combining panel's own feeder
    counts as its main.
    asks_service: whether the size of the service conductors matters; electrode, main_bonding: the
    conductor to earth by it, or the bonding by the largest earth; None where it is sized otherwise.
    area_unit, wire_area, ways, bend: room of conductors in conduit and before terminals.
    schools: the methods whose tables are told side by side for battery cable, in words; ampacity:
    by size, method and metal, for terminals of 75 °C; None where more than these decides.
    house_wire: the least copper of a circuit of the house that carries some A, by its loaded
    conductors, in the usual way; its name says its size. charger_guard: what else guards the
    circuit of a car charger, in words.
    back_factor: what a string can push back, over its short-circuit current. arc_fault_v: from
    which V of a string on a building an arc in it has to be found; None where the book asks none.
    working_depth: free floor in mm before what is worked at, by its volts to earth and by what is
    opposite; working_space: whether its width and height
    are kept too.
    """

    code: Code
    name: str
    short: str
    swatch: str
    clauses: Mapping[str, str]
    colours: Mapping[str, str]
    asks: tuple[Ask, ...]
    placards: tuple[str, ...]
    methods: Mapping[str, str]
    method_first: str
    method_first_pv: str
    method_said: str
    american: bool
    main_board: str
    sub_board: str
    earth_label: str
    neutral_opened: bool
    bonded_by_network: tuple[str, ...]
    own_bond: bool
    loops: bool
    rapid_shutdown: bool
    output_margin: float
    continuous: float
    board_load: Formula
    next_standard: Callable[[float], float]
    ratings: tuple[float, ...]
    building_v: Mapping[str, float]
    fuse_bounds: Callable[[Figure], tuple[Figure, ...]]
    fuse_fits: Callable[[float, Sequence[Figure]], bool]
    back_factor: float
    arc_fault_v: float | None
    fed: Callable[[Figure, Figure, Figure, Figure | None, bool], Fed]
    rule_120: bool
    mains_feed_combiners: bool
    asks_service: bool
    electrode: Callable[[str, str], Figure] | None
    main_bonding: Callable[[str], Figure] | None
    area_unit: str
    wire_area: Callable[[str], Figure]
    ways: Callable[[Figure, int, str], Ways]
    bend: Callable[[str], Figure | None]
    schools: Mapping[str, str]
    ampacity: Callable[..., Figure] | None
    house_wire: Callable[[float, int], Figure]
    charger_guard: str
    working_depth: Callable[[float, str], float]
    working_space: bool

    def said(self, method: str) -> str:
        """A way of running cable in words: "raceway on roof", "method B1"."""
        return self.method_said.format(method.replace("-", " "))
