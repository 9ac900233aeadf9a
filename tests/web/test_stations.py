"""The stations as a crew uses them, without a browser: pages, twins, saves, races, refusals."""

import json
import re
import uuid

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.finding import Level
from gumboot.core.prove.listing import dues_of
from gumboot.demo.proven import SKY, reading_of
from tests.conftest import altered
from tests.designs import design

PAGES = ("brief", "size", "land", "set", "hand-over")


def brief_of(person, job_id):
    """The brief's form as a browser would send it unchanged."""
    import html

    page = person.get(f"/jobs/{job_id}/brief").text
    form = page[page.index('x-data="draft"') :]
    fields = {
        k: html.unescape(v)
        for k, v in re.findall(r'<input[^>]* name="([^"]+)" value="([^"]*)"', form)
    }
    for name, options in re.findall(r'<select[^>]* name="([^"]+)"[^>]*>(.*?)</select>', form, re.S):
        chosen = re.search(r'value="([^"]*)" selected', options)
        fields[name] = (
            html.unescape(chosen[1]) if chosen else re.search(r'value="([^"]*)"', options)[1]
        )
    return {k: v for k, v in fields.items() if k != "csrf"}


def plan_of(person, job_id):
    return json.loads(person.get(f"/jobs/{job_id}/export.json").text)["plan"]


@pytest.mark.parametrize("page", PAGES)
def test_every_page_has_its_twin(supervisor, new_job, tern, page):
    job_id = new_job(tern)
    html, twin = (
        supervisor.get(f"/jobs/{job_id}/{page}"),
        supervisor.get(f"/jobs/{job_id}/{page}.json"),
    )
    assert html.status_code == twin.status_code == 200
    data = twin.json()
    assert data["job"]["name"] == "Tern Hollow" and data["stops"] == 6
    assert all(f["finding"]["says"].replace("'", "&#39;") in html.text for f in data["findings"])
    assert not any(k.startswith("_") for k in data)
    figures = [x for f in data["findings"] for x in f["finding"]["figures"]]
    assert figures and all(
        {"symbol", "value", "unit", "source", "inputs"} <= set(x) for x in figures
    )


@pytest.mark.parametrize("page", ["/jobs", "/wrenches", "/jobs/new"])
def test_pages_without_a_job_have_theirs(planner, page):
    assert planner.get(page).status_code == planner.get(f"{page}.json").status_code == 200


def test_the_brief_sent_back_unchanged_changes_nothing(planner, new_job, tern):
    job_id = new_job(tern)
    before = plan_of(planner, job_id)
    assert planner.post(f"/jobs/{job_id}/brief", brief_of(planner, job_id)).status_code == 303
    after = plan_of(planner, job_id)
    for s, t in zip(before["strings"], after["strings"], strict=True):
        assert t["run"].pop("length_m") == pytest.approx(s["run"].pop("length_m"), abs=0.016)
    assert before == after


def test_every_field_takes_the_crews_units(planner, new_job, tern):
    job_id = new_job(tern)
    sent = {
        **brief_of(planner, job_id),
        "site/t_min_c": "14 F",
        "runs/battery/length_m": "11.6 m",
        "runs/grid/length_m": "38'",
        "strings/0/run/length_m": "450 in",
    }
    planner.post(f"/jobs/{job_id}/brief", sent)
    plan = plan_of(planner, job_id)
    assert (
        plan["site"]["t_min_c"] == pytest.approx(-10)
        and plan["runs"]["battery"]["length_m"] == 11.6
    )
    assert plan["runs"]["grid"]["length_m"] == pytest.approx(11.5824) and plan["strings"][0]["run"][
        "length_m"
    ] == pytest.approx(11.43)
    assert planner.get("/units?kind=length&units=us&runs/grid/length_m=38").text == "= 11.58 m"
    assert "type a number and unit" in planner.get("/units?kind=length&units=us&x=abc").text


@pytest.mark.parametrize(
    ("field", "typed", "says"),
    [
        ("supply/bus_a", "two hundred", "type a number and unit, such as 200 A"),
        ("runs/grid/length_m", "-3 ft", "more than 0"),
        ("runs/grid/length_m", "0", "more than 0"),
        ("kit/packs", "3.5", "whole number"),
        ("kit/inverters", "0", "at least 1"),
        ("kit/packs", "900", "at most 25"),
        ("kit/generator/power_w", "big", "type a number and unit, such as"),
        ("supply/service_size", "huge", "such as 4/0"),
        ("strings/0/modules", "ten", "whole number"),
        ("strings/0/modules", "40000", "at most 999"),
        ("site/latitude_deg", "95", "at most 66"),
        ("site/zone", "Mars/Base", "is not a time zone"),
        ("site/altitude_m", "high", "type a number and unit"),
        ("site/name", "", "type a name"),
        ("strings/1/letter", "A", "two strings have the same letter"),
        ("site/t_min_c", "200 F", "at most 90"),
        ("kit/inverter", "x", "choose one of"),
        ("strings/0/run/length_m", "12 lb", "not a unit of length"),
        ("runs/grid/length_m", "", "type a length, such as"),
        ("strings/5/tilt_deg", "20", "type a whole number"),
    ],
)
def test_bad_input_is_named_at_its_field_and_nothing_typed_is_lost(
    planner, new_job, tern, field, typed, says
):
    job_id = new_job(tern)
    sent = {**brief_of(planner, job_id), "site/address": "typed just now", field: typed}
    answer = planner.post(f"/jobs/{job_id}/brief", sent)
    assert (
        answer.status_code == 422
        and says in answer.text
        and "everything you typed is still here" in answer.text
    )
    assert 'aria-invalid="true"' in answer.text and 'value="typed just now"' in answer.text
    assert plan_of(planner, job_id)["site"]["address"] != "typed just now"


def test_two_tabs_saving_the_same_plan(planner, supervisor, new_job, tern):
    """The slower one is shown both sides; nothing is overwritten; saving again is a choice made
    knowingly.
    """
    job_id = new_job(tern)
    mine, theirs = brief_of(planner, job_id), brief_of(supervisor, job_id)
    assert supervisor.post(f"/jobs/{job_id}/brief", {**theirs, "kit/packs": "4"}).status_code == 303
    lost = planner.post(f"/jobs/{job_id}/brief", {**mine, "supply/main_breaker_a": "150 A"})
    assert lost.status_code == 409 and "Ilse Quayle saved this plan while you typed" in lost.text
    assert 'value="150 A"' in lost.text and ">3<" in lost.text and ">4<" in lost.text
    assert (
        plan_of(planner, job_id)["kit"]["packs"] == 4
        and plan_of(planner, job_id)["supply"]["main_breaker_a"] == 200
    )
    version = re.search(
        r'name="version" value="(\d+)"', lost.text[lost.text.index('x-data="draft"') :]
    )[1]
    form = dict(
        re.findall(
            r'<input[^>]* name="([^"]+)" value="([^"]*)"',
            lost.text[lost.text.index('x-data="draft"') :],
        )
    )
    assert (
        form["kit/packs"] == "4" and form["supply/main_breaker_a"] == "150 A"
    )  # theirs where it was not touched here, mine where it was
    assert (
        planner.post(
            f"/jobs/{job_id}/brief",
            {
                **mine,
                "kit/packs": form["kit/packs"],
                "supply/main_breaker_a": "150 A",
                "version": version,
            },
        ).status_code
        == 303
    )
    assert (
        plan_of(planner, job_id)["kit"]["packs"] == 4
        and plan_of(planner, job_id)["supply"]["main_breaker_a"] == 150
    )


def test_a_cure_is_applied_at_a_click_and_a_stale_click_overwrites_nothing(planner, new_job, tern):
    job_id = new_job(tern)
    click = {
        "finding": "battery-2.conductor",
        "cure": "0",
        "version": "1",
        "back": f"/jobs/{job_id}/size",
    }
    assert "Fit 250 kcmil" in planner.get(f"/jobs/{job_id}/size").text
    assert planner.post(f"/jobs/{job_id}/cure", click).status_code == 303
    assert plan_of(planner, job_id)["fitted"]["battery-2"]["size"] == "250"
    assert planner.post(f"/jobs/{job_id}/cure", click).status_code == 303  # cured already
    stale = planner.post(f"/jobs/{job_id}/cure", {**click, "finding": "pv-C.cold"})
    assert stale.status_code == 409 and "Nothing was overwritten" in stale.text
    assert plan_of(planner, job_id)["strings"][2]["modules"] == 12


def test_the_crews_own_conductor_is_kept_and_judged(planner, new_job, heron):
    job_id = new_job(heron)
    assert (
        planner.post(
            f"/jobs/{job_id}/fit",
            {"circuit": "grid-1", "size": "10", "protection": "", "version": "1"},
        ).status_code
        == 303
    )
    page = planner.get(f"/jobs/{job_id}/size?at=grid-1")
    assert "crew&#39;s own" in page.text or "crew's own" in page.text
    assert planner.get(f"/jobs/{job_id}/size.json").json()["stops"] == 1
    for bad, says in (("lots", "type a number and unit"), ("-5 A", "more than 0")):
        refused = planner.post(
            f"/jobs/{job_id}/fit",
            {"circuit": "grid-1", "size": "6", "protection": bad, "version": "2"},
        )
        assert (
            refused.status_code == 422 and says in refused.text and f'value="{bad}"' in refused.text
        )
        assert '<option value="6" selected>' in refused.text


def test_working_opens_to_formula_inputs_row_and_clause(planner, new_job, tern):
    panel = planner.get(f"/jobs/{new_job(tern)}/size/working?at=battery-1").text
    assert (
        "1.25 · 190" in panel
        and "NEC 2023 240.6(A)" in panel
        and "From memory: check your edition" in panel
        and "row 250 kcmil, column 75 °C copper" in panel
    )
    assert "<html" not in panel


def test_a_check_is_accepted_by_name_and_reason_and_a_stop_never(supervisor, new_job, tern):
    job_id = new_job(tern)
    by = {
        f["finding"]["key"]: f["finding"]
        for f in supervisor.get(f"/jobs/{job_id}/size.json").json()["findings"]
    }
    prints = {f.key: f.fingerprint for f in design(tern, catalogue()).findings}
    stop = supervisor.post(
        f"/jobs/{job_id}/accept",
        {"finding": "pv-C.cold", "fingerprint": prints["pv-C.cold"], "reason": "it will be fine"},
    )
    assert stop.status_code == 422 and by["pv-C.cold"]["level"] == Level.STOP
    assert (
        supervisor.post(
            f"/jobs/{job_id}/accept",
            {
                "finding": "inverter-1.pv-power",
                "fingerprint": prints["inverter-1.pv-power"],
                "reason": "",
            },
        ).status_code
        == 422
    )
    assert (
        supervisor.post(
            f"/jobs/{job_id}/accept",
            {
                "finding": "inverter-1.pv-power",
                "fingerprint": prints["inverter-1.pv-power"],
                "reason": "measured 0.0 V in both positions",
            },
        ).status_code
        == 303
    )
    after = {
        f["finding"]["key"]: f["accepted"]
        for f in supervisor.get(f"/jobs/{job_id}/size.json").json()["findings"]
    }
    assert after["inverter-1.pv-power"]["who"] == "Ilse Quayle" and after["inverter-1.pv-power"][
        "reason"
    ].startswith("measured")
    assert after["pv-D.drop"] is None


TERMINATION = "factory.dc-link-1@inverter-1"


def read(person, job_id, key, typed, wrench="small driver", **more):
    """One reading: (its answer, where the termination stands)."""
    answer = person.make_off(job_id, key, "torqued", typed=typed, wrench=wrench, **more)[0]
    row = next(
        (
            t
            for t in person.get(f"/jobs/{job_id}/land.json").json()["terminations"]
            if t["key"] == key
        ),
        None,
    )
    return answer, row["state"] if row else None


def test_readings_are_judged_logged_and_corrected_by_new_entries(installer, new_job, heron):
    job_id = new_job(heron)
    assert read(installer, job_id, TERMINATION, "4 Nm")[1] == "under"
    assert read(installer, job_id, TERMINATION, "60 in-lb")[1] == "over"
    refused, state = read(installer, job_id, TERMINATION, "5 Nm")
    assert (
        refused["state"] == "refused"
        and "replace the hardware first" in refused["why"]
        and state == "over"
    )
    assert installer.make_off(job_id, TERMINATION, "replaced")[0]["state"] == "kept"
    assert read(installer, job_id, TERMINATION, "44.3 in-lb")[1] == "torqued"
    kept = installer.get(f"/jobs/{job_id}/land.json").json()["states"][TERMINATION]["events"]
    assert read(installer, job_id, TERMINATION, "3 Nm", corrects=kept[-1]["uuid"])[1] == "under"
    assert [m["verdict"] for m in kept] == ["under", "over", None, "good"]
    assert (
        kept[0]["who"] == "Osk Fellgate"
        and kept[0]["tool"] == "small driver, MT-0412"
        and kept[0]["typed"] == "4 Nm"
    )
    assert (
        "not in this termination's log"
        in read(installer, job_id, TERMINATION, "5 Nm", corrects=str(uuid.uuid4()))[0]["why"]
    )


def test_a_bare_reading_is_in_the_unit_of_the_tool(installer, new_job, tern):
    """Four inverters want a 400 A switch, 42 N·m; 31 on a wrench marked in ft·lb is 42 N·m."""
    job_id, key = new_job(altered(tern, "/kit/inverters", 4)), "backup-feeder.L1@transfer-switch"
    installer.make_off(job_id, key, "prepared", "landed")
    answer, state = read(installer, job_id, key, "31", wrench="long wrench", scale="ft·lb")
    assert answer["verdict"] == "good" and state == "torqued"


def test_only_legal_moves(installer, new_job, heron):
    job_id, key = new_job(heron), "battery-1.+@inverter-1"
    assert [
        (a["state"], a["why"]) for a in installer.make_off(job_id, key, "landed", "tugged")
    ] == [
        ("refused", "prepare the end first"),
        ("refused", "prepare the end first"),
    ]
    assert [
        a["state"] for a in installer.make_off(job_id, key, "prepared", "landed", "prepared")
    ] == ["kept", "kept", "refused"]
    assert read(installer, job_id, key, "12 Nm", wrench="middle wrench")[1] == "torqued"
    assert [
        a["state"] for a in installer.make_off(job_id, key, "tugged", "marked", "re-checked")
    ] == ["kept"] * 3
    assert "type why it is undone" in installer.make_off(job_id, key, "undone")[0]["why"]
    assert installer.make_off(job_id, key, "undone", note="wrong port")[0]["state"] == "kept"
    row = next(
        t
        for t in installer.get(f"/jobs/{job_id}/land.json").json()["terminations"]
        if t["key"] == key
    )
    assert row["state"] == "open" and not row["complete"]


@pytest.mark.parametrize(
    ("key", "sent", "says"),
    [
        ("dead@inverter-1", {"act": "torqued", "typed": "5 Nm"}, "takes no torque"),
        ("dead@inverter-1", {"act": "marked"}, "never marked"),
        (TERMINATION, {"act": "marked", "corrects": "FIRST"}, "only a reading corrects"),
        (TERMINATION, {"act": "taken back", "note": "x"}, "which entry does not hold"),
        (
            "dead@inverter-1",
            {"act": "torqued", "typed": "5 Nm", "corrects": "FIRST"},
            "not in this termination's log",
        ),
    ],
)
def test_no_correction_leads_round_the_legal_moves(installer, new_job, heron, key, sent, says):
    job_id = new_job(heron)
    installer.make_off(job_id, TERMINATION, "torqued", typed="4 Nm")
    first = installer.get(f"/jobs/{job_id}/land.json").json()["states"][TERMINATION]["events"][0][
        "uuid"
    ]
    answer = installer.make_off(
        job_id,
        key,
        sent["act"],
        **{k: first if v == "FIRST" else v for k, v in sent.items() if k != "act"},
    )[0]
    assert answer["state"] == "refused" and says in answer["why"]


def test_open_stops_are_said_where_one_lands(installer, new_job, tern):
    page = installer.get(f"/jobs/{new_job(tern)}/land").text
    assert "6 stops open" in page and "before you land this" in page


def test_an_entry_resent_is_kept_once(installer, new_job, heron):
    job_id, own = new_job(heron), str(uuid.uuid4())
    for _ in range(3):
        assert read(installer, job_id, TERMINATION, "5 Nm", uuid=own)[0]["state"] == "kept"
    other = installer.make_off(
        job_id, "factory.dc-link-2@inverter-1", "torqued", typed="5 Nm", uuid=own
    )[0]
    assert other["state"] == "refused" and "sent before with other content" in other["why"]
    log = installer.get(f"/jobs/{job_id}/export.json").json()["log"]
    assert [e["uuid"] for e in log] == [own]


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("snug", "type a number and unit"),
        ("", "type a number and unit"),
        ("0 Nm", "cannot be"),
        ("-5 Nm", "cannot be"),
        ("99999 Nm", "cannot be"),
        ("5 V", "not a unit of torque"),
    ],
)
def test_a_reading_that_is_none(installer, new_job, heron, typed, says):
    job_id = new_job(heron)
    answer, state = read(installer, job_id, TERMINATION, typed)
    assert (answer["state"], answer["field"], state) == (
        "refused",
        "torque",
        "open",
    ) and says in answer["why"]


def test_a_wrench_that_does_not_reach_and_none_at_all(installer, new_job, heron):
    job_id = new_job(heron)
    answer, state = read(installer, job_id, TERMINATION, "5 Nm", wrench="long wrench")
    assert state == "withheld" and "long wrench serves" in answer["why"]
    assert (
        "choose the wrench you used"
        in read(installer, job_id, TERMINATION, "5 Nm", wrench="none")[0]["why"]
    )
    gone, _ = read(installer, job_id, "gone.L1@nowhere", "5 Nm")
    assert (
        gone["state"] == "kept" and gone["verdict"] == "withheld"
    )  # what was done is not lost with the plan


@pytest.mark.parametrize(
    "sent", [None, [], {}, {"entries": []}, {"entries": "x"}, {"entries": [{}] * 51}, "text", 7]
)
def test_what_is_no_list_of_entries(installer, new_job, heron, sent):
    answer = installer.http.post(
        f"/jobs/{new_job(heron)}/log",
        json=sent,
        headers={"x-csrf-token": installer.csrf, "accept": "application/json"},
    )
    assert answer.status_code == 422 and "1 to 50" in answer.json()["message"]


@pytest.mark.parametrize(
    "odd",
    [
        {},
        {"uuid": 3},
        {"kind": "flight"},
        {"key": "x" * 300},
        {"at_device": "x" * 99},
        {"seen": -1},
        {"digest": "z"},
        {"digest": "0" * 64},
        {"note": "x" * 501},
        "text",
        None,
    ],
)
def test_odd_entries_are_refused_one_by_one_and_the_others_kept(installer, new_job, heron, odd):
    good = {
        "kind": "termination",
        "uuid": str(uuid.uuid4()),
        "key": "dead@inverter-1",
        "act": "proven",
    }
    bad = {**good, "uuid": str(uuid.uuid4()), **odd} if isinstance(odd, dict) and odd else odd
    job_id = new_job(heron)
    answer = installer.http.post(
        f"/jobs/{job_id}/log",
        json={"entries": [bad, good]},
        headers={"x-csrf-token": installer.csrf},
    ).json()["entries"]
    assert [a["state"] for a in answer] == ["refused", "kept"] and answer[0]["why"]


def test_two_devices_that_did_not_know_of_each_other(installer, supervisor, new_job, heron):
    """Both histories are kept; what they contradict each other in is shown until someone says which
    stands.
    """
    job_id, key = new_job(heron), "factory.dc-link-1@inverter-1"
    seen = installer.get(f"/jobs/{job_id}/land.json").json()["seq"]
    assert (
        installer.make_off(job_id, key, "torqued", typed="5 Nm", seen=seen, device="a")[0][
            "verdict"
        ]
        == "good"
    )
    assert (
        supervisor.make_off(job_id, key, "torqued", typed="6 Nm", seen=seen, device="b")[0][
            "verdict"
        ]
        == "over"
    )
    said = installer.get(f"/jobs/{job_id}/land.json").json()["states"][key]
    assert (
        said["state"]["state"] == "in doubt"
        and len(said["events"]) == 2
        and len(said["state"]["doubt"]) == 1
    )
    first, second = said["state"]["doubt"][0]
    settle = {"termination": key, "stands": first, "reason": ""}
    assert supervisor.post(f"/jobs/{job_id}/land/settle", settle).status_code == 422
    assert (
        supervisor.post(
            f"/jobs/{job_id}/land/settle", {**settle, "reason": "looked at the screw together"}
        ).status_code
        == 303
    )
    said = installer.get(f"/jobs/{job_id}/land.json").json()["states"][key]
    assert (
        said["state"]["state"] == "torqued"
        and len(said["events"]) == 3
        and said["events"][2]["drops"] == [second]
    )


def test_settings_keyed_by_the_crew_are_kept_judged_or_refused(planner, new_job, heron):
    job_id = new_job(heron)
    sheet = {
        s["id"]: str(s["value"]) for s in planner.get(f"/jobs/{job_id}/set.json").json()["settings"]
    }
    assert planner.post(f"/jobs/{job_id}/set", {**sheet, "version": "1"}).status_code == 303
    assert plan_of(planner, job_id)["settings"] == {}
    assert (
        planner.post(
            f"/jobs/{job_id}/set", {**sheet, "reserve_soc": "45 %", "version": "2"}
        ).status_code
        == 303
    )
    assert plan_of(planner, job_id)["settings"] == {"reserve_soc": 45}
    refused = planner.post(
        f"/jobs/{job_id}/set", {**sheet, "reserve_soc": "half", "cut_v": "99", "version": "3"}
    )
    assert (
        refused.status_code == 422
        and "is not a number" in refused.text
        and "the menu takes 40 to 52 V" in refused.text
        and 'value="half"' in refused.text
    )
    assert (
        planner.post(f"/jobs/{job_id}/set", {**sheet, "cut_v": "50", "version": "3"}).status_code
        == 303
    )
    assert planner.get(f"/jobs/{job_id}/set.json").json()["stops"] == 1


def test_what_the_second_unit_keys_is_its_own(planner, new_job, tern):
    """Where the first is keyed, the second may have what is proposed; emptied, it follows again."""
    job_id = new_job(tern)

    def key(n, version, **values):
        rows = planner.get(f"/jobs/{job_id}/set.json?unit={n}").json()["settings"]
        sheet = {s["id"]: str(s["value"]) for s in rows} | values
        sent = {**sheet, "unit": str(n), "version": str(version)}
        assert planner.post(f"/jobs/{job_id}/set", sent).status_code == 303
        return plan_of(planner, job_id)["settings"]

    rows = planner.get(f"/jobs/{job_id}/set.json?unit=2").json()["settings"]
    proposed = next(s["proposed"] for s in rows if s["id"] == "charge_a")
    assert key(1, 1, charge_a="40") == {"charge_a": 40}
    assert key(2, 2) == {"charge_a": 40}  # nothing of its own
    own = {"charge_a": 40, "charge_a.unit-2": proposed}
    assert key(2, 3, charge_a=str(proposed)) == own
    assert key(2, 4) == own  # saved again, it stays
    assert key(1, 5, charge_a=str(proposed))["charge_a.unit-2"] == proposed
    assert key(2, 6, charge_a="") == {}


def signable(supervisor, job_id, plan):
    d = design(plan, catalogue())
    tools = {w["name"]: w["id"] for w in supervisor.get("/wrenches.json").json()["wrenches"]}
    reach = {
        "terminal driver": (0.24, 1.19),
        "small driver": (1.2, 6),
        "middle wrench": (6, 25),
        "long wrench": (25, 110),
    }
    entries = []
    for t in d.terminations:
        nm = t.torque.n if t.torque else 0
        name = next((n for n, (a, b) in reach.items() if a <= nm <= b), "small driver")
        entries += [
            {
                "key": t.key,
                "act": a,
                "typed": f"{nm:.3f} Nm" if a == "torqued" else "",
                "wrench": tools[name],
            }
            for a in t.chain
        ]
    for i in range(0, len(entries), 50):
        assert {
            a["state"] for a in supervisor.log(job_id, *entries[i : i + 50]).json()["entries"]
        } == {"kept"}
    for f in d.findings:
        if f.level is Level.CHECK:
            supervisor.post(
                f"/jobs/{job_id}/accept",
                {"finding": f.key, "fingerprint": f.fingerprint, "reason": "seen"},
            )
    for f in d.duties:
        typed = {"voltage": "0.3 V", "time": "28 ms", "current": "22 kA"}.get(f.asked.kind, "")
        done = {"duty": f.key, "fingerprint": f.fingerprint, "reading": typed, "act": "done"}
        assert supervisor.post(f"/jobs/{job_id}/duty", done).status_code == 303
    prove(supervisor, job_id, d)


def prove(person, job_id, d):
    """Every test of Prove made as expected, the light read first."""
    rows = [x for x in dues_of(d, SKY) if not x.known]
    made = [
        {
            "kind": "test",
            "key": x.key,
            "act": "declined" if x.does == "page" else "done",
            "typed": reading_of(x),
            "note": "no camera" if x.does == "page" else "",
        }
        for x in sorted(rows, key=lambda x: not x.key.startswith("sky."))
    ]
    for i in range(0, len(made), 50):
        answers = person.log(job_id, *made[i : i + 50]).json()["entries"]
        assert {a["state"] for a in answers} == {"kept"}, answers


def test_duties_are_closed_by_readings_and_ticks(installer, supervisor, new_job, heron):
    """A reading outside its limits is kept and closes nothing; declining wants a supervisor and a
    reason; what is taken back is open again.
    """
    job_id = new_job(heron)

    def duties():
        rows = installer.get(f"/jobs/{job_id}/hand-over.json").json()["duties"]
        return {r["duty"]["key"]: r for r in rows}

    def send(who, key, **more):
        sent = {"duty": key, "fingerprint": prints[key], "act": "done", **more}
        return who.post(f"/jobs/{job_id}/duty", sent)

    prints = {f.key: f.fingerprint for f in design(heron, catalogue()).duties}
    refused = send(installer, "pv.rapid-shutdown", reading="low")
    assert refused.status_code == 422 and "56 V" in refused.text and 'value="low"' in refused.text
    assert send(installer, "pv.rapid-shutdown", reading="44 V").status_code == 303
    row = duties()["pv.rapid-shutdown"]
    assert not row["closed"] and row["entry"]["verdict"] == "outside"
    send(installer, "pv.rapid-shutdown", reading="12.5 V")
    row = duties()["pv.rapid-shutdown"]
    assert row["closed"] and row["entry"]["value"] == 12.5
    send(installer, "disconnects")
    assert duties()["disconnects"]["closed"]
    send(installer, "disconnects", act="back")
    assert not duties()["disconnects"]["closed"]
    assert send(installer, "disconnects", act="decline", note="x").status_code == 403
    assert send(supervisor, "disconnects", act="decline").status_code == 422
    send(supervisor, "disconnects", act="decline", note="the owner is away with the key")
    assert duties()["disconnects"]["closed"]
    send(installer, "source.meet", fingerprint="of other words")
    assert not duties()["source.meet"]["closed"]


def test_a_duty_of_brief_is_typed_there_or_left_out_with_a_reason(supervisor, new_job, heron):
    """No tick closes what Brief asks; a fact that nobody can find does not hold a job for ever."""
    supply = heron.supply.model_copy(update={"fault_a": None})
    unknown = heron.model_copy(update={"supply": supply})
    job_id = new_job(unknown)
    prints = {f.key: f.fingerprint for f in design(unknown, catalogue()).duties}

    def closed():
        rows = supervisor.get(f"/jobs/{job_id}/hand-over.json").json()["duties"]
        return next(r["closed"] for r in rows if r["duty"]["key"] == "supply.fault")

    sent = {"duty": "supply.fault", "fingerprint": prints["supply.fault"]}
    assert supervisor.post(f"/jobs/{job_id}/duty", {**sent, "act": "done"}).status_code == 303
    assert not closed()
    assert 'id="why-supply.fault"' in supervisor.get(f"/jobs/{job_id}/hand-over").text
    why = "the utility names no figure"
    supervisor.post(f"/jobs/{job_id}/duty", {**sent, "act": "decline", "note": why})
    assert closed() and why in supervisor.get(f"/jobs/{job_id}/hand-over").text


def test_signing_wants_everything_and_freezes_the_plan(
    supervisor, planner, installer, new_job, heron
):
    job_id = new_job(heron)
    early = supervisor.post(
        f"/jobs/{job_id}/sign",
        {"digest": supervisor.get(f"/jobs/{job_id}/hand-over.json").json()["digest"]},
    )
    assert early.status_code == 409 and "terminations not made off" in early.text
    signable(supervisor, job_id, heron)
    page = supervisor.get(f"/jobs/{job_id}/hand-over.json").json()
    assert page["missing"] == [] and page["log_broken_at"] is None
    assert supervisor.post(f"/jobs/{job_id}/sign", {"digest": "of another plan"}).status_code == 409
    assert supervisor.post(f"/jobs/{job_id}/sign", {"digest": page["digest"]}).status_code == 303
    assert supervisor.get(f"/jobs/{job_id}/hand-over.json").json()["signed"]["who"] == "Ilse Quayle"
    assert planner.post(f"/jobs/{job_id}/brief", brief_of(planner, job_id)).status_code == 409
    frozen = read(installer, job_id, TERMINATION, "5 Nm")[0]
    assert frozen["state"] == "refused" and "the job is signed" in frozen["why"]
    assert supervisor.post(f"/jobs/{job_id}/reopen", {"reason": ""}).status_code == 422
    assert (
        supervisor.post(f"/jobs/{job_id}/reopen", {"reason": "a pack is added"}).status_code == 303
    )
    assert planner.post(f"/jobs/{job_id}/brief", brief_of(planner, job_id)).status_code == 303


def test_a_job_out_and_in_again_is_the_same(supervisor, new_job, heron):
    job_id = new_job(heron)
    read(supervisor, job_id, "factory.dc-link-1@inverter-1", "5 Nm")
    text = supervisor.get(f"/jobs/{job_id}/export.json").text
    taken = supervisor.post("/jobs/import", files={"file": ("job.json", text)})
    again = int(taken.headers["location"].split("/")[2])
    assert again != job_id and supervisor.get(f"/jobs/{again}/export.json").text == text


def test_a_broken_file_is_refused_and_nothing_is_stored(planner, new_job, heron):
    text = planner.get(f"/jobs/{new_job(heron)}/export.json").text
    before = len(planner.get("/jobs.json").json()["jobs"])
    broken = json.loads(text)
    broken["plan"]["kit"]["packs"] = "many"
    broken["version"] = -1
    answer = planner.post("/jobs/import", files={"file": ("job.json", json.dumps(broken))})
    assert (
        answer.status_code == 422 and "plan/kit/packs" in answer.text and ">version<" in answer.text
    )
    for bad in (b"", b"\x00\xff", b"[1,2", text.replace("Heron", "He\\u0000ron").encode()):
        assert planner.post("/jobs/import", files={"file": ("job.json", bad)}).status_code == 422
    assert planner.post("/jobs/import").status_code == 422
    assert len(planner.get("/jobs.json").json()["jobs"]) == before


def test_typed_markup_stays_text(planner, new_job, heron):
    job_id = new_job(altered(heron, "/site/name", "<script>alert(1)</script> & 'co'"))
    for page in PAGES:
        assert "<script>alert" not in planner.get(f"/jobs/{job_id}/{page}").text
    assert "<script>alert" not in planner.get(f"/jobs/{job_id}/one-line.svg").text


def test_the_wrench_form(planner):
    bad = planner.post(
        "/wrenches",
        {"name": "", "serial": "q", "least": "9 Nm", "most": "2 Nm", "calibrated_until": "soon"},
    )
    assert (
        bad.status_code == 422 and "type a date such as" in bad.text and 'value="9 Nm"' in bad.text
    )


@pytest.mark.parametrize("path", ["/nothing", "/jobs/1/nothing", "/jobs/new/x", "/static/none.js"])
def test_pages_that_are_not_there(planner, path):
    assert planner.get(path).status_code == 404


@pytest.mark.long
def test_plans_of_every_odd_kind_still_have_pages(planner, new_job, tern):
    """A poor plan is findings, never a fault of ours: wrong pack class, no kit, no strings, 400
    modules, six inverters.
    """
    for path, value in (
        ("/kit/pack", "saltmarsh-h10"),
        ("/kit/inverter", "gone"),
        ("/strings", []),
        ("/strings/0/modules", 400),
        ("/kit/inverters", 6),
        ("/kit/packs", 16),
        ("/runs", {}),
        ("/site/t_wall_c", 88),
        ("/kit/inverters", 1),
    ):
        job_id = new_job(altered(tern, path, value))
        for page in (
            *PAGES,
            "one-line.svg",
            *(["books/inspector.pdf"] if value in ("gone", 1) else []),
        ):
            answer = planner.get(f"/jobs/{job_id}/{page}")
            assert answer.status_code == 200, (path, value, page)


@pytest.mark.long
def test_a_switch_that_left_the_plan_keeps_what_was_logged_of_it(
    planner, installer, new_job, heron
):
    """The changeover is being made off, then the plan backs nothing up: what was done stays in the
    log, and every page opens.
    """
    job_id = new_job(heron)
    rows = installer.get(f"/jobs/{job_id}/land.json").json()["terminations"]
    keys = [t["key"] for t in rows if t["body"] == "transfer-switch" and t["torque_nm"]][:3]
    assert keys
    for key in keys:
        for act in ("prepared", "landed"):
            assert installer.make_off(job_id, key, act)[0]["state"] == "kept"
    fields = brief_of(planner, job_id) | {"backup/loads": "nothing"}
    assert planner.post(f"/jobs/{job_id}/brief", fields).status_code in (200, 303)
    data = installer.get(f"/jobs/{job_id}/land.json").json()
    assert "transfer-switch" not in {t["body"] for t in data["terminations"]}
    for page in (*PAGES, "land/log", "land/return", "books/inspector.pdf"):
        assert installer.get(f"/jobs/{job_id}/{page}").status_code == 200, page
    log = installer.get(f"/jobs/{job_id}/land/log.json").json()
    assert set(keys) <= {k for e in log["entries"] for k in keys if k in json.dumps(e)}
