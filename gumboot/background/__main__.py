"""Workers: python -m gumboot.background [--processes 2]"""

import argparse
import os
import signal
import sys
import threading

from gumboot.background.keeper import keep
from gumboot.store import database


def main() -> None:
    """Read the command line and keep workers until told to stop."""
    parser = argparse.ArgumentParser(prog="gumboot.background")
    parser.add_argument("--processes", type=int, default=2, help="workers on this machine")
    asked, stop = parser.parse_args(), threading.Event()
    url = os.environ.get("GUMBOOT_DATABASE_URL", "")
    for said in (signal.SIGTERM, signal.SIGINT):
        signal.signal(said, lambda *_: stop.set())
    if not url:
        sys.exit("GUMBOOT_DATABASE_URL is not set: give the URL of the database web serves from.")
    database.refuse_unsafe_role(database.connect(url))
    keep(url, asked.processes, stop)


if __name__ == "__main__":
    main()
