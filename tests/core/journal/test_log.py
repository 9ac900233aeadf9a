"""The chained log: what stands, and what an edit behind its back does to the chain."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.core.journal import log
from gumboot.core.journal.log import Entry
from tests.conftest import READING, altered
from tests.designs import design

UID = "00000000-0000-0000-0000-000000000000"


def chain(*bodies, before=()):
    out, prev = [], before[-1].hash if before else log.genesis(UID)
    for i, (kind, body) in enumerate(bodies, len(before) + 1):
        text = log.canonical(body)
        h = log.digest(prev, i, f"u{i}", kind, "Osk", "installer", "t", "t", text)
        out.append(Entry(i, f"u{i}", kind, "Osk", "installer", "t", "t", body, prev, h))
        prev = h
    return out


READINGS = chain(
    *(
        ("reading", {"termination": "a", "verdict": v, "torque_nm": 1.0})
        for v in ("under", "good", "good", "over")
    )
)


def test_a_whole_chain_holds():
    assert log.first_broken(UID, READINGS) is None
    assert log.first_broken("11111111-0000-0000-0000-000000000000", READINGS) == 1


@pytest.mark.parametrize(
    "change",
    [
        {"who": "Other"},
        {"body": {"termination": "a", "verdict": "good", "torque_nm": 2.0}},
        {"at_server": "u"},
        {"seq": 9},
        {"kind": "sign"},
        {"prev": "x"},
        {"hash": "y"},
        {"uuid": "z"},
        {"role": "planner"},
        {"at_device": "q"},
    ],
)
@pytest.mark.parametrize("at", [0, 2, 3])
def test_any_edit_is_found_where_it_is(change, at):
    edited = [replace(e, **change) if i == at else e for i, e in enumerate(READINGS)]
    assert log.first_broken(UID, edited) == at + 1


def test_a_removed_entry_is_found():
    assert log.first_broken(UID, READINGS[:1] + READINGS[2:]) == 2


@given(
    st.dictionaries(
        st.text(max_size=5),
        st.text(max_size=5)
        | st.floats(allow_nan=False, allow_infinity=False)
        | st.none()
        | st.booleans(),
        max_size=5,
    )
)
def test_canonical_text_is_stable(body):
    import json

    assert log.canonical(json.loads(log.canonical(body))) == log.canonical(body)


def test_reading_on_is_reading_from_the_start():
    rows = chain(
        *[
            (
                "reading",
                {
                    **READING,
                    "termination": "ab"[i % 2],
                    "torque_nm": 1 + i / 10,
                    "verdict": ["under", "good"][i % 2],
                },
            )
            for i in range(9)
        ]
    )
    step = {
        "termination": "a",
        "label": "A",
        "act": "taken back",
        "note": "not so",
        "corrects": rows[0].uuid,
    }
    rows = [*rows, *chain(("step", step), before=rows)]
    whole = log.read(rows)
    for cut in range(len(rows) + 1):
        first = log.read(rows[:cut])
        first.termination("a", ("torqued",))  # what was remembered must not outlive what comes
        assert log.carry_on(first, rows[cut:]) == whole
        assert log.carry_on(first, rows[cut:]).termination("a", ("torqued",)) == whole.termination(
            "a", ("torqued",)
        )
    assert sum(whole.ratios.values()) == 8 and whole.ratios[0.5] == 0


def test_what_stands(heron):
    made = design(altered(heron, "/fitted/grid-1/protection_a", 65), catalogue())
    f = next(f for f in made.findings if f.level == "check")
    accept = {"finding": f.key, "fingerprint": f.fingerprint, "says": f.says, "reason": "seen"}
    rows = chain(
        ("reading", {**READING, "verdict": "under", "torque_nm": 1.0}),
        ("reading", {**READING, "verdict": "good", "torque_nm": 2.0}),
        ("accept", accept),
        ("sign", {}),
    )
    standing = log.read(rows)
    assert standing.termination("a", ("torqued", "marked")).state == "torqued" and [
        m.verdict for m in standing.events["a"]
    ] == ["under", "good"]
    assert standing.ratios == {0.5: 1, 1.0: 1} and sum(standing.hours.values()) == 4
    assert standing.signed is rows[3] and standing.accepts(f) is rows[2]
    assert standing.accepts(replace(f, says="other numbers")) is None
    assert log.read([*rows, *chain(("reopen", {"reason": "x"}))]).signed is None


@pytest.mark.parametrize(
    ("device", "told"),
    [
        ("2026-11-25T07:00:00Z", "2026-11-25T07:00:00Z"),
        ("2026-11-25T09:00:01Z", "server"),
        ("2099-01-01T00:00:00Z", "server"),
        ("yesterday", "server"),
        ("", "server"),
        ("2026-11-25T07:00:00", "server"),
    ],
)
def test_when_an_entry_was_made_is_never_after_it_came_in(device, told):
    e = replace(READINGS[0], at_device=device, at_server="2026-11-25T09:00:00.000+00:00")
    assert log.when(e) == (e.at_server if told == "server" else told)


def test_an_entry_cannot_be_read_as_another_role():
    """The same joined text, cut elsewhere: "Osk" as supervisor, or two lines as one name."""
    body = log.canonical({"reason": "x"})
    prev = log.genesis(UID)
    own = log.digest(prev, 1, "u1", "accept", "Osk", "supervisor", "t", "t", body)
    honest = Entry(1, "u1", "accept", "Osk", "supervisor", "t", "t", {"reason": "x"}, prev, own)
    assert log.first_broken(UID, [honest]) is None
    for cut in (
        {"who": "Osk\nsupervisor", "role": "t", "at_device": "t", "at_server": ""},
        {"kind": "accept\nOsk", "who": "supervisor", "role": "t", "at_server": "t"},
    ):
        assert log.first_broken(UID, [replace(honest, **cut)]) == 1
    with pytest.raises(ValueError, match="more than one line"):
        log.digest(prev, 1, "u1", "accept", "Osk\nsupervisor", "t", "t", "t", body)
    assert log.of_one_line("Osk\nTarn") == "Osk Tarn"
