"""Keeps some worker processes alive, and ends them with the process that asked for them."""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import secrets
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from multiprocessing.context import SpawnProcess

from sqlalchemy.exc import SQLAlchemyError

from gumboot.background.tasks import LONG, TASKS
from gumboot.background.worker import work
from gumboot.store import database, queue


def keep(url: str, processes: int, stop: threading.Event) -> None:
    """Keep workers alive until told to stop, or until the parent is gone; what they were at then is
    given back. The first never takes what is long, so that short tasks never wait for it.
    """
    spawn, parent = multiprocessing.get_context("spawn"), os.getppid()
    engine = database.connect(url)
    make = database.sessions(engine)
    kept: dict[int, SpawnProcess] = {}
    ours = f"{socket.gethostname()}-{secrets.token_hex(4)}"

    def give_back(process: SpawnProcess) -> None:
        with contextlib.suppress(SQLAlchemyError), make.begin() as db:
            queue.free(db, f"{ours}-{process.pid}")

    while not stop.wait(0.2) and os.getppid() == parent:
        for n in range(processes):
            if n in kept and kept[n].is_alive():
                continue
            if n in kept:
                give_back(kept[n])
                time.sleep(1.0)  # one that dies at once is not started a thousand times
            kinds = [k for k in TASKS if k not in LONG or n > 0 or processes == 1]
            kept[n] = spawn.Process(target=_work, args=(url, kinds, ours), daemon=True)
            kept[n].start()
    for process in kept.values():
        process.terminate()
    for process in kept.values():
        process.join(5)
        process.kill()
        give_back(process)
    engine.dispose()


def _work(url: str, kinds: list[str], ours: str) -> None:
    """A worker, gone when its keeper is."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    keeper = os.getppid()

    def watch() -> None:
        while os.getppid() == keeper:
            time.sleep(1)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()
    work(url, kinds, f"{ours}-{os.getpid()}", threading.Event())


@contextmanager
def beside(url: str, processes: int) -> Iterator[None]:
    """Workers beside this process, for as long as it lives; none for 0."""
    if not processes:
        yield
        return
    command = [sys.executable, "-m", "gumboot.background", "--processes", str(processes)]
    env = {**os.environ, "GUMBOOT_DATABASE_URL": url}
    env.pop("PROMETHEUS_MULTIPROC_DIR", None)
    process = subprocess.Popen(command, env=env)  # noqa: S603 - our own module
    try:
        yield
    finally:
        process.terminate()
        process.wait(15)
