"""What whoever runs the server sees: one line of JSON a request, with its number and no personal
data, and counters for Prometheus.
"""

from __future__ import annotations

import ipaddress
import json
import logging
import os
import secrets
import time
from collections.abc import Awaitable, Callable, Sequence
from datetime import UTC, datetime
from typing import Any

from prometheus_client import (
    CONTENT_TYPE_LATEST,
    REGISTRY,
    CollectorRegistry,
    Counter,
    Gauge,
    Histogram,
    generate_latest,
)
from prometheus_client.multiprocess import MultiProcessCollector

SLOW_S = 2.0
requests = Counter("gumboot_requests", "Requests answered", ("route", "status"))
seconds = Histogram(
    "gumboot_request_seconds",
    "How long an answer took",
    ("route",),
    buckets=(0.01, 0.03, 0.1, 0.3, 1, 3, 10, 30),
)
busy = Gauge("gumboot_busy", "Requests under way", multiprocess_mode="livesum")
access = logging.getLogger("gumboot.access")


class JsonLines(logging.Formatter):
    """A record as one line of JSON."""

    def format(self, record: logging.LogRecord) -> str:
        """The line."""
        said = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "says": record.getMessage(),
            **getattr(record, "more", {}),
        }
        if record.exc_info:
            said["trace"] = self.formatException(record.exc_info)
        return json.dumps(said, ensure_ascii=False)


def to_stdout() -> None:
    """Have everything that is logged go out as lines of JSON."""
    handler = logging.StreamHandler()
    handler.setFormatter(JsonLines())
    root = logging.getLogger()
    root.handlers[:] = [handler]
    logging.getLogger("gumboot").setLevel(logging.INFO)


def metrics() -> tuple[bytes, str]:
    """(the counters as Prometheus reads them, their media type), of all processes together."""
    registry = REGISTRY
    if os.environ.get("PROMETHEUS_MULTIPROC_DIR"):
        registry = CollectorRegistry()
        MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    return generate_latest(registry), CONTENT_TYPE_LATEST


def may_watch(address: str, networks: Sequence[str]) -> bool:
    """Whether an address may read the counters."""
    try:
        ip = ipaddress.ip_address(address)
    except ValueError:
        return False
    return any(ip in ipaddress.ip_network(n) for n in networks)


class Watched:
    """Counts and times every request, gives it a number, and says so in the log; a slow one with
    the size of the plan it was about, in circuits.
    """

    def __init__(self, app: Any) -> None:
        self.app = app

    async def __call__(
        self,
        scope: dict[str, Any],
        receive: Callable[[], Awaitable[Any]],
        send: Callable[[Any], Awaitable[None]],
    ) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        number, began, status = secrets.token_hex(6), time.perf_counter(), 500
        scope.setdefault("state", {})["number"] = number

        async def noted(message: Any) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                message["headers"] = [*message["headers"], (b"x-request-id", number.encode())]
            await send(message)

        busy.inc()
        try:
            await self.app(scope, receive, noted)
        finally:
            busy.dec()
            took = time.perf_counter() - began
            route = getattr(scope.get("route"), "path", "") or "other"
            requests.labels(route, f"{status // 100}xx").inc()
            seconds.labels(route).observe(took)
            if not scope["path"].startswith("/static/"):
                self._say(scope, number, route, status, took)

    def _say(
        self, scope: dict[str, Any], number: str, route: str, status: int, took: float
    ) -> None:
        state = scope.get("state", {})
        more = {
            "request": number,
            "method": scope["method"],
            "route": route,
            "status": status,
            "ms": round(1000 * took, 1),
            **{k: state[k] for k in ("crew", "person", "job") if k in state},
        }
        slow = took > SLOW_S
        if slow and "circuits" in state:
            more["circuits"] = state["circuits"]
        access.log(
            logging.WARNING if slow else logging.INFO,
            "slow request" if slow else "request",
            extra={"more": more},
        )
