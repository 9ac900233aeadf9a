"""The real server as its own process, and headless Chromium driving it."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator

import httpx
import pytest
from playwright.sync_api import Browser, Page, sync_playwright

from gumboot.demo import scenario
from tests.conftest import ROOT

ARGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
# What a worker makes (a year, a book) comes within this on a machine busy with four tests: ms.
MADE = 300_000


class Server:
    """`python -m gumboot.web` on a database, to be started, killed and started again."""

    def __init__(self, url: str) -> None:
        self.url = url
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.port = s.getsockname()[1]
        self.address = f"http://127.0.0.1:{self.port}"
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "gumboot.web", "--demo", "--port", str(self.port)],
            cwd=ROOT,
            env={**os.environ, "GUMBOOT_DATABASE_URL": self.url, "PYTHONPATH": str(ROOT)},
        )
        for _ in range(1200):
            try:
                httpx.get(f"{self.address}/healthz")
                return
            except httpx.TransportError:
                time.sleep(0.1)
        raise RuntimeError("the server did not answer within 120 s")

    def kill(self) -> None:
        """SIGKILL: no handler runs, nothing is flushed."""
        assert self.process
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()


def kept_here(page: Page, path: str) -> None:
    """Waits until a field page is kept on this device. (A wait for a function takes a promise for
    a yes, whatever it comes to.)
    """
    page.evaluate(
        "async (u) => { while (!(await caches.match(u)))"
        " await new Promise((y) => setTimeout(y, 50)); }",
        page.evaluate("location.origin") + path,
    )


def printed(page: Page, path: str) -> bytes:
    """A PDF as a person comes to it: a page waits for it, and opens it when it is there."""
    with page.expect_response(
        lambda r: r.headers.get("content-type") == "application/pdf", timeout=MADE
    ) as found:
        asked = page.goto(path)
        assert asked and asked.status == 202, "a page that waits, which may be gone by now"
    return page.request.get(found.value.url).body()


@pytest.fixture(scope="session")
def server(demo_database: Callable[[str], str]) -> Iterator[Server]:
    made = Server(demo_database("browser"))
    made.start()
    yield made
    made.kill()


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=ARGS)
        yield browser
        browser.close()


@pytest.fixture
def visit(server: Server, chromium: Browser) -> Iterator[Callable[..., Page]]:
    """Opens a fresh profile signed in as a role; any fault on the console or a broken policy fails
    the test.
    """
    faults: list[str] = []
    contexts = []

    def sign_in(
        role: str = "supervisor",
        width: int = 1280,
        height: int = 800,
        no_signal: bool = False,
        **kwargs: object,
    ) -> Page:
        """no_signal: the test takes the network away or answers in the server's place, and the
        browser may say so on its console.
        """
        context = chromium.new_context(
            viewport={"width": width, "height": height}, base_url=server.address, **kwargs
        )  # type: ignore[arg-type]
        context.set_default_timeout(
            30_000 if no_signal else 90_000
        )  # a machine that does other things besides is slow, not wrong
        contexts.append(context)
        page = context.new_page()
        page.on("pageerror", lambda e: faults.append(str(e)))
        page.on(
            "console",
            lambda m: (
                faults.append(m.text)
                if m.type == "error"
                and "status of 4" not in m.text
                and not (no_signal and ("net::ERR" in m.text or "status of 500" in m.text))
                else None
            ),
        )
        page.goto("/sign-in")
        page.get_by_label("E-mail").fill(f"{role}@demo.example")
        page.get_by_label("Password").fill(scenario.PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        page.wait_for_url("**/jobs")
        return page

    yield sign_in
    for context in contexts:
        context.close()
    assert faults == []
