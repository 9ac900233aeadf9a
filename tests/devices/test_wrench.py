"""The simulated wrench over its real protocol, and the client's manners toward what is no
wrench.
"""

import json
import socket
import socketserver
import threading
from contextlib import contextmanager

import pytest

from gumboot.devices.wrench import Memory, Server
from gumboot.devices.wrench_client import WrenchFault, ask, reach, recorded, set_target

OWN = ("127.0.0.0/8",)


@contextmanager
def serving(server):
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield f"127.0.0.1:{server.server_address[1]}"
    finally:
        server.shutdown()
        server.server_close()


@pytest.fixture
def wrench():
    with serving(Server(0, Memory("MT-9"))) as address:
        yield address


def test_set_pull_and_fetch(wrench):
    set_target(wrench, OWN, 12.0, "C9 INVERTER 1 BAT +")
    for _ in range(5):
        ask(wrench, OWN, {"ask": "pull"})
    ask(wrench, OWN, {"ask": "set", "torque": 35, "unit": "in-lb"})
    ask(wrench, OWN, {"ask": "pull"})
    rows = recorded(wrench, OWN)
    assert [r.n for r in rows] == [1, 2, 3, 4, 5, 6] and {r.serial for r in rows} == {"MT-9"}
    assert all(
        abs(r.torque_nm / 12 - 1) < 0.06 and r.label == "C9 INVERTER 1 BAT +" for r in rows[:5]
    )
    assert rows[5].torque_nm == pytest.approx(35 / 8.850746, rel=0.06)
    assert [r.n for r in recorded(wrench, OWN, after=4)] == [5, 6]


@pytest.mark.parametrize(
    "line",
    [
        b"nonsense\n",
        b"{}\n",
        b'{"ask": "fly"}\n',
        b'{"ask": "set", "torque": 5, "unit": "V"}\n',
        b'{"ask": "set", "torque": -5, "unit": "N\xc2\xb7m"}\n',
        b"\xff\xfe\n",
        b"[1]\n",
    ],
)
def test_what_it_does_not_understand_it_says(wrench, line):
    host, port = wrench.split(":")
    with socket.create_connection((host, int(port)), timeout=5) as s:
        s.sendall(line + b'{"ask": "who"}\n')
        lines = s.makefile("rb")
        assert (
            "error" in json.loads(lines.readline())
            and json.loads(lines.readline())["serial"] == "MT-9"
        )


def test_many_hands_pull_at_once(wrench):
    threads = [threading.Thread(target=ask, args=(wrench, OWN, {"ask": "pull"})) for _ in range(20)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert sorted(r.n for r in recorded(wrench, OWN)) == list(range(1, 21))


@pytest.mark.parametrize(
    "says",
    [
        b"HTTP/1.1 200 OK\r\n\r\n",
        b'{"n": 1}\n',
        b"[]\n",
        b"",
        b'{"n": "x", "torque": 1, "unit": "N\xc2\xb7m"}\n{"end": 1}\n',
    ],
)
def test_what_is_no_wrench_is_told_so(says):
    class Other(socketserver.StreamRequestHandler):
        def handle(self):
            self.rfile.readline()
            self.wfile.write(says)

    with (
        serving(socketserver.ThreadingTCPServer(("127.0.0.1", 0), Other)) as address,
        pytest.raises(WrenchFault),
    ):
        recorded(address, OWN)


@pytest.mark.parametrize(
    ("address", "words"),
    [
        ("127.0.0.1:1", "does not answer"),
        ("8.8.8.8:7788", "not on a network"),
        ("", "no address"),
        ("x:y", "no address"),
        ("127.0.0.1:99999", "no address|does not answer"),
    ],
)
def test_where_it_does_not_go(address, words):
    with pytest.raises(WrenchFault, match=words):
        recorded(address, OWN)


def test_networks_are_as_named():
    assert reach("127.0.0.1:7788", OWN) == ("127.0.0.1", 7788)
    with pytest.raises(WrenchFault):
        reach("127.0.0.1:7788", ())
