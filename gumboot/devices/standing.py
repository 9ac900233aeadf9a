"""What stands in for devices: Modbus servers on ports of loopback, in a thread of their own."""

from __future__ import annotations

import asyncio
import contextlib
import threading
from collections.abc import Callable, Coroutine, Sequence
from typing import Self

from pymodbus.constants import ExcCodes
from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

OFTEN_S = 0.2
Values = list[int]
Orders = Values | list[bool] | None
Act = Callable[
    [int, int, int, int, Values, Orders],
    Coroutine[None, None, ExcCodes | None],
]


def acting(
    read: Callable[[Values], ExcCodes | None],
    written: Callable[[int, Values], ExcCodes | None] | None = None,
    lacks: Callable[[int, int], bool] | None = None,
) -> Act:
    """What a device does when it is asked: `read` fills its registers afresh, `written` is told
    (first address, values); without it a device takes no orders. lacks: whether it has no register
    of some (first address, count).
    """

    async def act(
        function_code: int,
        start_address: int,
        address: int,
        count: int,
        current_registers: Values,
        set_values: Orders,
    ) -> ExcCodes | None:
        if lacks is not None and lacks(address, count):
            return ExcCodes.ILLEGAL_ADDRESS
        if set_values is None:
            return read(current_registers)
        if written is None:
            return ExcCodes.ILLEGAL_FUNCTION
        return written(address, [int(v) for v in set_values])

    return act


def device(id: int, count: int, act: Act) -> SimDevice:
    """A Modbus device of so many registers from 0."""
    block = SimData(0, count=count, values=0, datatype=DataType.REGISTERS)
    return SimDevice(id, simdata=[block], action=act)


class Standing:
    """Servers that stand while a `with` lasts. make: makes them, in the thread's own loop; often:
    what is done a few times a second besides. Raises OSError where none can stand.
    """

    def __init__(
        self,
        name: str,
        make: Callable[[], Sequence[ModbusTcpServer]],
        often: Callable[[], object] | None = None,
    ) -> None:
        self.name, self.make, self.often = name, make, often
        self.loop, self.up = asyncio.new_event_loop(), threading.Event()
        self.done = asyncio.Event()
        self.thread = threading.Thread(target=self._run, daemon=True)

    def _run(self) -> None:
        asyncio.set_event_loop(self.loop)
        self.loop.run_until_complete(self._serve())

    async def _serve(self) -> None:
        servers = self.make()
        for s in servers:
            await s.serve_forever(background=True)
        self.up.set()
        while not self.done.is_set():
            if self.often is not None:
                self.often()
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(self.done.wait(), OFTEN_S if self.often else None)
        for s in servers:
            await s.shutdown()  # type: ignore[no-untyped-call]

    def __enter__(self) -> Self:
        self.thread.start()
        if not self.up.wait(10):
            raise OSError(f"no {self.name} can stand here: is one there already?")
        return self

    def __exit__(self, *_: object) -> None:
        self.loop.call_soon_threadsafe(self.done.set)
        self.thread.join(10)
