"""Screws whose maker is silent, held against the same tables in their other unit, against the
strength of a screw, and on a job.
"""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.units import NM_INLB
from gumboot.core.codes import OutsideTable, table
from gumboot.core.codes.screws import annex_i, drive, iec_60947
from gumboot.core.kit import Catalogue, Device
from gumboot.core.kit.terminal import Terminal
from gumboot.core.land.listing import rated_torque
from tests.designs import design

# NEC 2023 Annex I prints N·m beside in·lb: its columns of N·m, recalled from memory
PRINTED_NM = {
    ("14", "slot 5 mm"): 2.3,
    ("8", "slot 5 mm"): 2.8,
    ("6", "slot 5 mm"): 4.0,
    ("2", "slot 5 mm"): 4.5,
    ("14", "slot 8 mm"): 4.0,
    ("8", "slot 8 mm"): 4.5,
    ("4", "slot 8 mm"): 5.1,
    ("1/0", "slot 8 mm"): 5.6,
    ("10", "socket 13 mm"): 8.5,
    ("4", "socket 13 mm"): 12.4,
    ("1", "socket 13 mm"): 16.9,
    ("2/0", "socket 13 mm"): 20.3,
    ("4/0", "socket 13 mm"): 28.2,
    ("350", "socket 13 mm"): 36.7,
    ("500", "socket 13 mm"): 42.4,
    ("4", "hex 1/8 in"): 5.1,
    ("4", "hex 5/32 in"): 11.3,
    ("4", "hex 3/16 in"): 13.6,
    ("4", "hex 7/32 in"): 16.9,
    ("4", "hex 1/4 in"): 22.6,
    ("4", "hex 5/16 in"): 31.1,
    ("4", "hex 3/8 in"): 42.4,
    ("4", "hex 1/2 in"): 56.5,
    ("4", "hex 9/16 in"): 67.8,
}


@pytest.mark.parametrize(("size", "bit"), PRINTED_NM)
def test_annex_i_in_its_other_unit(size, bit):
    assert annex_i(size, bit).n / NM_INLB == pytest.approx(PRINTED_NM[size, bit], abs=0.07)


def test_annex_i_ends_where_it_ends():
    for size, bit, says in (
        ("1/0", "slot 6 mm", "has nothing for 1/0"),
        ("4", "hex 5 mm", "no key of 5 mm"),
        ("4", "hexalobular T25", "no hexalobular"),
    ):
        with pytest.raises(OutsideTable, match=says):
            annex_i(size, bit)
    assert annex_i("4", "hex 4 mm").n == 100  # 4 mm and 5/32 in are one hole


# IEC 60898-1 Table 11 and IEC 60999-1 Table 4 repeat these rows: recalled from memory, thread by
# thread
OF_THREAD = {
    "M2.5": (0.2, 0.4, 0.4),
    "M3": (0.25, 0.5, 0.5),
    "M3.5": (0.4, 0.8, 0.8),
    "M4": (0.7, 1.2, 1.2),
    "M5": (0.8, 2.0, 2.0),
    "M6": (1.2, 2.5, 3.0),
    "M8": (2.5, 3.5, 6.0),
    "M10": (None, 4.0, 10.0),
}


@pytest.mark.parametrize("thread", OF_THREAD)
def test_iec_by_thread(thread):
    for bit, want in zip(
        ("slot 2 mm", "slot 12 mm", "socket 13 mm"), OF_THREAD[thread], strict=True
    ):
        if want is None:
            with pytest.raises(OutsideTable, match="nothing for"):
                iec_60947(thread, bit)
        else:
            assert iec_60947(thread, bit).n == want


# Tensile stress areas in mm², ISO 898-1 Table 4
STRESS_AREA = {3: 5.03, 4: 8.78, 5: 14.2, 6: 20.1, 8: 36.6, 10: 58.0, 12: 84.3, 16: 157, 20: 245}


@pytest.mark.parametrize("d", STRESS_AREA)
def test_no_torque_breaks_a_plain_screw(d):
    """M = 0.2·d·F with F three quarters of the proof load of property class 4.8, 310 MPa (ISO
    898-1).
    """
    most_nm = 0.2 * d / 1000 * 0.75 * 310 * STRESS_AREA[d]
    assert 0.1 * most_nm < iec_60947(f"M{d}", "socket 13 mm").n < most_nm


def test_torques_never_fall_as_threads_grow():
    for column in ("I", "II", "III"):
        values = [float(r[column]) for r in table("iec_60947_1_4") if r[column]]
        assert values == sorted(values)


def test_bits_in_words():
    assert drive("socket 17 mm, insulated") == ("socket", 17) and drive("cross PH2") == ("cross", 2)
    for bit in ("", "slot", "hex 5", "hex 3/0 in", "wood bit 3 mm", "driver"):
        with pytest.raises(OutsideTable, match="does not say how"):
            drive(bit)


def terminal(**more):
    return Terminal.model_validate(
        {"id": "n", "label": "N", "conductor": "N", "end": "bare", "strip_mm": 12, "source": "book"}
        | more
    )


def test_a_silent_terminal_under_each_book():
    of_awg = rated_torque(terminal(most="2", bit="slot 6 mm"), "6")
    assert of_awg.exact == "3.954 N·m" and "Annex I" in of_awg.source and of_awg.doubt
    of_thread = rated_torque(
        terminal(least="1.5 mm²", most="16 mm²", bit="cross PH2", thread="M5"), "6 mm²"
    )
    of_stud = terminal(least="1.5 mm²", most="95 mm²", end="lug", stud="M8", bit="socket 13 mm")
    assert rated_torque(of_stud, "35 mm²").n == 6
    with pytest.raises(ValueError, match="bolt of a lug needs its torque"):
        terminal(most="4/0", end="lug", stud="M10", bit="socket 16 mm")
    assert of_thread.n == 2 and of_thread.source == "IEC 60947-1 Table 4" and of_thread.doubt


def test_a_torque_that_nobody_knows_is_a_stop(tern):
    """A neutral bar turned with a hexalobular bit, its maker silent."""
    book = Catalogue(
        e.model_copy(
            update={
                "terminals": tuple(
                    t.model_copy(update={"bit": "hexalobular T40"}) if t.id == "n" else t
                    for t in e.terminals
                )
            }
        )
        if isinstance(e, Device) and e.role == "panel"
        else e
        for e in catalogue().entries.values()
    )
    found = [f for f in design(tern, book).findings if f.key.endswith(".torque")]
    assert found and all(f.level == "stop" and "No torque is known" in f.says for f in found)


@pytest.mark.parametrize(
    ("size", "bit", "thread", "inlb", "nm"),
    [
        ("12", "slot 4 mm", "", 7, 0.79),
        ("8", "slot 6 mm", "M4", 7, 0.79),
        ("10", "slot 6.5 mm", "M4.5", 12, 1.36),
        ("10", "cross PH1", "", 7, 0.79),
        ("10", "cross PH2", "", 20, 2.26),  # not known to be small: Table I.1
        ("6", "slot 4 mm", "", 35, 3.95),  # Table I.2 is for 8 AWG and less
        ("10", "slot 6 mm", "M5", 20, 2.26),
    ],
)
def test_screws_under_number_ten(size, bit, thread, inlb, nm):
    """Annex I Table I.2, in both the units it prints (from memory)."""
    figure = annex_i(size, bit, thread)
    assert figure.n == inlb and inlb / NM_INLB == pytest.approx(nm, abs=0.04)
    assert figure.source.endswith("I.2" if inlb < 20 else "I.1")
