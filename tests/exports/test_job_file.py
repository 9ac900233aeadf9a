"""A job out and in again is the same job; a broken file is refused with the path of each fault."""

import json
import uuid
from dataclasses import asdict
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

from gumboot.catalogue import catalogue
from gumboot.core.journal import log
from gumboot.core.journal.log import Entry
from gumboot.core.plan import Plan
from gumboot.demo import scenario
from gumboot.exports import job_file
from tests.core.test_properties import plans
from tests.designs import design

UID = "0b8c1f0e-0000-4000-8000-000000000001"
words = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\x00"), max_size=12)


def body(termination="a", verdict="good", torque_nm=4.0, note=""):
    """A reading as the application writes it."""
    wrench = {"name": "w", "serial": "s", "calibrated_until": "2030-01-01"}
    return {
        "termination": termination,
        "label": "C1",
        "torque_nm": torque_nm,
        "typed": "4 Nm",
        "rated_nm": 4.0,
        "rated_source": "plate",
        "verdict": verdict,
        "why": "",
        "wrench": wrench,
        "replaced": False,
        "corrects": None,
        "note": note,
    }


def entries(bodies):
    out, prev = [], log.genesis(UID)
    for i, (kind, who, body) in enumerate(bodies, 1):
        own, who = str(uuid.UUID(int=i)), log.of_one_line(who)
        h = log.digest(
            prev,
            i,
            own,
            kind,
            who,
            "installer",
            "",
            "2026-11-23T10:00:00+00:00",
            log.canonical(body),
        )
        out.append(
            Entry(i, own, kind, who, "installer", "", "2026-11-23T10:00:00+00:00", body, prev, h)
        )
        prev = h
    return out


logs = st.lists(
    st.tuples(
        st.just("reading"),
        words,
        st.builds(
            body, words, st.sampled_from(["good", "under", "over"]), st.floats(0, 500), words
        ),
    )
    | st.tuples(st.just("reopen"), words, st.fixed_dictionaries({"reason": words})),
    max_size=6,
).map(entries)


@given(plans, logs)
@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
def test_out_and_in_is_identity(plan, rows):
    text = job_file.write(UID, 7, plan, design(plan, catalogue()), rows)
    taken = job_file.read(text.encode())
    assert (taken.uid, taken.version, taken.plan, taken.entries) == (UID, 7, plan, rows)
    again = design(taken.plan, catalogue())
    assert job_file.write(taken.uid, taken.version, taken.plan, again, taken.entries) == text


@pytest.fixture
def document():
    plan = Plan.model_validate(scenario.HERON_SLIP)
    rows = entries([("reading", "Osk", body("a")), ("reading", "Osk", body("b"))])
    return {
        "format": "gumboot-job/1",
        "uid": UID,
        "version": 1,
        "plan": plan.model_dump(mode="json"),
        "log": [asdict(e) for e in rows],
    }


def faults(document):
    with pytest.raises(job_file.BrokenFile) as refused:
        job_file.read(json.dumps(document).encode())
    return dict(refused.value.faults)


def put(document, path, value):
    *steps, last = path
    at = document
    for s in steps:
        at = at[s]
    at[last] = value
    return document


@pytest.mark.parametrize(
    ("path", "value", "where"),
    [
        (("format",), "other/1", "format"),
        (("version",), 0, "version"),
        (("uid",), "me", "uid"),
        (("plan", "kit", "packs"), "three", "plan/kit/packs"),
        (("plan", "kit", "packs"), 99, "plan/kit/packs"),
        (("plan", "strings", 0, "run", "length_m"), -4, "plan/strings/0/run/length_m"),
        (("plan", "site", "t_min_c"), 88, "plan/site"),
        (("plan", "colour"), "red", "plan"),
        (("log", 1, "who"), 5, "log/1/who"),
        (("log", 1, "kind"), "gossip", "log/1/kind"),
        (("log", 0, "body", "verdict"), "fine", "log/0/body/verdict"),
        (("log", 0, "body", "torque_nm"), 5.0, "log/0"),
        (("log", 1, "who"), "Someone else", "log/1"),
        (("log",), {}, "log"),
        (("log", 0, "body", "extra"), 1, "log/0/body"),
        (("log", 1, "body"), {}, "log/1/body"),
    ],
)
def test_each_fault_is_named_by_its_path(document, path, value, where):
    assert where in faults(put(document, path, value))


@pytest.mark.parametrize("odd", ["\x00", "\ud800"])
def test_texts_that_no_database_keeps(document, odd):
    assert "log/1/body/note" in faults(put(document, ("log", 1, "body", "note"), f"a{odd}b"))
    assert "plan/site/address" in faults(put(document, ("plan", "site", "address"), f"a{odd}b"))


def test_several_faults_are_all_named(document):
    both = faults(put(put(document, ("version",), "x"), ("plan", "kit", "inverters"), 0))
    assert set(both) == {"version", "plan/kit/inverters"}


def test_a_repeated_entry_is_found(document):
    document["log"].append(document["log"][0])
    assert set(faults(document)) == {"log/2/uuid", "log/2"}


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"{",
        b"\xff\xfe",
        b"[]",
        b"null",
        b"3",
        b'{"plan": NaN}',
        b"[" * 100000,
        b'{"format":"gumboot-job/1"}',
    ],
)
def test_what_is_no_job_at_all(data):
    with pytest.raises(job_file.BrokenFile) as refused:
        job_file.read(data)
    assert all(path and message for path, message in refused.value.faults)


@given(st.binary(max_size=200))
def test_any_bytes_are_refused_politely(data):
    with pytest.raises(job_file.BrokenFile):
        job_file.read(data)


def test_the_published_schema_is_a_schema_and_current():
    Draft202012Validator.check_schema(job_file.schema())
    assert Path("docs/job-file.schema.json").read_text() == job_file.schema_text()
