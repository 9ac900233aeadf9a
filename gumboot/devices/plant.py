"""A simulated plant: inverters, packs, gateway, grid, generator and PV of one job, moved by its
levers on the network's own model, over Modbus TCP; its packs over CAN.

python -m gumboot.devices.plant [--port 7506] [--can-port 7507] --job FILE [--quick 20]
    [--wrong "no grid; pack 2 low 1.6; string A reversed; unit 1 asleep; no bond"]

Unit ids 1 and on are the inverters. Input registers, signed, one each:

    0 what it does: 0 dark, 1 waking, 2 waits for the grid, 3 with the grid, 4 makes its own
      voltage, 9 broken by a wrong act
    1 battery, 0.1 V      2-4 output of each line to N, 0.1 V
    5-7 grid side of each line to N, 0.1 V      8 N to PE, 0.1 V      9 frequency, 0.01 Hz
    10 PV, 0.1 V      11 state of charge, %      12 which hazards broke it, as bits
    13 1 while it makes its own voltage      14-17 W out of the array and the battery, in from
      the grid, into the loads

Holding registers of a unit are its menu, where its sheet says (`gumboot.devices.unit`).

Unit id 100 is the yard: holding register n is lever n, 1 closed; writing moves it, if its interlock
lets it. 200: whether the grid is there; 201: all that was broken is whole again.
"""

from __future__ import annotations

import argparse
import json
import random
import re
import threading
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Self

import numpy as np
from pymodbus.constants import ExcCodes
from pymodbus.server import ModbusTcpServer

from gumboot.catalogue import catalogue
from gumboot.core.design import Design, design
from gumboot.core.kit import LINES, MAINS
from gumboot.core.plan import Plan
from gumboot.core.wake.hazard import READIED
from gumboot.core.wake.settle import settle
from gumboot.core.wake.states import NO_BOND, REVERSED, Settled
from gumboot.devices.bms import Chain, chain_of
from gumboot.devices.bms import Running as Bus
from gumboot.devices.standing import Standing, acting, device
from gumboot.devices.unit import COUNT as WHOLE_MENU
from gumboot.devices.unit import Menu

DARK, WAKING, WAITS, FOLLOWS, FORMS, BROKEN = 0, 1, 2, 3, 4, 9
YARD, GRID, WHOLE = 100, 200, 201
COUNT = 256
RESTART_S = 30.0
GRID_S, START_S = 60.0, 60.0  # a unit watches the grid; it wakes, where its sheet is silent
WRONGS = re.compile(
    r"no grid|no bond|pack (?P<pack>\d+) low (?P<low>[\d.]+)|string (?P<string>[A-Z]) reversed"
    r"|unit (?P<unit>\d) asleep"
)


class Yard:
    """A job's plant as it stands: which levers are closed, since when each unit is on and sees the
    grid, what was broken. quick: how many times faster than life its waits go; keyed: what is
    wrong with its units' menus. Raises ValueError for a job without kit, or for what is nothing
    that can be wrong.
    """

    def __init__(
        self, job: Design, quick: float = 1.0, wrong: str = "", seed: int = 1, keyed: str = ""
    ) -> None:
        if job.wake is None or job.inverter is None:
            raise ValueError("this job has no plant: its kit is not known")
        self.job, self.way, self.unit = job, job.wake.way, job.inverter
        self.plant, self.quick = self.way.plant, quick
        self.state, self.broken = 0, [0] * len(self.plant.units)
        self.lows, self.asleep, self.reversed = dict[int, float](), set[int](), set[str]()
        self.grid, self.no_bond = True, False
        self.since: dict[tuple[str, int], float] = {}
        self.menus = [Menu(self.unit, RESTART_S / quick, keyed) for _ in self.broken]
        self.chance, self.lock = random.Random(seed), threading.Lock()
        for part in (p.strip() for p in wrong.split(";") if p.strip()):
            self._misbehave(part)

    def _misbehave(self, part: str) -> None:
        found = WRONGS.fullmatch(part)
        if found is None:
            raise ValueError(f"“{part}” is nothing that can be wrong")
        if found["pack"]:
            self.lows[int(found["pack"]) - 1] = float(found["low"])
        elif found["string"]:
            self.reversed.add(found["string"])
        elif found["unit"]:
            self.asleep.add(int(found["unit"]) - 1)
        elif part == "no grid":
            self.grid = False
        else:
            self.no_bond = True

    def settled(self) -> Settled:
        """What the levers come to now."""
        return settle(self.plant, np.array([self.state], dtype=np.int64), self.grid)

    def move(self, k: int, closed: bool) -> bool:
        """Move a lever; false where an interlock holds it. A harmful act breaks the units in it."""
        with self.lock:
            if bool(self.state >> k & 1) == closed:
                return True
            if not self.plant.can_be(self.state ^ 1 << k):
                return False
            turned = [f"array-{letter}" for letter in self.reversed]
            moves = self.way.moves_where(self.grid, turned)
            bits = int(moves.wrong(self.state, [k])[0]) & ~READIED
            self.state ^= 1 << k
            rows, reversed = self.settled(), self.plant.bits_of(turned)
            for i, unit in enumerate(self.plant.units):
                own = int(np.bitwise_or.reduce(rows.feeds[0, unit[1:3]]))
                hit = bits & (REVERSED if own & reversed else 0)
                hit |= bits & ~REVERSED if int(rows.on[0]) >> i & 1 else 0
                self.broken[i] |= hit
            return True

    def whole(self) -> None:
        """All that was broken is whole again."""
        with self.lock:
            self.broken = [0] * len(self.broken)

    def _lasts(self, what: str, i: int, now: bool, need: float) -> bool:
        """Whether something has lasted long enough."""
        if not now:
            self.since.pop((what, i), None)
            return False
        began = self.since.setdefault((what, i), time.monotonic())
        return (time.monotonic() - began) * self.quick >= need

    def does(self, i: int, rows: Settled) -> int:
        """What a unit does now."""
        if self.broken[i]:
            return BROKEN
        wait = self.unit.starting.wait_s if self.unit.starting else None
        on = bool(int(rows.on[0]) >> i & 1)
        if not self._lasts("on", i, on, wait or START_S) or i in self.asleep:
            return WAKING if on else DARK
        follows = bool(int(rows.follows[0]) >> i & 1)
        joined = self._lasts("grid", i, follows, GRID_S)
        if follows:
            return FOLLOWS if joined else WAITS
        return FORMS if int(rows.forms[0]) >> i & 1 else WAITS

    def registers(self, i: int) -> list[int]:
        """What a unit shows."""
        rows = self.settled()
        does = self.does(i, rows)
        volts = MAINS[self.unit.supply].to_neutral
        lines = len(LINES[self.unit.supply])
        grid = self.plant.units[i, 3]
        seen = grid >= 0 and int(rows.feeds[0, grid]) & 1
        there = does in (FOLLOWS, FORMS)
        floats = self.no_bond or int(rows.faults[0]) & NO_BOND
        out = [does, round(10 * self.battery(i, rows))]
        out += [self._near(volts) if there and n < lines else 0 for n in range(3)]
        out += [self._near(volts) if seen and n < lines else 0 for n in range(3)]
        out.append(round(10 * (volts / 2 if floats else 0.4)) if there else 0)
        out += [(100 * (60 if volts == 120 else 50)) if there else 0]
        out += [round(10 * self.sun(i, rows)), 54 if int(rows.packed[0]) >> i & 1 else 0]
        return [*out, self.broken[i] & 0x7FFF, int(does == FORMS), *self.watts(i, does, rows)]

    def watts(self, i: int, does: int, rows: Settled) -> list[int]:
        """Out of the array and the battery, in from the grid, into the loads: their sum closes."""
        there, seen = does in (FOLLOWS, FORMS), does == FOLLOWS
        array = 1200 if there and int(rows.sunny[0]) >> i & 1 else 0
        grid = 300 if seen else 0
        loads = 1900 if there else 0
        return [array, loads - array - grid, grid, loads]

    def _near(self, volts: float) -> int:
        return round(10 * (volts + self.chance.gauss(0, 0.4)))

    def battery(self, i: int, rows: Settled) -> float:
        """Volts at a unit's battery port."""
        if not int(rows.packed[0]) >> i & 1 or self.job.bank is None:
            return 0.0
        return self.job.bank.v_nom.n * 1.03 - max(self.lows.values(), default=0.0)

    def sun(self, i: int, rows: Settled) -> float:
        """Volts at a unit's PV side: of its highest string, open while the unit is dark."""
        if not int(rows.sunny[0]) >> i & 1:
            return 0.0
        own = [s for s in self.job.strings if s.body == f"inverter-{i + 1}"]
        first = max(own, key=lambda s: s.v_oc_hot.n, default=None)
        if first is None:
            return 0.0
        sign = -1 if any(s.letter in self.reversed for s in own) else 1
        return sign * (first.v_mp_hot.n if int(rows.on[0]) >> i & 1 else first.v_oc_hot.n)

    def between(self, k: int) -> float:
        """Volts across an open pack's breaker against its bus: what a hand would read there."""
        name = self.plant.levers[k].body
        packs = [n for n, x in enumerate(self.plant.pack_names) if name.endswith(f"-{n + 1}") and x]
        low = self.lows.get(packs[0], 0.0) if packs else 0.0
        return low + self.chance.gauss(0, 0.02)

    def levers(self, registers: list[int]) -> None:
        """What the yard's registers hold: levers, the grid."""
        for k in range(len(self.plant.levers)):
            registers[k] = self.state >> k & 1
        registers[GRID] = int(self.grid)

    def written(self, address: int, values: list[int]) -> ExcCodes | None:
        """Levers moved over the wire; the grid."""
        for n, value in enumerate(values, address):
            if n < len(self.plant.levers):
                if not self.move(n, bool(value)):
                    return ExcCodes.DEVICE_BUSY
            elif n == GRID:
                self.grid = bool(value)
            elif n == WHOLE:
                self.whole()
            else:
                return ExcCodes.ILLEGAL_ADDRESS
        return None

    def shows(self, i: int) -> Callable[[list[int]], ExcCodes | None]:
        """A unit's registers, fresh whenever they are read: what it measures, and its menu."""

        def read(registers: list[int]) -> ExcCodes | None:
            for n, value in enumerate(self.registers(i)):
                registers[n] = value & 0xFFFF
            return self.menus[i].read(registers)

        return read

    def awake(self, n: int) -> bool:
        """Whether a pack's own breaker and button are closed, as far as it has them."""
        own = f"pack-{n + 1}"
        rows = enumerate(self.plant.levers)
        mine = [k for k, x in rows if x.kind in ("pack", "pack button") and x.body == own]
        return bool(mine) and all(self.state >> k & 1 for k in mine)

    def hear(self, chain: Chain) -> None:
        """Let the packs on a bus be as they are here."""
        for n, p in enumerate(chain.packs):
            p.silent = not self.awake(n)
            if self.job.bank is not None:
                p.volts = self.job.bank.v_nom.n * 1.03 - self.lows.get(n, 0.0)


def server(yard: Yard, port: int, host: str = "127.0.0.1") -> ModbusTcpServer:
    """The plant on a port."""
    units = range(len(yard.plant.units))
    devices = [
        device(i + 1, WHOLE_MENU, acting(yard.shows(i), m.written, m.lacks))
        for i, m in zip(units, yard.menus, strict=True)
    ]
    devices.append(device(YARD, COUNT, acting(yard.levers, yard.written)))
    return ModbusTcpServer(devices, address=(host, port))


class Running(Standing):
    """A simulated plant on a port of loopback; its packs on a CAN adapter on another, where their
    sheet has a DBC. can: that port, 0 for any free one, None for none.
    """

    def __init__(self, yard: Yard, port: int, can: int | None = None) -> None:
        self.yard, self.bus = yard, None
        pack, count = yard.job.pack, len(yard.plant.pack_names)
        if can is not None and pack is not None and pack.dbc:
            chain = chain_of(pack.dbc, count)
            self.bus = Bus(chain, can)
            super().__init__("plant", lambda: [server(yard, port)], lambda: yard.hear(chain))
        else:
            super().__init__("plant", lambda: [server(yard, port)])

    def __enter__(self) -> Self:
        if self.bus is not None:
            self.bus.__enter__()
        return super().__enter__()

    def __exit__(self, *more: object) -> None:
        super().__exit__(*more)
        if self.bus is not None:
            self.bus.__exit__(*more)


def job_of(text: str) -> Design:
    """A job by a file with its plan, or its whole job file. Raises ValueError, OSError."""
    document = json.loads(Path(text).read_text("utf-8"))
    return design(Plan.model_validate(document.get("plan", document)), catalogue())


def main(arguments: Sequence[str] | None = None) -> None:
    """Run it until it is stopped."""
    parser = argparse.ArgumentParser(prog="gumboot.devices.plant")
    parser.add_argument("--port", type=int, default=7506)
    parser.add_argument("--can-port", type=int, help="its packs, through an slcan adapter")
    parser.add_argument("--job", required=True, help="a file with the plan of a job, as JSON")
    parser.add_argument("--quick", type=float, default=1.0, help="how much faster than life")
    parser.add_argument("--wrong", default="", help="what is wrong in it, as above")
    parser.add_argument("--menu", default="", help="what is wrong with its menus, as devices.unit")
    asked = parser.parse_args(arguments)
    try:
        yard = Yard(job_of(asked.job), asked.quick, asked.wrong, keyed=asked.menu)
    except (ValueError, OSError) as exc:
        parser.error(str(exc))
    with Running(yard, asked.port, asked.can_port):
        threading.Event().wait()


if __name__ == "__main__":
    main()
