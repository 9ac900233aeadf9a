"""The simulated meter over Modbus, by pymodbus' own client and server; and the client's manners
toward what is late, half, or no meter.
"""

import contextlib
import math
import socket
import socketserver
import struct
import threading
import time

import pytest

from gumboot.core.kit.meter import Meter
from gumboot.core.kit.register import MeterRegister as Register
from gumboot.core.plan.linking import Linking
from gumboot.devices import meter_client
from gumboot.devices.meter import House, Running, wired
from gumboot.devices.meter_client import looks, switch_house, value_of
from gumboot.devices.networks import DeviceFault, reach

OWN = ("127.0.0.0/8",)


def free():
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


@pytest.fixture(autouse=True)
def quick(monkeypatch):
    monkeypatch.setattr(meter_client, "BETWEEN_S", 0.05)
    monkeypatch.setattr(meter_client, "WAIT_S", 0.5)


@pytest.mark.parametrize("framing", ["tcp", "rtu"])
def test_a_step_is_seen_over_both_framings(framing):
    tcp, rtu = free(), free()
    house = House(noise_w=5.0, lag_s=0.2)
    house.wiring = wired(house, "1 turned")
    with Running(house, tcp, rtu):
        at = Linking(
            meter_at=f"127.0.0.1:{tcp if framing == 'tcp' else rtu}", meter_framing=framing
        )
        before, _ = looks(at, None, 2, OWN)
        switch_house(at, OWN, "house", (1.0, 0.0), 1800)
        time.sleep(1.0)
        after, _ = looks(at, None, 2, OWN)
        assert after[0] - before[0] == pytest.approx(-1800, abs=60), "turned round"
        assert after[1] - before[1] == pytest.approx(0, abs=60)
        switch_house(at, OWN, "house", (1.0, 0.0), 0)
        time.sleep(1.0)
        assert looks(at, None, 2, OWN)[0][0] == pytest.approx(before[0], abs=60)


def test_every_way_of_being_wrong_can_be_asked_for():
    house = House("three-phase 400/230 V")
    for text in ("2 turned", "3 nowhere", "1 at inverter", "exchange 1 3", "taps L1 L2", "ratio 2"):
        assert wired(house, text) != wired(house, "")
    with pytest.raises(ValueError, match="nothing that can be wrong"):
        wired(house, "upside down")


@pytest.mark.parametrize(
    ("kind", "packed", "scale", "value"),
    [
        ("float32", struct.pack(">f", -512.5), 1.0, -512.5),
        ("int16", struct.pack(">h", -300), 10.0, -3000.0),
        ("uint32", struct.pack(">I", 70_000), 0.1, 7000.0),
        ("float32", struct.pack(">f", math.nan), 1.0, None),
        ("float32", struct.pack(">f", math.inf), 1.0, None),
        ("float32", struct.pack(">f", 1e30), 1.0, None),
    ],
)
def test_registers_are_read_as_the_sheet_says(kind, packed, scale, value):
    words = struct.unpack(f">{len(packed) // 2}H", packed)
    found = value_of(words, Register(shows="power 1", number=0, type=kind, scale=scale))
    assert found == (None if value is None else pytest.approx(value))


def test_a_register_that_is_not_there_is_named():
    port = free()
    meter = Meter.model_validate(
        {
            "kind": "meter",
            "id": "m",
            "maker": "Fenwright",
            "model": "M",
            "lines": 1,
            "registers": [{"shows": "power 1", "number": 40_000}],
        }
    )
    at = Linking(meter_at=f"127.0.0.1:{port}")
    with Running(House(), port), pytest.raises(DeviceFault, match="no register 40000"):
        looks(at, meter, 1, OWN)


class Odd(socketserver.BaseRequestHandler):
    """Answers as no meter does."""

    def handle(self):
        manner = self.server.manner
        if manner == "closes":
            return
        try:
            while asked := self.request.recv(256):
                if manner == "half":
                    self.request.sendall(asked[:5])
                    return
                if manner == "twice":
                    answer = asked[:4] + b"\x00\x07" + asked[6:8] + b"\x04" + struct.pack(">f", 7.0)
                    self.request.sendall(answer + answer)
                elif manner == "garbage":
                    self.request.sendall(b"\xff" * 40)
                elif manner == "late":
                    time.sleep(3)
        except OSError:
            return


@pytest.mark.parametrize("manner", ["closes", "half", "garbage", "late"])
def test_what_answers_badly_is_said_and_does_not_hang(manner):
    server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), Odd)
    server.daemon_threads, server.manner = True, manner
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        with pytest.raises(DeviceFault):
            looks(Linking(meter_at=f"127.0.0.1:{server.server_address[1]}"), None, 2, OWN)
    finally:
        server.shutdown()
        server.server_close()


def test_an_answer_that_comes_twice_is_one_answer():
    server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), Odd)
    server.daemon_threads, server.manner = True, "twice"
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        at = Linking(meter_at=f"127.0.0.1:{server.server_address[1]}")
        with contextlib.suppress(DeviceFault):  # it may be said; never a wrong figure
            assert looks(at, None, 1, OWN)[0] == [7.0]
    finally:
        server.shutdown()
        server.server_close()


def test_only_own_networks_are_reached(monkeypatch):
    with pytest.raises(DeviceFault, match="GUMBOOT_DEVICE_NETWORKS"):
        reach("192.0.2.7:502", OWN, "meter")
    with pytest.raises(DeviceFault, match="no address of a meter"):
        reach("nowhere", OWN, "meter")
    with pytest.raises(DeviceFault, match="does not answer"):
        looks(Linking(meter_at=f"127.0.0.1:{free()}"), None, 1, OWN)


def test_the_setting_has_one_name_and_its_old_one_is_read(monkeypatch):
    from gumboot.web.config import Config

    monkeypatch.setenv("GUMBOOT_WRENCH_NETWORKS", "10.1.0.0/16")
    assert Config().device_networks == ("10.1.0.0/16",)
    monkeypatch.setenv("GUMBOOT_DEVICE_NETWORKS", "10.2.0.0/16, 10.3.0.0/16")
    assert Config().device_networks == ("10.2.0.0/16", "10.3.0.0/16")
