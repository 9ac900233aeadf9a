"""What the unit holds against what was planned: read over its wire, explained or mended, written
where that is on; each fault a sentence, nothing lost.
"""

import dataclasses
import re
import socket

import pytest
from sqlalchemy import text

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.demo.plans import JUNIPER_CUT, TERN_HOLLOW
from gumboot.devices import bms_client, menu_client
from gumboot.devices.bms import Running as Bus
from gumboot.devices.bms import chain_of
from gumboot.devices.networks import DeviceFault
from gumboot.devices.unit import Menu, Running
from gumboot.web.stations.set.read_back import OURS
from tests.shapes import other

C6 = catalogue().inverters["marram-c6"]


def free():
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


@pytest.fixture
def wired(new_job):
    """(number of a job, what its simulated unit holds)."""
    port, menu = free(), Menu(C6, 0)
    plan = other(JUNIPER_CUT, linking__unit_at=f"127.0.0.1:{port}")
    with Running([menu], port):
        yield new_job(Plan.model_validate(plan)), menu


@pytest.fixture
def writes(app):
    """Writing is on."""
    before = app.state.config
    app.state.config = dataclasses.replace(before, device_writes=True)
    yield
    app.state.config = before


def table(person, job):
    return {x["id"]: x for x in person.get(f"/jobs/{job}/set/read.json").json()["lines"]}


def planned(person, job):
    rows = person.get(f"/jobs/{job}/set.json").json()["settings"]
    return {s["id"]: s["value"] for s in rows if s["shown"]}


def test_from_the_works_to_as_planned(installer, wired):
    job, menu = wired
    answer = installer.post(f"/jobs/{job}/set/read", {"after": "keying"})
    assert answer.status_code == 303
    rows = table(installer, job)
    assert rows["absorb_v"]["verdict"] == "other" and rows["absorb_v"]["read"] == "56.4 V"
    assert rows["battery_type"]["read_is"] == "lead, sealed" and rows["sleep"]["verdict"] == "same"
    missing = installer.get(f"/jobs/{job}/hand-over.json").json()["missing"]
    assert any("hold another value than planned" in m for m in missing)
    for id, value in planned(installer, job).items():
        if id in menu.values:
            menu.values[id] = value
    menu.values["absorb_v"] = 58.32  # between two steps of its own
    installer.post(f"/jobs/{job}/set/read", {"after": "power-cycle"})
    page = installer.get(f"/jobs/{job}/set/read.json").json()
    assert page["counts"]["other"] == 0 and page["counts"]["not read"] == 0
    assert page["changed"] > 20 and "after a power-cycle" in page["last"]["after"]
    log = installer.get(f"/jobs/{job}/land/log").text
    assert "lines after power-cycle" in log


def test_a_difference_is_explained_with_a_reason_and_only_as_long_as_it_stands(installer, wired):
    job, menu = wired
    for id, value in planned(installer, job).items():
        if id in menu.values:
            menu.values[id] = value
    menu.values["absorb_v"] = 57.0
    installer.post(f"/jobs/{job}/set/read", {"after": "keying"})
    told = installer.post(f"/jobs/{job}/set/explain", {"line": "absorb_v", "note": ""})
    assert told.status_code == 422 and "type why it holds 57" in told.text
    why = "the cells' sheet asks 57.0"
    installer.post(f"/jobs/{job}/set/explain", {"line": "absorb_v", "note": why})
    assert table(installer, job)["absorb_v"]["why"] == why
    missing = installer.get(f"/jobs/{job}/hand-over.json").json()["missing"]
    assert not any("another value than planned" in m for m in missing)
    menu.values["absorb_v"] = 56.0
    installer.post(f"/jobs/{job}/set/read", {"after": "visit"})
    row = table(installer, job)["absorb_v"]
    assert row["why"] == "" and row["before"] == "57.0 V"


def test_a_reading_cut_short_takes_no_difference_away(installer, wired):
    """What the last reading could not read stands as it was read before."""
    job, menu = wired
    installer.post(f"/jobs/{job}/set/read", {"after": "keying"})
    before = table(installer, job)["absorb_v"]
    menu.stopped = True
    told = installer.post(f"/jobs/{job}/set/read", {"after": "power-cycle"})
    assert told.status_code == 502 and "busy: ask again" in told.text
    menu.stopped, menu.gaps = False, [(1010, 1050)]
    installer.post(f"/jobs/{job}/set/read", {"after": "power-cycle"})
    after = table(installer, job)["absorb_v"]
    assert after["verdict"] == before["verdict"] == "other" and after["read"] == "56.4 V"
    assert "no such register" in after["lacking"]
    missing = installer.get(f"/jobs/{job}/hand-over.json").json()["missing"]
    assert any("hold another value than planned" in m for m in missing)


def test_a_reason_lapses_when_another_value_is_planned(planner, wired):
    job, menu = wired
    menu.values["absorb_v"] = 57.0
    planner.post(f"/jobs/{job}/set/read", {"after": "keying"})
    planner.post(f"/jobs/{job}/set/explain", {"line": "absorb_v", "note": "asked by the maker"})
    assert table(planner, job)["absorb_v"]["why"] == "asked by the maker"
    form = planner.get(f"/jobs/{job}/set.json").json()["typed"]
    planner.post(f"/jobs/{job}/set", {**form, "absorb_v": "57.9", "version": "1"})
    assert table(planner, job)["absorb_v"]["why"] == ""


@pytest.mark.parametrize(
    ("change", "after", "says"),
    [
        ({"linking__unit_at": ""}, "keying", "Link, Network"),
        ({"linking__unit_at": "127.0.0.1:9"}, "keying", "does not answer"),
        ({"linking__unit_at": "10.9.9.9:502"}, "keying", "GUMBOOT_DEVICE_NETWORKS"),
        ({"linking__unit_at": "127.0.0.1:9"}, "tomorrow", "Choose when"),
    ],
)
def test_who_cannot_be_asked_is_said(installer, new_job, change, after, says):
    job = new_job(Plan.model_validate(other(JUNIPER_CUT, **change)))
    answer = installer.post(f"/jobs/{job}/set/read", {"after": after})
    assert answer.status_code in (422, 502) and says in answer.text


def test_one_at_a_time(installer, wired, engine):
    job, _ = wired
    with engine.connect() as other_hand, other_hand.begin():
        other_hand.execute(text("select pg_advisory_xact_lock(:a, :b)"), {"a": OURS, "b": job})
        answer = installer.post(f"/jobs/{job}/set/read", {"after": "keying"})
    assert answer.status_code == 422 and "one at a time" in answer.text
    assert installer.post(f"/jobs/{job}/set/read", {"after": "keying"}).status_code == 303


def shown(person, job):
    page = person.get(f"/jobs/{job}/set/read").text
    return re.search(r'name="lines" value="([^"]*)"', page)[1]


def test_writing_is_off_unless_it_is_on(planner, wired):
    job, menu = wired
    planner.post(f"/jobs/{job}/set/read", {"after": "keying"})
    assert "Write what differs" not in planner.get(f"/jobs/{job}/set/read").text
    assert planner.post(f"/jobs/{job}/set/write", {"lines": "x"}).status_code == 403
    assert menu.values["absorb_v"] == 56.4


def test_an_installer_reads_and_does_not_write(installer, wired, writes):
    job, menu = wired
    installer.post(f"/jobs/{job}/set/read", {"after": "keying"})
    assert "Write what differs" not in installer.get(f"/jobs/{job}/set/read").text
    assert installer.post(f"/jobs/{job}/set/write", {"lines": "x"}).status_code == 403
    assert menu.values["absorb_v"] == 56.4


def test_what_differs_is_written_as_it_was_shown_and_read_back(planner, wired, writes):
    job, menu = wired
    planner.post(f"/jobs/{job}/set/read", {"after": "keying"})
    assert planner.post(f"/jobs/{job}/set/write", {"lines": "absorb_v=1"}).status_code == 409
    assert "grid_standard" not in shown(planner, job)
    answer = planner.post(f"/jobs/{job}/set/write", {"lines": shown(planner, job)})
    assert answer.status_code == 303 and menu.values["absorb_v"] == 58.3
    assert planner.get(f"/jobs/{job}/set/read.json").json()["counts"]["other"] == 0
    log = planner.get(f"/jobs/{job}/land/log").text
    assert "lines after writing" in log


def test_it_stops_at_the_first_line_that_does_not_take_and_says_what_was_not_written(
    planner, wired, writes
):
    job, menu = wired
    menu.refuse.add("absorb_v")
    planner.post(f"/jobs/{job}/set/read", {"after": "keying"})
    answer = planner.post(f"/jobs/{job}/set/write", {"lines": shown(planner, job)})
    assert answer.status_code == 502 and "It stopped at Absorption voltage" in answer.text
    assert "after it were not written" in answer.text
    rows = table(planner, job)
    assert rows["absorb_v"]["verdict"] == "other" and rows["charge_a"]["verdict"] == "same"
    assert rows["tail_a"]["verdict"] == "other"


def test_what_took_is_kept_though_the_unit_is_gone_before_it_is_read_again(
    planner, wired, writes, monkeypatch
):
    job, menu = wired
    planner.post(f"/jobs/{job}/set/read", {"after": "keying"})

    def gone(*_):
        raise DeviceFault("inverter 1 stopped answering")

    sent = shown(planner, job)
    monkeypatch.setattr(menu_client, "read_menu", gone)
    planner.post(f"/jobs/{job}/set/write", {"lines": sent})
    assert menu.values["absorb_v"] == 58.3
    rows = table(planner, job)
    assert rows["absorb_v"]["verdict"] == "same" and rows["absorb_v"]["before"] == "56.4 V"
    assert "stopped answering" in rows["alarm"]["lacking"]


def test_what_the_bms_allows_is_heard_and_stands_beside_what_is_set(
    installer, new_job, monkeypatch
):
    """Three packs on a simulated CAN bus: 56.8 V and 300 A to charge with, 46 V and 450 A down."""
    monkeypatch.setattr(bms_client, "LISTEN_S", 0.8)
    chain = chain_of(catalogue().packs["tidewell-14"].dbc, 3)
    with Bus(chain, 0) as bus:
        at = f"127.0.0.1:{bus.server.server_address[1]}"
        job = new_job(Plan.model_validate(other(TERN_HOLLOW, linking__bms_at=at)))
        assert "Hear the packs" in installer.get(f"/jobs/{job}/set/read").text
        assert installer.post(f"/jobs/{job}/set/limits", {}).status_code == 303
    page = installer.get(f"/jobs/{job}/set/read.json").json()
    rows = {x["limit"]: x for x in page["limits"]["rows"]}
    assert rows["charge_volts"]["allows"] == pytest.approx(56.8)
    assert rows["discharge_volts"]["fits"] and rows["charge_limit"]["allows"] == 300
    assert page["lines"] == [], "it is no reading of the unit"
    answer = installer.post(f"/jobs/{job}/set/limits", {})
    assert answer.status_code == 422 and "adapter" in answer.text
