"""Cut list, labels, placards, recorded readings, log and return, as a crew gets them; read back by
other libraries.
"""

import csv
import io
import json
import re
import threading
import uuid
from datetime import UTC, datetime, timedelta

import icalendar
import pdfplumber
import pytest
import zxingcpp

from gumboot.catalogue import catalogue
from gumboot.devices.wrench import Memory, Server
from gumboot.devices.wrench_client import ask
from gumboot.store import records
from gumboot.store.database import see_crew
from gumboot.web.pages.frame import clock
from tests.conftest import altered

TERMINATION = "factory.dc-link-1@inverter-1"


def rows_of(text):
    return list(csv.DictReader(io.StringIO(text)))


def test_the_cut_list_and_its_labels_come_in_one_order(planner, new_job, heron):
    job = new_job(heron)
    cut = rows_of(planner.get(f"/jobs/{job}/land/cut.csv").text)
    data = planner.get(f"/jobs/{job}/land/cut.json").json()
    assert len(cut) == sum(len(r["pieces"]) for lot in data["lots"] for r in lot["reels"])
    labels = rows_of(planner.get(f"/jobs/{job}/land/labels.csv").text)
    ends = [
        e["label"]
        for lot in data["lots"]
        for r in lot["reels"]
        for p in r["pieces"]
        for e in p["ends"]
    ]
    keys = [
        e["key"]
        for lot in data["lots"]
        for r in lot["reels"]
        for p in r["pieces"]
        for e in p["ends"]
    ]
    assert [x["termination"] for x in labels][: len(keys)] == keys and len(ends) == len(keys)
    landed = [
        x["termination"]
        for x in rows_of(planner.get(f"/jobs/{job}/land/labels.csv?order=land").text)
    ]
    assert sorted(landed) == sorted(x["termination"] for x in labels) and landed != [
        x["termination"] for x in labels
    ]
    for x in labels:
        assert (
            x["qr"].startswith("http://testserver/jobs/")
            and planner.get(x["qr"].removeprefix("http://testserver")).status_code == 200
        )
        break


def test_remnants_are_cut_first(planner, new_job, heron):
    job = new_job(heron)
    kinds = planner.get(f"/jobs/{job}/land/cut.json").json()["kinds"]
    a, b, c, _ = next(k for k in kinds if k[2] == "black")
    before = next(
        x
        for x in planner.get(f"/jobs/{job}/land/cut.json").json()["lots"]
        if (x["cable_id"], x["size"], x["colour"]) == (a, b, c)
    )
    bad = planner.post(
        f"/jobs/{job}/land/cut/remnant", {"version": "1", "kind": f"{a}|{b}|{c}", "length": "long"}
    )
    assert (
        bad.status_code == 422
        and "type a number and unit" in bad.text
        and 'value="long"' in bad.text
    )
    assert (
        planner.post(
            f"/jobs/{job}/land/cut/remnant",
            {"version": "1", "kind": f"{a}|{b}|{c}", "length": "150 ft"},
        ).status_code
        == 303
    )
    after = next(
        x
        for x in planner.get(f"/jobs/{job}/land/cut.json").json()["lots"]
        if (x["cable_id"], x["size"], x["colour"]) == (a, b, c)
    )
    assert after["bought_m"] < before["bought_m"] and any(
        not r["bought"] and r["length_m"] == 45.72 for r in after["reels"]
    )
    assert (
        planner.post(f"/jobs/{job}/land/cut/remnant", {"version": "2", "off": "0"}).status_code
        == 303
    )
    assert planner.get(f"/jobs/{job}/land/cut.json").json()["remnants"] == []


def test_the_crews_store_is_cut_first_in_every_job(member, make, crew, heron):
    """A reel put into the store from one job serves another, and buys less there too."""
    planner, ids = member("planner"), []
    for _ in range(2):
        with make.begin() as db:
            see_crew(db, crew[0])
            ids.append(records.create_job(db, crew[0], heron, "x").id)
    one, two = (f"/jobs/{i}/land/cut" for i in ids)
    a, b, c, _ = next(k for k in planner.get(f"{one}.json").json()["kinds"] if k[2] == "black")

    def bought(at):
        lots = planner.get(f"{at}.json").json()["lots"]
        return next(
            x["bought_m"] for x in lots if (x["cable_id"], x["size"], x["colour"]) == (a, b, c)
        )

    before = bought(two)
    sent = {"version": "1", "kind": f"{a}|{b}|{c}", "length": "150 ft", "whose": "crew"}
    assert planner.post(f"{one}/remnant", sent).status_code == 303
    assert bought(two) < before and "the crew's store" in planner.get(two).text
    assert planner.get(f"{two}.json").json()["store"][0]["length_m"] == 45.72
    planner.post(f"{two}/remnant", {"version": "1", "off-store": "0"})
    planner.post(f"{two}/remnant", {"version": "1", "off-store": "0"})  # gone already
    assert planner.get(f"{one}.json").json()["store"] == [] and bought(two) == before


def test_both_ends_of_a_piece_are_prepared_at_the_bench(installer, new_job, heron):
    job = new_job(heron)
    for _ in range(2):
        assert (
            installer.post(f"/jobs/{job}/land/cut/prepared", {"piece": "battery-1.+"}).status_code
            == 303
        )
    log = installer.get(f"/jobs/{job}/export.json").json()["log"]
    assert [(e["body"]["act"], e["body"]["termination"].split("@")[0]) for e in log] == [
        ("prepared", "battery-1.+")
    ] * 2


@pytest.mark.parametrize("stock", catalogue().label_stocks, ids=lambda s: s.id)
@pytest.mark.long
def test_label_sheets_are_to_measure(planner, new_job, heron, stock):
    """Every label's first line lies inside its own label, to half a millimetre, at the pitch the
    sheet is sold with.
    """
    job = new_job(heron)
    labels = rows_of(planner.get(f"/jobs/{job}/land/labels.csv").text)
    pdf = planner.get(f"/jobs/{job}/land/labels.pdf?stock={stock.id}&skip=2")
    with pdfplumber.open(io.BytesIO(pdf.content)) as file:
        each = stock.across * stock.down
        assert len(file.pages) == -(-(len(labels) + 2) // each)
        page, mm = file.pages[0], 72 / 25.4
        assert (round(page.width / mm, 1), round(page.height / mm, 1)) == {
            "a4": (210.0, 297.0),
            "letter": (215.9, 279.4),
        }[stock.paper]
        words = page.extract_words()
        for n, x in enumerate(labels[: min(each - 2, 12)], 2):
            left, top = (
                stock.left + (n % stock.across) * stock.pitch_x,
                stock.top + (n // stock.across) * stock.pitch_y,
            )
            inside = [
                w
                for w in words
                if left - 0.5 <= w["x0"] / mm
                and w["x1"] / mm <= left + stock.width + 0.5
                and top - 0.5 <= w["top"] / mm
                and w["bottom"] / mm <= top + (stock.face or stock.height) + 0.5
            ]
            assert x["line1"].split()[0] in [w["text"] for w in inside], (n, x["line1"])
    last = (
        stock.left + (stock.across - 1) * stock.pitch_x + stock.width,
        stock.top + (stock.down - 1) * stock.pitch_y + stock.height,
    )
    assert (
        last[0] <= {"a4": 210.0, "letter": 215.9}[stock.paper]
        and last[1] <= {"a4": 297.0, "letter": 279.4}[stock.paper]
    )


def test_codes_on_a_printed_sheet_are_read_by_another_library(planner, new_job, heron):
    """The sheet as it is printed, at 300 dpi, read by ZXing: every label of the first page opens
    its own termination.
    """
    job = new_job(heron)
    want = [x["qr"] for x in rows_of(planner.get(f"/jobs/{job}/land/labels.csv").text)][:21]
    with pdfplumber.open(
        io.BytesIO(planner.get(f"/jobs/{job}/land/labels.pdf?stock=a4-21").content)
    ) as file:
        picture = file.pages[0].to_image(resolution=300).original.convert("L")
    assert sorted(b.text for b in zxingcpp.read_barcodes(picture)) == sorted(want)


@pytest.mark.parametrize(
    ("job", "texts"),
    [
        (
            "tern",
            [
                "DO NOT RELOCATE THIS OVERCURRENT DEVICE",
                "MAXIMUM DC VOLTAGE 527 V",
                "TURN RAPID SHUTDOWN SWITCH TO THE “OFF” POSITION",
                "ENERGY STORAGE SYSTEM DISCONNECT",
                "POWER TO THIS BUILDING IS ALSO SUPPLIED FROM",
                "OPTIONAL STANDBY POWER SOURCE",
                "FLOATING NEUTRAL",
            ],
        ),
        (
            "saltings",
            [
                "PV DC",
                "DUAL SUPPLY",
                "UNTIL IT IS ISOLATED FROM BOTH MAINS AND ON-SITE SUPPLIES",
                "CANNOT BE SWITCHED OFF AT ITS POSTS",
                "NEUTRAL IS THEN EARTHED BY THE GATEWAY",
                "THEN PROVE DEAD",
            ],
        ),
        ("juniper", ["STAND-ALONE ELECTRIC POWER SYSTEM", "PV SYSTEM DISCONNECT"]),
    ],
)
def test_placards_by_the_jobs_code_with_its_figures(planner, new_job, job, texts, request):
    """NEC 690.13(B), 690.7(D), 690.56(C), 702.7, 705.10, 705.12(B), 706.15(C), 710.10; IEC
    60364-7-712 514, 60364-5-55 551.7. Wordings from memory.
    """
    number = new_job(request.getfixturevalue(job))
    data = planner.get(f"/jobs/{number}/land/labels.json").json()["placards"]
    every = " ".join(line for p in data for line in p["lines"])
    for t in texts:
        assert t in every, t
    with pdfplumber.open(
        io.BytesIO(planner.get(f"/jobs/{number}/land/placards.pdf").content)
    ) as file:
        paper = " ".join((p.extract_text() or "").replace("\n", " ") for p in file.pages)
    assert texts[0] in paper and "from memory" in paper


def test_a_sum_rule_panel_and_one_without_backup(planner, new_job, tern):
    plan = altered(tern, "/backup/loads", "nothing")
    every = {
        p["id"] for p in planner.get(f"/jobs/{new_job(plan)}/land/labels.json").json()["placards"]
    }
    assert "standby" not in every and "bus-120" in every


def test_the_return_is_due_a_day_later_and_goes_into_a_calendar(installer, new_job, heron):
    job = new_job(heron)
    made = datetime.now(UTC) - timedelta(hours=30)
    at = made.isoformat(timespec="milliseconds").replace("+00:00", "Z")
    installer.make_off(job, TERMINATION, "torqued", "marked", typed="5 Nm", at_device=at)
    installer.make_off(job, "factory.dc-link-2@inverter-1", "torqued", "marked", typed="5 Nm")
    page = installer.get(f"/jobs/{job}/land/return.json").json()
    assert [(d["key"], d["over"], d["school"]) for d in page["due"]] == [
        (TERMINATION, True, "look"),
        ("factory.dc-link-2@inverter-1", False, "look"),
    ]
    calendar = icalendar.Calendar.from_ical(installer.get(f"/jobs/{job}/land/return.ics").content)
    event = next(e for e in calendar.walk("VEVENT"))
    last = datetime.fromisoformat(page["due"][-1]["at"])
    assert abs(event["DTSTART"].dt - last) < timedelta(
        minutes=1
    ) and "2 terminations to re-check" in str(event["SUMMARY"])
    assert "witness mark" in str(event["DESCRIPTION"]) and f"/jobs/{job}/land/return" in str(
        event["DESCRIPTION"]
    )
    crew = icalendar.Calendar.from_ical(installer.get("/returns.ics").content)
    assert str(event["UID"]) in {str(e["UID"]) for e in crew.walk("VEVENT")}
    installer.make_off(job, TERMINATION, "re-checked")
    assert [d["key"] for d in installer.get(f"/jobs/{job}/land/return.json").json()["due"]] == [
        "factory.dc-link-2@inverter-1"
    ]


def test_a_device_without_a_clock_breaks_nothing(installer, new_job, heron):
    job = new_job(heron)
    installer.make_off(
        job, TERMINATION, "torqued", "marked", typed="5 Nm", at_device="half past nine"
    )
    assert (
        installer.get(f"/jobs/{job}/land/return").status_code == 200
        and len(installer.get(f"/jobs/{job}/land/return.json").json()["due"]) == 1
    )


@pytest.mark.parametrize(
    ("at", "zone", "shown"),
    [
        (
            "2026-07-01T12:00:00.5Z",
            "America/Chicago",
            "2026-07-01 07:00",
        ),  # five hours behind in summer, six in winter (IANA)
        ("2026-12-01T12:00:00+00:00", "America/Chicago", "2026-12-01 06:00"),
        ("2026-07-01T23:30:00+00:00", "Asia/Kolkata", "2026-07-02 05:00"),
        ("2026-07-01T12:00:00+02:00", None, "2026-07-01 10:00"),
        ("2026-07-01T12:00", "America/Chicago", "2026-07-01T12:00"),
        ("noon", None, "noon"),
        ("", None, ""),
        ("0001-01-01T00:00:00+14:00", None, "0001-01-01T00:00:00+14:00"),
    ],
)
def test_times_by_the_clock_on_the_wall(at, zone, shown):
    assert clock(at, zone) == shown


def test_the_return_is_told_by_the_clock_at_the_site(installer, new_job, heron):
    job = new_job(altered(heron, "/site/zone", "America/Chicago"))
    installer.log(
        job,
        {
            "uuid": str(uuid.uuid4()),
            "kind": "termination",
            "key": "dead@inverter-1",
            "act": "proven",
            "at_device": "2026-11-20T03:15:00Z",
        },
    )
    text = installer.get(f"/jobs/{job}/land/log").text
    assert "2026-11-19 21:15" in text and "America/Chicago" in text
    assert (
        installer.get(f"/jobs/{job}/land/log.json").json()["entries"][0]["at_device"]
        == "2026-11-20T03:15:00Z"
    )


def test_drift_between_two_readings(installer, new_job, heron):
    job, key = new_job(heron), "battery-1.+@inverter-1"
    installer.make_off(job, key, "prepared", "landed")
    installer.make_off(job, key, "torqued", typed="12.2 Nm", wrench="middle wrench")
    installer.make_off(job, key, "tugged", "marked")
    installer.make_off(job, key, "torqued", typed="11.6 Nm", wrench="middle wrench", again=True)
    page = installer.get(f"/jobs/{job}/land/return.json").json()
    assert (
        page["drift"][0]["key"] == key
        and page["drift"][0]["share"] == pytest.approx(-0.6 / 12.2)
        and page["rechecked"] == 1
    )
    assert "−4.9 %" in installer.get(f"/jobs/{job}/land/return").text


def test_the_log_is_paged_filtered_and_told_broken(installer, supervisor, new_job, heron, engine):
    from sqlalchemy import create_engine, text

    job = new_job(heron)
    for _ in range(3):
        installer.log(
            job,
            *(
                {"key": TERMINATION, "act": "torqued", "typed": "5 Nm", "wrench": "1"}
                for _ in range(50)
            ),
        )
    installer.make_off(job, "dead@inverter-1", "proven")
    first = installer.get(f"/jobs/{job}/land/log.json").json()
    assert len(first["entries"]) == 100 and first["total"] == first["entries"][0]["seq"] == 151
    second = installer.get(f"/jobs/{job}/land/log.json", params={"before": first["older"]}).json()
    assert [e["seq"] for e in first["entries"] + second["entries"]] == list(
        range(151, 0, -1)
    ) and second["older"] is None
    of_termination = installer.get(
        f"/jobs/{job}/land/log.json", params={"termination": "dead@inverter-1"}
    ).json()["entries"]
    assert [e["says"] for e in of_termination] == ["proven"]
    assert (
        installer.get(f"/jobs/{job}/land/log.json", params={"who": "nobody"}).json()["entries"]
        == []
    )
    assert len(rows_of(installer.get(f"/jobs/{job}/land/log.csv").text)) == 151
    assert "The chain holds: 151 entries" in installer.get(f"/jobs/{job}/land/chain").text
    owner = create_engine(engine.url)
    with owner.begin() as raw:  # someone with the owner's rights, and intent
        raw.execute(
            text(
                "select set_config('gumboot.crew', (select crew_id::text from person where email ="
                " 'installer@demo.example'), true)"
            )
        )
        raw.execute(text("alter table log_entry disable trigger kept"))
        raw.execute(
            text(
                "update log_entry set body = replace(body, '5 Nm', '6 Nm') where job_id = :i and"
                " seq = 77"
            ),
            {"i": job},
        )
        raw.execute(text("alter table log_entry enable trigger kept"))
    owner.dispose()
    assert "The chain is broken at entry 77" in installer.get(f"/jobs/{job}/land/chain").text
    assert installer.get(f"/jobs/{job}/land/chain.json").json()["first_broken"] == 77


def upload(person, job, text):
    return person.post(
        f"/jobs/{job}/land/readings", {}, files={"file": ("r.csv", text.encode(), "text/csv")}
    )


def keep(person, job, page, **more):
    fields = {
        "rows": (
            re.search(r'name="rows" value="([^"]*)"', page)[1]
            .replace("&#34;", '"')
            .replace("&amp;", "&")
        ),
        "source": "file",
    }
    for m in re.finditer(
        r'<select id="termination-\d+" name="(termination\.\d+)".*?</select>', page, re.DOTALL
    ):
        chosen = re.search(r'<option value="([^"]*)" selected', m[0])
        fields[m[1]] = (chosen[1] if chosen else "").replace("&amp;", "&")
    tools = {w["name"]: w["id"] for w in person.get("/wrenches.json").json()["wrenches"]}
    return person.post(
        f"/jobs/{job}/land/readings/keep", {**fields, "wrench": tools["small driver"], **more}
    )


def test_readings_of_a_file_by_order_asked_where_in_doubt_and_kept_once(installer, new_job, heron):
    job = new_job(heron)
    terminations = [
        t for t in installer.get(f"/jobs/{job}/land.json").json()["terminations"] if t["torque_nm"]
    ]
    first = [t for t in terminations if t["kind"] == "factory"]
    lines = "".join(
        f"{i},2026-11-25T08:0{i}:00Z,{t['torque_nm'] * 1.01:.2f},Nm,MT-0412\n"
        for i, t in enumerate(first, 1)
    )
    text = "No,Time,Torque,Unit,Tool\n" + lines + "9,2026-11-25T08:09:00Z,snug,Nm,MT-0412\n"
    page = upload(installer, job, text).text
    assert f"{len(first)} readings" in page and "Line" in page and "is not a torque" in page
    answer = keep(installer, job, page)
    if answer.status_code == 422:  # equal torques one after another: asked
        assert "choose the termination it is of" in answer.text or "middle wrench" in answer.text
        answer = keep(
            installer, job, page, **{f"termination.{i}": t["key"] for i, t in enumerate(first)}
        )
    assert answer.status_code == 303
    log = installer.get(f"/jobs/{job}/export.json").json()["log"]
    assert [e["body"]["termination"] for e in log] == [t["key"] for t in first] and {
        e["body"]["source"] for e in log
    } == {"file"}
    again = upload(installer, job, text).text
    assert f"{len(first)} of them kept before" in again and 'name="rows"' not in again
    keep(
        installer, job, page, **{f"termination.{i}": t["key"] for i, t in enumerate(first)}
    )  # the old page sent once more
    assert len(installer.get(f"/jobs/{job}/export.json").json()["log"]) == len(first)


def test_readings_wait_for_their_ends_to_be_landed_unless_that_is_said_too(
    installer, new_job, heron
):
    job, key = new_job(heron), "grid-1.L1@inverter-1"
    page = upload(installer, job, f"torque nm,label\n4.0,{key}\n").text
    refused = keep(installer, job, page)
    assert (
        refused.status_code == 422
        and "prepare the end first" in refused.text
        and "Nothing is kept yet" in refused.text
    )
    assert installer.get(f"/jobs/{job}/export.json").json()["log"] == []
    assert keep(installer, job, page, landed="1").status_code == 303
    assert [
        e["body"].get("act", e["body"].get("verdict"))
        for e in installer.get(f"/jobs/{job}/export.json").json()["log"]
    ] == [
        "prepared",
        "landed",
        "good",
    ]


@pytest.mark.parametrize(
    ("data", "says"),
    [
        ("", "choose the file first"),
        ("a,b\n1,2\n", "no column is called torque"),
        ("torque\nx\n", "line 2"),
    ],
)
def test_a_file_that_is_none(installer, new_job, heron, data, says):
    answer = upload(installer, new_job(heron), data)
    assert answer.status_code == 422 and says in answer.text.lower()


def test_the_wrench_is_set_pulled_and_fetched(installer, planner, new_job, heron, app):
    job, key = new_job(heron), "battery-1.+@inverter-1"
    server = Server(0, Memory("MT-55"))
    threading.Thread(target=server.serve_forever, daemon=True).start()
    address = f"127.0.0.1:{server.server_address[1]}"
    planner.post(
        "/wrenches",
        {
            "name": "told",
            "serial": "MT-55",
            "least": "3 Nm",
            "most": "30 Nm",
            "calibrated_until": "2099-01-01",
            "class": "I-C",
            "scale": "N·m",
            "address": address,
        },
    )
    own = next(
        w["id"] for w in planner.get("/wrenches.json").json()["wrenches"] if w["serial"] == "MT-55"
    )
    assert (
        "is set to 12 N·m"
        in installer.post(f"/jobs/{job}/land/readings/ask", {"wrench": own, "set_for": key}).text
    )
    ask(address, ("127.0.0.0/8",), {"ask": "pull"})
    page = installer.post(f"/jobs/{job}/land/readings/ask", {"wrench": own}).text
    assert "1 readings, 1 of them new" in page and "its label was scanned" in page
    assert keep(installer, job, page, source="wrench", wrench=own, landed="1").status_code == 303
    log = installer.get(f"/jobs/{job}/export.json").json()["log"]
    assert (
        log[-1]["body"]["termination"] == key
        and log[-1]["body"]["verdict"] == "good"
        and log[-1]["body"]["source"] == "wrench"
        and log[-1]["body"]["wrench"]["serial"] == "MT-55"
    )
    assert (
        "1 readings, 0 of them new"
        in installer.post(f"/jobs/{job}/land/readings/ask", {"wrench": own}).text
    )
    server.shutdown()
    server.server_close()
    gone = installer.post(f"/jobs/{job}/land/readings/ask", {"wrench": own})
    assert gone.status_code == 502 and "does not answer" in gone.text


@pytest.mark.parametrize("address", ["nowhere", "http://x", "1.2.3.4", "a:b", "a:99999", "a b:80"])
def test_an_address_that_is_none(planner, address):
    answer = planner.post(
        "/wrenches",
        {
            "name": "x",
            "serial": "x",
            "least": "1",
            "most": "6",
            "calibrated_until": "2099-01-01",
            "address": address,
        },
    )
    assert (
        answer.status_code == 422
        and "type host and port" in answer.text
        and f'value="{address}"' in answer.text
    )


def test_the_school_of_landing_is_chosen(planner, installer, new_job, heron):
    job = new_job(heron)
    assert (
        planner.post(
            f"/jobs/{job}/land/school",
            {"version": "1", "landing": "battery last", "recheck": "torque"},
        ).status_code
        == 303
    )
    page = installer.get(f"/jobs/{job}/land.json").json()
    assert page["school"]["name"] == "battery last" and page["recheck"] == "torque"
    stages = list(dict.fromkeys(t["stage"] for t in page["terminations"]))
    assert stages.index("Battery") > stages.index("Grid")
    assert (
        next(t for t in page["terminations"] if t["key"] == "grid-1.L1@inverter-1")["recheck"]
        == "look"
    )  # its sheet speaks


def test_tools_lacking_are_told_before_the_day(planner, stranger, new_job, heron):
    """The other crew has no tool at all: every torque is a line to buy, and a check on
    every page.
    """
    mine = planner.get(f"/jobs/{new_job(heron)}/land/tools.json").json()
    assert mine["lacking"] == [] and all(t["tool"] for t in mine["torques"])
    document = {
        "format": "gumboot-job/1",
        "uid": str(uuid.uuid4()),
        "version": 1,
        "plan": heron.model_dump(mode="json"),
        "log": [],
    }
    job = re.search(
        r"/jobs/(\d+)",
        stranger.post("/jobs/import", files={"file": ("job.json", json.dumps(document))}).headers[
            "location"
        ],
    )[1]
    theirs = stranger.get(f"/jobs/{job}/land/tools.json").json()
    assert sum(x["terminations"] for x in theirs["lacking"]) == sum(
        t["terminations"] for t in mine["torques"]
    )
    assert "tools.none-reaches" in {
        f["finding"]["key"] for f in stranger.get(f"/jobs/{job}/size.json").json()["findings"]
    }
