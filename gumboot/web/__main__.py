"""Serve: python -m gumboot.web [--host 127.0.0.1] [--port 8000]"""

import argparse

import uvicorn

from gumboot.web.app import create_app

parser = argparse.ArgumentParser(prog="gumboot.web")
parser.add_argument("--host", default="127.0.0.1")
parser.add_argument("--port", type=int, default=8000)
arguments = parser.parse_args()
uvicorn.run(create_app(), host=arguments.host, port=arguments.port, log_level="warning", timeout_graceful_shutdown=3)
