"""Serve: python -m gumboot.web [--host 127.0.0.1] [--port 8000] [--demo]"""

import argparse

import uvicorn

from gumboot.web.app import create_app

parser = argparse.ArgumentParser(prog="gumboot.web")
parser.add_argument("--host", default="127.0.0.1")
parser.add_argument("--port", type=int, default=8000)
parser.add_argument(
    "--demo", action="store_true", help="load the demo jobs first, if the database is empty"
)
arguments = parser.parse_args()
uvicorn.run(
    create_app(demo=arguments.demo),
    host=arguments.host,
    port=arguments.port,
    log_level="warning",
    timeout_graceful_shutdown=3,
)
