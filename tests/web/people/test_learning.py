"""What the crew learns, against the same counted by pandas from the logs themselves."""

import pandas as pd
import pytest

from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP, SALTINGS_BARN
from gumboot.drawings.bars import bars, spreads
from gumboot.store import records
from gumboot.store.database import see_crew
from gumboot.store.learning import LOOSE, learned


def rows_of(make):
    """Every entry of the crew's jobs, flat, and the counts of the database."""
    with make() as db:
        see_crew(db, 1)
        found = learned(db, 1)
        entries = [
            {"job": j.id, "kind": e.kind, "who": e.who, "at": e.at_server, "seq": e.seq, **flat(e)}
            for j in records.jobs(db)
            for e in records.entries(db, j)
        ]
    return found, pd.DataFrame(entries)


def flat(e):
    b = e.body
    return {
        "nm": b.get("torque_nm"),
        "rated": b.get("rated_nm"),
        "tool": (b.get("wrench") or {}).get("name", "no tool"),
        "turn": b.get("turn", "first"),
        "termination": b.get("termination"),
        "step": b.get("step"),
        "verdict": b.get("verdict"),
    }


def again(person, job, key, nm):
    tools = {w["name"]: w["id"] for w in person.get("/wrenches.json").json()["wrenches"]}
    row = {"key": key, "act": "torqued", "typed": f"{nm:.2f} Nm", "wrench": tools["small driver"]}
    return person.log(job, {**row, "again": True}).json()["entries"][0]


def test_torque_by_person_tool_and_month_is_what_pandas_counts(make, installer):
    found, frame = rows_of(make)
    own = frame[(frame.kind == "reading") & (frame.nm > 0) & (frame.rated > 0)].copy()
    own["ratio"], own["month"] = own.nm / own.rated, own["at"].str[:7]
    want = own.groupby(["who", "tool", "month"]).ratio.agg(["count", "mean", "std"])
    assert len(found["scatter"]) == len(want) > 2
    for r in found["scatter"]:
        count, mean, std = want.loc[(r["who"], r["tool"], r["month"])]
        assert r["readings"] == count and r["mean"] == pytest.approx(mean)
        assert r["spread"] == pytest.approx(0 if pd.isna(std) else std)


def test_what_is_loose_at_the_return_is_counted_by_device_and_tool(make, installer, new_job):
    job = new_job(Plan.model_validate(SALTINGS_BARN))
    page = installer.get(f"/jobs/{job}/land.json").json()
    wants = [t for t in page["terminations"] if t["torque_nm"] and 1.2 <= t["torque_nm"] <= 6]
    keys = [t["key"] for t in wants if t["chain"][-2:] == ["torqued", "marked"]][:3]
    by_key = {t["key"]: t for t in wants}
    before, _ = rows_of(make)
    for n, key in enumerate(keys):
        t = by_key[key]
        for a in t["chain"]:
            nm = f"{t['torque_nm']:.3f} Nm" if a == "torqued" else ""
            installer.make_off(job, key, a, typed=nm)
        again(installer, job, key, t["torque_nm"] * (0.9 if n == 0 else 1.0))
    found, frame = rows_of(make)
    turns = frame[(frame.kind == "reading") & (frame.nm > 0) & (frame.job == job)]
    first = turns[turns.turn == "first"].groupby("termination").nm.last()
    second = turns[turns.turn == "again"].groupby("termination").nm.first()
    loose = int(((second / first - 1).dropna() < LOOSE).sum())
    added = sum(r["loose"] for r in found["loose"]) - sum(r["loose"] for r in before["loose"])
    seen = sum(r["seen"] for r in found["loose"]) - sum(r["seen"] for r in before["loose"])
    assert (seen, added) == (len(second.dropna()), loose) and loose == 1


def test_tests_that_fail_first_count_only_what_was_first(make, installer, new_job):
    job = new_job(Plan.model_validate(HERON_SLIP))
    before, _ = rows_of(make)

    def failed(found):
        return sum(r["failed"] for r in found["failed"] if r["stem"].startswith("earth"))

    import uuid

    def read(typed):
        row = {"uuid": str(uuid.uuid4()), "kind": "test", "act": "done", "key": "earth.pack-1"}
        return installer.log(job, {**row, "typed": typed}).json()["entries"][0]["verdict"]

    assert [read("5"), read("0.04"), read("9")] == ["outside", "done", "outside"]
    now, _ = rows_of(make)
    assert failed(now) - failed(before) == 1


def test_hours_stand_for_the_quarters_in_which_something_was_entered(make):
    found, frame = rows_of(make)
    land = frame[frame.kind.isin(["reading", "step", "settle"])].copy()
    quarters = pd.to_datetime(land["at"]).dt.floor("15min")
    want = land.assign(q=quarters).groupby("job").q.nunique() * 0.25
    mine = [r for r in found["hours"] if r["station"] == "Land"]
    total = sum(float(r["hours"]) * r["jobs"] for r in mine)
    assert total == pytest.approx(float(want.sum()))


def test_only_supervisors_see_it_and_all_are_told(supervisor, installer, planner, stranger):
    page = supervisor.get("/learning")
    assert page.status_code == 200 and "nothing of it leaves this server" in page.text
    assert "Osk Fellgate" in page.text and "Osk Fellgate" not in stranger.get("/learning").text
    for person in (installer, planner):
        assert person.get("/learning").status_code == 403
        assert "Supervisors see what the records add up to" in person.get("/people").text


def test_an_empty_crew_learns_nothing_yet(member):
    page = member("supervisor").get("/learning")
    assert page.status_code == 200 and "Nothing in the records yet" in page.text


def test_bars_say_their_numbers_to_who_cannot_see_them():
    shown = bars("Hours", [("Land, off-grid", 2.0, "2 h"), ("Wake <b>", 0.0, "0 h")])
    assert "Land, off-grid: 2 h" in shown and "Wake <b>" not in shown
    lines = spreads("Torque", [("A", 1.02, 0.01, "1.02 ± 0.02"), ("B", 0.4, 2.0, "0.4 ± 4")])
    assert "1.02 ± 0.02" in lines and "nothing yet" in bars("None", [])
