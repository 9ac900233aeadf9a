"""design(plan, catalogue) -> Design: everything that follows from the plan, chapter by chapter.

Pure: no clock, no chance, no files. It never raises on a poor plan; what cannot be computed becomes
a finding, and what hangs on it stays away.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from functools import cached_property
from typing import Any, TypeVar

from gumboot.core.basis.figure import Figure
from gumboot.core.basis.finding import Level, ordered
from gumboot.core.brief.board_chapters import BOARD, CHARGING, UNLIKE
from gumboot.core.brief.chapters import KIT, SURVEY, TARIFF
from gumboot.core.brief.loads import Board, Charging
from gumboot.core.brief.sheets import MISSING_SHEETS, SHEETS
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.kit import Catalogue, Controller, Converter, Gateway, Inverter, Pack
from gumboot.core.kit.alarm import Alarm
from gumboot.core.land.chapters import TERMINATIONS
from gumboot.core.land.termination import Termination
from gumboot.core.link.harness import HARNESS, Harness
from gumboot.core.network import Body, Network, SignalCable
from gumboot.core.network.bonds import Bonded
from gumboot.core.network.chapters import BONDS, DISCONNECTS, NETWORK
from gumboot.core.network.element import System
from gumboot.core.plan import Plan
from gumboot.core.plan.kit import CONTROLLERS
from gumboot.core.set.chapters import MENU, ladders_of, menu_of
from gumboot.core.set.ladder import Ladder
from gumboot.core.set.settings import Setting
from gumboot.core.size.bank import Bank
from gumboot.core.size.busbars import Bus, main_bus
from gumboot.core.size.chapters import (
    AIR,
    BUSBARS,
    CONDUCTORS,
    EARTHS,
    FAULTS,
    HEAT,
    INRUSH,
    LOOPS,
    RACEWAYS,
    SHARING,
    SIZED,
    SUB_BOARD,
    UTILITY,
)
from gumboot.core.size.conductors import SizedCircuit
from gumboot.core.size.disconnects import Disconnect
from gumboot.core.size.equipment import BANK, FITS, STRINGS, THROUGH, UNIT, takers_of
from gumboot.core.size.inrush import Inrush
from gumboot.core.size.loops import Loop
from gumboot.core.size.metering import METERING, Metering
from gumboot.core.size.raceways import Raceway
from gumboot.core.size.sharing import Sharing
from gumboot.core.size.strings import StringDesign, Taker
from gumboot.core.wake.chapters import WAKE, WAY, Wake
from gumboot.core.wall import Box, WallDesign
from gumboot.core.wall.chapters import BOXES, HUNG, RUNS
from gumboot.core.wall.judged import WALL

CHAPTERS: tuple[Chapter[Any], ...] = (
    SURVEY,
    KIT,
    STRINGS,
    UNIT,
    BANK,
    FITS,
    THROUGH,
    NETWORK,
    BONDS,
    BOXES,
    HUNG,
    RUNS,
    SIZED,
    CONDUCTORS,
    FAULTS,
    SHARING,
    INRUSH,
    AIR,
    LOOPS,
    UTILITY,
    RACEWAYS,
    BUSBARS,
    SUB_BOARD,
    METERING,
    DISCONNECTS,
    EARTHS,
    TERMINATIONS,
    HARNESS,
    WAY,
    WAKE,
    MENU,
    BOARD,
    UNLIKE,
    CHARGING,
    TARIFF,
    WALL,
    HEAT,
    SHEETS,
    *MISSING_SHEETS,
)

T = TypeVar("T")


class Design:
    """All that follows from one plan. Where a chapter is empty a stop says why.

    Compared and hashed by identity: what is drawn from a design can be remembered for it.
    """

    def __init__(self, draft: Draft) -> None:
        self.draft, self.plan = draft, draft.plan
        every = ordered(f for c in CHAPTERS for f in draft.made[c].findings)
        self.stations = {f.key: c.station for c in CHAPTERS for f in draft.made[c].findings}
        self.findings = tuple(f for f in every if f.level is not Level.DUTY)
        self.duties = tuple(f for f in every if f.level is Level.DUTY)

    def menu(self, unit_no: int) -> tuple[Setting, ...]:
        """The menu of one unit, from 1: followers of a cascade differ from their leader."""
        if unit_no == 1 or self.of(MENU) is None:
            return tuple(self.settings)
        return menu_of(self.draft, unit_no)

    def ladders(self, unit_no: int) -> tuple[Ladder, ...]:
        """The ladders of the menu of one unit, from 1."""
        return ladders_of(self.draft, unit_no) if self.of(MENU) is not None else ()

    def of(self, chapter: Chapter[T]) -> T:
        """The result of a chapter; None where what it requires is missing."""
        return self.draft[chapter]

    def count(self, level: Level) -> int:
        """How many findings of a level."""
        return sum(f.level == level for f in self.findings)

    @cached_property
    def figures(self) -> dict[str, Figure]:
        """Every figure that a page shows, by its key: "battery-1.permitted"."""
        return dict(self.draft.figures())

    def changed(self, before: Design) -> Iterator[tuple[str, Figure | None, Figure | None]]:
        """(key, what it was, what it is) of every figure whose value differs from an earlier
        design's; chapters taken over whole are not looked into.
        """
        for c in CHAPTERS:
            mine, theirs = self.draft.made[c], before.draft.made[c]
            if mine is theirs:
                continue
            now, then = dict(mine.figures), dict(theirs.figures)
            for key in {**then, **now}:
                a, b = then.get(key), now.get(key)
                if (a.value if a else None) != (b.value if b else None):
                    yield key, a, b

    # what the chapters came to

    @property
    def inverter(self) -> Inverter | None:
        """The unit."""
        kit = self.of(KIT)
        return kit.inverter if kit else None

    @property
    def pack(self) -> Pack | None:
        """The pack."""
        kit = self.of(KIT)
        return kit.pack if kit else None

    @property
    def controller(self) -> Controller | None:
        """The charge controller."""
        kit = self.of(KIT)
        return kit.controller if kit else None

    @property
    def alarms(self) -> tuple[Alarm, ...]:
        """What codes mean on the displays of inverters and charge controllers."""
        return tuple(a for x in (self.inverter, self.controller) if x for a in x.alarms)

    @property
    def gateway(self) -> Gateway | None:
        """The gateway."""
        kit = self.of(KIT)
        return kit.gateway if kit else None

    def unit(self, unit_no: int) -> Converter | None:
        """The sheet of a unit with a menu, by its number."""
        return self.controller if unit_no > CONTROLLERS else self.inverter

    @property
    def takers(self) -> tuple[Taker, ...]:
        """What strings land on."""
        return takers_of(self.draft) if self.of(KIT) is not None else ()

    @property
    def strings(self) -> tuple[StringDesign, ...]:
        """The strings."""
        return (self.of(STRINGS) or ((), ()))[0]

    @property
    def metering(self) -> Metering | None:
        """What measures at the house's board."""
        return self.of(METERING)

    @property
    def bank(self) -> Bank | None:
        """The bank."""
        return self.of(BANK)

    @property
    def network(self) -> Network | None:
        """What connects to what, and what opens it."""
        return self.of(NETWORK)

    @property
    def bodies(self) -> tuple[Body, ...]:
        """Every box of the job."""
        return self.network.bodies if self.network else ()

    @property
    def links(self) -> tuple[SignalCable, ...]:
        """Signal cables."""
        return self.network.links if self.network else ()

    @property
    def bonds(self) -> tuple[Bonded, ...]:
        """Where neutral meets earth, state by state."""
        return self.of(BONDS) or ()

    @property
    def buses(self) -> tuple[Bus, ...]:
        """Every busbar that sources push into."""
        return (self.of(BUSBARS) or ((), ()))[0]

    @property
    def bus(self) -> Bus | None:
        """The main panel's busbar."""
        return main_bus(self.buses)

    @property
    def circuits(self) -> tuple[SizedCircuit, ...]:
        """Every circuit that could be sized."""
        sizing = self.of(SIZED)
        return sizing.circuits if sizing else ()

    @property
    def unsized(self) -> tuple[tuple[str, str], ...]:
        """(key, name) of every circuit that could not."""
        sizing = self.of(SIZED)
        return sizing.unsized if sizing else ()

    def system_of(self, id: str) -> System:
        """What a circuit carries, sized or not; alternating where there is no such circuit."""
        return next((c.system for c in self.of(RUNS) or () if c.id == id), "ac")

    @property
    def fault(self) -> Figure | None:
        """Prospective current where the packs of one bank meet, A."""
        faults = self.of(FAULTS)
        return faults.fault if faults else None

    @property
    def sharing(self) -> Sharing | None:
        """How packs share."""
        return (self.of(SHARING) or (None, ()))[0]

    @property
    def wake(self) -> Wake | None:
        """In what order it comes alive."""
        return self.of(WAKE)

    @property
    def inrush(self) -> Inrush | None:
        """The moment the battery breaker closes."""
        return self.of(INRUSH)

    @property
    def loops(self) -> tuple[Loop, ...]:
        """Earth-fault loops under the IEC."""
        return (self.of(LOOPS) or ((), ()))[0]

    @property
    def raceways(self) -> tuple[Raceway, ...]:
        """Every enclosed way."""
        return (self.of(RACEWAYS) or ((), ()))[0]

    @property
    def gec(self) -> Figure | None:
        """The conductor to the earth electrode."""
        earths = self.of(EARTHS)
        return earths.gec if earths else None

    @property
    def bonding(self) -> Figure | None:
        """The main bonding conductor."""
        earths = self.of(EARTHS)
        return earths.bonding if earths else None

    @property
    def disconnects(self) -> tuple[Disconnect, ...]:
        """What opens each source."""
        return self.of(DISCONNECTS) or ()

    @property
    def terminations(self) -> tuple[Termination, ...]:
        """Everything that is made off."""
        return self.of(TERMINATIONS) or ()

    @property
    def harness(self) -> Harness | None:
        """Leads, buses, addresses."""
        return self.of(HARNESS)

    @property
    def settings(self) -> tuple[Setting, ...]:
        """The menu, filled."""
        return self.of(MENU) or ()

    @property
    def board(self) -> Board | None:
        """The load board."""
        return self.of(BOARD)

    @property
    def charging(self) -> Charging | None:
        """The generator against chargers and loads."""
        return self.of(CHARGING)

    @property
    def boxes(self) -> tuple[Box, ...]:
        """Every box that has its place on a wall."""
        return self.of(BOXES) or ()

    @property
    def walls(self) -> tuple[WallDesign, ...]:
        """The walls with what hangs on them."""
        return self.of(HUNG) or ()

    @property
    def catalogue(self) -> Catalogue:
        """The shelf it was made with."""
        return self.draft.catalogue

    @property
    def calls_generator(self) -> bool:
        """Whether a unit starts the generator by itself: it has its start lead, and no line of the
        menu keeps it off.
        """
        leads = self.network.links if self.network else ()
        off = any(s.rule == "gen_auto" and s.means_now == "off" for s in self.settings)
        return not off and any(x.serves == "generator" for x in leads)

    @property
    def hot(self) -> Figure | None:
        """What an inverter gives in the hottest and thinnest air, W."""
        return self.of(HEAT)


class TakesTooLong(RuntimeError):
    """A plan that is more than can be worked out in the time there is."""


LIMIT_S = 20.0  # of computing, however busy the machine is; the worst plan takes some two


def design(plan: Plan, catalogue: Catalogue, before: Design | None = None) -> Design:
    """Everything that follows from a plan. With a design made before only what hangs on what
    changed is made again. Raises TakesTooLong.
    """
    draft = Draft(plan, catalogue, before.draft if before else None)
    ends = time.thread_time() + LIMIT_S
    for chapter in CHAPTERS:
        draft.write(chapter)
        if time.thread_time() > ends:
            raise TakesTooLong(chapter.name)
    draft.before = None  # a chain of designs is not kept alive
    return Design(draft)
