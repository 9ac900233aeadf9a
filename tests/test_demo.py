"""script/demo as a person runs it: in a terminal, stopped by Ctrl-C, started again, reset."""

import os
import pty
import re
import select
import signal
import subprocess
import tempfile
import time
from pathlib import Path

import httpx
import pytest

from gumboot.demo import scenario
from tests.conftest import ROOT

pytestmark = pytest.mark.long


class Terminal:
    """script/demo on a terminal of its own."""

    def __init__(self, home: str, *arguments: str) -> None:
        self.pid, self.fd = pty.fork()
        if self.pid == 0:
            signal.signal(signal.SIGINT, signal.SIG_DFL)  # a run in the background ignores it
            os.environ.update(GUMBOOT_HOME=home, GUMBOOT_PORT="0")
            os.environ.pop("GUMBOOT_DATABASE_URL", None)
            os.execv(ROOT / "script/demo", ["script/demo", *arguments])
        self.said = ""
        self.status: int | None = None

    def hear(self, wanted: str, seconds: float) -> str:
        until = time.monotonic() + seconds
        while not re.search(wanted, self.said):
            assert time.monotonic() < until, self.said
            if select.select([self.fd], [], [], 0.2)[0]:
                try:
                    self.said += os.read(self.fd, 4096).decode()
                except OSError:  # the terminal closed
                    break
        found = re.search(wanted, self.said)
        assert found, self.said
        return found[0]

    def address(self) -> str:
        """Said once it answers; the first start makes the demo's jobs, on a machine with much else
        to do.
        """
        self.hear("Stop .*Ctrl-C", seconds=600)
        address = re.search(r"http://127\.0\.0\.1:\d+", self.said)[0]
        assert "Sign in" in httpx.get(f"{address}/sign-in", timeout=120).text
        return address

    def ctrl_c(self) -> None:
        os.write(self.fd, b"\x03")
        until = time.monotonic() + 120
        while os.waitpid(self.pid, os.WNOHANG)[0] == 0:
            assert time.monotonic() < until, "Ctrl-C did not stop it"
            if select.select([self.fd], [], [], 0.1)[0]:
                try:
                    os.read(self.fd, 4096)
                except OSError:
                    time.sleep(0.1)


def left_over(home: str) -> list[str]:
    """Processes that still belong to a demo's folder."""
    out = []
    for p in Path("/proc").glob("[0-9]*"):
        try:
            line, cwd = (
                (p / "cmdline").read_bytes().decode().replace("\0", " "),
                os.readlink(p / "cwd"),
            )
        except OSError:
            continue
        if home in line or cwd.startswith(home):
            out.append(line)
    return out


@pytest.mark.long
@pytest.mark.xdist_group("killed")
def test_start_stop_start_again_and_reset():
    home = tempfile.mkdtemp(prefix="gumboot-demo-")
    Path(home).chmod(0o755)
    try:
        first = Terminal(home)
        address = first.address()
        http = httpx.Client(base_url=address)
        assert (
            http.post(
                "/sign-in", data={"email": "planner@demo.example", "password": scenario.PASSWORD}
            ).status_code
            == 303
        )
        csrf = http.get("/wrenches").text.split('name="csrf" value="')[1].split('"')[0]
        http.post(
            "/wrenches",
            data={
                "csrf": csrf,
                "name": "kept",
                "serial": "K1",
                "least": "1",
                "most": "6",
                "calibrated_until": "2030-01-01",
            },
        )
        second = subprocess.run(
            [ROOT / "script/demo"],
            env={**os.environ, "GUMBOOT_HOME": home},
            capture_output=True,
            text=True,
        )
        assert second.returncode == 1 and "running already" in second.stderr
        first.ctrl_c()
        assert left_over(home) == []
        with pytest.raises(httpx.TransportError):
            httpx.get(address)
        for arguments, kept in (((), True), (("--reset",), False)):
            again = Terminal(home, *arguments)
            http = httpx.Client(base_url=again.address())
            http.post(
                "/sign-in", data={"email": "planner@demo.example", "password": scenario.PASSWORD}
            )
            assert (
                "kept" in {w["name"] for w in http.get("/wrenches.json").json()["wrenches"]}
            ) == kept
            again.ctrl_c()
        assert left_over(home) == []
    finally:
        for line in left_over(home):
            print("left over:", line)
        subprocess.run(["pkill", "-f", home], check=False)
        subprocess.run(["rm", "-rf", home], check=False)


def test_a_missing_package_is_named_with_its_command():
    """As somebody without rights: no root, no sudo."""
    probe = (
        "id() { echo 1000; }; sudo() { return 1; }; . script/lib.sh; need_packages"
        " no-such-package-of-ours"
    )
    ran = subprocess.run(["bash", "-c", probe], cwd=ROOT, capture_output=True, text=True)
    assert ran.returncode == 1
    assert (
        "Missing: no-such-package-of-ours" in ran.stderr
        and "sudo apt-get install no-such-package-of-ours" in ran.stderr
    )
