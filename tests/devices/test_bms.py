"""The simulated battery bus over slcan, heard by python-can's own slcan; and what is no adapter."""

import socket
import socketserver
import threading
import time

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.link.bms import answered, heard
from gumboot.devices import bms_client
from gumboot.devices.bms import OnRs485, Running, chain_of, wrong
from gumboot.devices.bms_client import ask, listen
from gumboot.devices.networks import DeviceFault

OWN = ("127.0.0.0/8",)
DBC = catalogue().packs["tidewell-14"].dbc


@pytest.fixture(autouse=True)
def quick(monkeypatch):
    monkeypatch.setattr(bms_client, "LISTEN_S", 0.8)
    monkeypatch.setattr(bms_client, "TRY_S", 0.5)


def hear(text=""):
    chain = chain_of(DBC, 3)
    wrong(chain, text)
    with Running(chain, 0) as bus:
        frames, rate = listen(f"127.0.0.1:{bus.server.server_address[1]}", OWN, 500_000)
    return frames, rate


def test_frames_come_over_slcan():
    frames, rate = hear()
    assert rate == 500_000 and len(frames) > 10
    assert heard(frames, DBC, [1, 2, 3]).sound


def test_another_bit_rate_is_found_by_listening():
    frames, rate = hear("rate 250000")
    assert rate == 250_000 and frames


PACK = catalogue().packs["tidewell-14"]


def free():
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


@pytest.mark.parametrize(
    ("text", "heard_at", "words"),
    [
        ("", [1, 2, 3], ""),
        ("silent 3", [1, 2], "No answer from address 3"),
        ("twice 2", [1], "two packs have that address"),
        ("alarm 1", [1, 2, 3], "has an alarm"),
    ],
)
def test_packs_are_asked_over_rs485(text, heard_at, words):
    """By pymodbus' own server, RTU frames over TCP."""
    chain, port = chain_of(DBC, 3), free()
    wrong(chain, text)
    with OnRs485(chain, port):
        packs = ask(f"127.0.0.1:{port}", OWN, PACK.registers, [1, 2, 3])
    found = answered(packs, [1, 2, 3])
    assert [p.address for p in found.packs] == heard_at
    assert found.sound == (not words) and words in " ".join(found.says)
    assert found.packs[0].serial == 417
    assert found.packs[0].values["volts"] == pytest.approx(52.9)
    assert found.packs[0].values["soc"] == pytest.approx(61.5)
    assert found.bank["charge_volts"] == (pytest.approx(56.8), "V")


def test_no_converter_and_no_pack():
    with pytest.raises(DeviceFault, match="converter"):
        ask(f"127.0.0.1:{free()}", OWN, PACK.registers, [1])
    assert not answered([], [1]).sound and "Nothing is heard" in answered([], [1]).says[0]


class Odd(socketserver.BaseRequestHandler):
    """What is no adapter."""

    def handle(self):
        try:
            if self.server.manner == "closes":
                return
            for _ in range(200):
                self.request.sendall(b"t7FF8zzzz\rT0\rHTTP/1.1 200 OK\r\n\r")
                time.sleep(0.01)
        except OSError:
            return


@pytest.mark.parametrize("manner", ["closes", "babbles"])
def test_what_is_no_adapter_is_said_and_does_not_hang(manner):
    server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), Odd)
    server.daemon_threads, server.manner = True, manner
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        try:
            frames, _ = listen(f"127.0.0.1:{server.server_address[1]}", OWN, 500_000)
            assert not heard(frames, DBC, [1]).sound
        except DeviceFault as exc:
            assert "CAN adapter" in str(exc)
    finally:
        server.shutdown()
        server.server_close()


def test_nobody_there():
    with pytest.raises(DeviceFault, match="does not answer"):
        listen("127.0.0.1:1", OWN, 500_000)
