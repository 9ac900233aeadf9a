"""Whatever is sent, there is a page that says what to do; never a fault of ours."""

import json

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.exports import job_file
from tests.designs import design
from tests.exports.test_job_file import UID, logs

pytestmark = pytest.mark.long

NAMES = [
    "version",
    "finding",
    "cure",
    "back",
    "circuit",
    "size",
    "protection",
    "termination",
    "torque",
    "wrench",
    "uuid",
    "corrects",
    "replaced",
    "note",
    "reason",
    "fingerprint",
    "digest",
    "rows",
    "more",
    "charge_a",
    "mode",
    "units",
    "name",
    "serial",
    "least",
    "most",
    "calibrated_until",
    "site/name",
    "site/t_min_c",
    "kit/packs",
    "kit/pack",
    "strings/0/modules",
    "strings/0/letter",
    "runs/grid/length_m",
    "at_device",
    "file",
    "next",
    "email",
]
LIKELY = [
    "",
    "1",
    "0",
    "-1",
    "9e99",
    "battery-2",
    "pv-C.cold",
    "factory.dc-link-1@inverter-1",
    "5 Nm",
    "NaN",
    "∞",
    "²",
    "١٢",
    "\x00",
    "a" * 3000,
    "<b>",
    "//evil",
    "2/0",
    "2030-13-45",
    "{{7*7}}",
    "%s%n",
    "'; --",
]
likely = st.sampled_from(LIKELY)
fields = st.dictionaries(st.sampled_from(NAMES), likely | st.text(max_size=40), max_size=12)
quick = settings(
    max_examples=12,
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.function_scoped_fixture],
)


@pytest.fixture(scope="module")
def job_id(planner):
    return next(
        j["id"] for j in planner.get("/jobs.json").json()["jobs"] if j["name"] == "Tern Hollow"
    )


def test_a_question_with_a_nul_is_answered(supervisor, job_id):
    """PostgreSQL keeps no NUL in a text (its manual, 8.3)."""
    answer = supervisor.get(f"/jobs/{job_id}/land/log?termination=%00&who=a%00b")
    assert answer.status_code == 200


texts = st.sampled_from(
    [
        "",
        "a\x00b",
        "\ud800",
        "\x1d",
        "9" * 190,
        "proven",
        "torqued",
        "12",
        "1e400",
        "termination",
        "2026-11-25T08:00:00Z",
        "0001-01-01T00:00:00+14:00",
    ]
) | st.text(max_size=60)
entries = st.fixed_dictionaries(
    {
        "uuid": st.uuids().map(str),
        "kind": st.sampled_from(["termination", "hole"]),
        "key": texts | st.just("dead@inverter-1"),
        "act": texts,
    },
    optional=dict.fromkeys(
        (
            "at_device",
            "label",
            "typed",
            "wrench",
            "corrects",
            "note",
            "device",
            "wall",
            "right",
            "up",
        ),
        texts,
    )
    | {"seen": st.integers(-5, 2**40), "replaced": st.booleans(), "again": st.booleans()},
)


@given(
    sent=st.lists(
        entries | st.dictionaries(texts, texts, max_size=3) | st.integers(), min_size=1, max_size=4
    )
)
@quick
def test_entries_of_any_kind(installer, new_job, heron, sent):
    """One that cannot be kept is refused and holds back no other; what is kept can be exported."""
    job = new_job(heron)
    answer = installer.http.post(
        f"/jobs/{job}/log",
        content=json.dumps({"entries": sent}),
        headers={"content-type": "application/json", "x-csrf-token": installer.csrf},
    )
    assert answer.status_code == 200 and [
        e["state"] in ("kept", "refused") for e in answer.json()["entries"]
    ] == [True] * len(sent)
    assert installer.get(f"/jobs/{job}/export.json").status_code == 200


@pytest.mark.long
@given(rows=logs)
@quick
def test_pages_of_any_log(supervisor, heron, rows):
    """A job taken in with any log that keeps the schema has all its pages."""
    text = job_file.write(UID, 3, heron, design(heron, catalogue()), rows)
    taken = supervisor.post("/jobs/import", files={"file": ("job.json", text)})
    assert taken.status_code == 303
    job = taken.headers["location"].rsplit("/", 1)[0]
    for page in ("brief", "size", "land", "set", "hand-over"):
        assert (
            supervisor.get(f"{job}/{page}").status_code
            == supervisor.get(f"{job}/{page}.json").status_code
            == 200
        )
    assert json.loads(supervisor.get(f"{job}/export.json").text)["log"] == json.loads(text)["log"]
