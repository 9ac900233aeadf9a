"""CSV of recording wrenches: whatever the heads, units and separators; what cannot be read is said
by line.
"""

import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from gumboot.imports.interval import Unreadable
from gumboot.imports.torque_csv import read_torque_csv


@pytest.mark.parametrize(
    "text",
    [
        "No,Time,Torque,Unit,Tool\n1,2026-11-25T08:00:00Z,12.1,N·m,MT-1\n"
        "2,2026-11-25T08:01:00Z,106.2,in-lb,MT-1\n",
        "torque_nm;date\n12.1;2026-11-25\n12;2026-11-25\n",
        "Peak torque [N.m]\tSerial\n12,1\tMT-1\n12,0\tMT-1\n",
        "reading,when\n12.1 Nm,now\n8.85 ft-lb,then\n",
        "\ufeffTorque (Nm)\r\n12.1\r\n\r\n12\r\n",
    ],
)
def test_heads_units_and_separators(text):
    rows, report = read_torque_csv(text.encode())
    assert [r.torque_nm for r in rows] == pytest.approx([12.1, 12.0], rel=1e-3) and report.bad == ()


def test_lines_that_cannot_be_read_are_said_and_the_others_kept():
    rows, report = read_torque_csv(b"torque,unit,label\n12,Nm,A\nsnug,Nm,B\n5,V,C\n-1,Nm,D\n7,,E\n")
    assert [r.label for r in rows] == ["A"] and [n for n, _ in report.bad] == [3, 4, 5, 6]
    assert (
        "is not a torque" in report.bad[0][1]
        and "not a unit" in report.bad[1][1]
        and "add a column called unit" in report.bad[3][1]
    )


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "no readings"),
        (b"a,b\n1,2\n", "no column is called"),
        (b"torque\nx\n", "line 2"),
        (b"\x00\x01", "no text file"),
        (b"torque nm\n" + b"5\n" * 2001, "at most 2000"),
        (b"torque nm,label\n5," + b"x" * 200_000, "no CSV of readings"),
    ],
)
def test_what_is_no_such_file_says_what_to_send(data, words):
    with pytest.raises(Unreadable, match=words):
        read_torque_csv(data)


@forall(st.binary(max_size=400))
def test_any_bytes_are_read_or_refused(data):
    try:
        rows, _ = read_torque_csv(data)
        assert all(0 < r.torque_nm <= 1000 for r in rows)
    except Unreadable as exc:
        assert str(exc)
