"""The chained log: what stands, and what an edit behind its back does to the chain."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.core import log
from gumboot.core.design import design
from gumboot.core.log import Entry

UID = "00000000-0000-0000-0000-000000000000"


def chain(*bodies):
    out, prev = [], log.genesis(UID)
    for i, (kind, body) in enumerate(bodies, 1):
        text = log.canonical(body)
        h = log.digest(prev, i, f"u{i}", kind, "Osk", "installer", "t", "t", text)
        out.append(Entry(i, f"u{i}", kind, "Osk", "installer", "t", "t", body, prev, h))
        prev = h
    return out


READINGS = chain(*(("reading", {"termination": "a", "verdict": v, "torque_nm": 1.0}) for v in ("under", "good", "good", "over")))


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
        st.text(max_size=5), st.text(max_size=5) | st.floats(allow_nan=False, allow_infinity=False) | st.none() | st.booleans(), max_size=5
    )
)
def test_canonical_text_is_stable(body):
    import json

    assert log.canonical(json.loads(log.canonical(body))) == log.canonical(body)


def test_what_stands(heron):
    f = next(f for f in design(heron, catalogue()).findings if f.level == "check")
    accept = {"finding": f.key, "fingerprint": f.fingerprint, "says": f.says, "reason": "seen"}
    rows = chain(
        ("reading", {"termination": "a", "verdict": "under", "torque_nm": 1.0}),
        ("reading", {"termination": "a", "verdict": "good", "torque_nm": 2.0}),
        ("accept", accept),
        ("sign", {}),
    )
    standing = log.stand(rows)
    assert standing.verdicts == {"a": "good"} and standing.signed is rows[3] and standing.accepts(f) is rows[2]
    assert standing.accepts(replace(f, says="other numbers")) is None
    assert log.stand([*rows, *chain(("reopen", {"reason": "x"}))]).signed is None
