"""Serve: python -m gumboot.web [--host 127.0.0.1] [--port 8000] [--processes 1] [--workers 2]
[--demo]
"""

import argparse
import os
import tempfile

import uvicorn

from gumboot.background.keeper import beside
from gumboot.store import database
from gumboot.web.app import create_app
from gumboot.web.config import Config
from gumboot.web.people.first_start import new_code


def first_start(config: Config) -> None:
    """Bring the tables to the newest shape, and print the code of an empty database."""
    engine = database.ready(config.database_url, config.owner_url)
    code = new_code(database.sessions(engine))
    engine.dispose()
    if code:
        print(f"\n  Nobody is here yet. One-time code for the first start:  {code}\n", flush=True)


def main() -> None:
    """Read the command line and serve until told to stop."""
    parser = argparse.ArgumentParser(prog="gumboot.web")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8000)
    parser.add_argument("--processes", type=int, default=1, help="web processes on this port")
    parser.add_argument(
        "--demo", action="store_true", help="load the demo jobs first, if the database is empty"
    )
    parser.add_argument(
        "--workers", type=int, default=2, help="processes for long computations beside it"
    )
    asked, config = parser.parse_args(), Config()
    if not asked.demo:
        first_start(config)
    options = {
        "host": asked.host,
        "port": asked.port,
        "log_level": "warning",
        "timeout_graceful_shutdown": 3,
        "proxy_headers": bool(config.proxies),
        "forwarded_allow_ips": config.proxies or None,
    }
    with beside(config.database_url, asked.workers):
        if asked.processes > 1:
            with tempfile.TemporaryDirectory(prefix="gumboot-metrics-") as folder:
                os.environ["PROMETHEUS_MULTIPROC_DIR"] = folder  # of all processes together
                app = "gumboot.web.app:create_app"
                uvicorn.run(app, factory=True, workers=asked.processes, **options)
        else:
            uvicorn.run(create_app(config, demo=asked.demo), **options)


if __name__ == "__main__":
    main()
