"""Parts put in for a fault: what is one, and which of them the record lacks."""

import pytest

from gumboot.core.hand_over.devices import Device
from gumboot.core.hand_over.faults import NoPiece, Piece, piece_of, waiting

UNIT = Device("inverter-1", "inverter-1", "Inverter", "Maker", "T10", True)
PACK = Device("pack-1", "pack-1", "Pack 1", "Maker", "V5", True)
SERIALS = {"inverter-1": "A1", "pack-1": "P1"}


def row(**typed):
    return piece_of(typed, (UNIT, PACK), SERIALS)


def test_an_empty_row_is_no_part():
    assert row() is None and row(device="", part="  ", was="", now="") is None


def test_a_device_brings_its_name_and_the_serial_it_had():
    found = row(device="pack-1", now="S/N: p2-77")
    assert found == Piece("pack-1", "Pack 1", "P1", "P2-77")
    assert found.says == "Pack 1, P1 → P2-77"
    assert row(device="pack-1", was="P0", now="P2-77").was == "P0"


def test_another_part_may_have_no_number():
    assert row(part="Fuse 100 A").says == "Fuse 100 A"
    assert row(device="other", part="Fuse 100 A", now="f 2").says.endswith("→ f 2")


@pytest.mark.parametrize(
    ("typed", "field"),
    [
        ({"now": "P2"}, "part"),
        ({"device": "other", "was": "x"}, "part"),
        ({"device": "pack-9", "now": "P2"}, "device"),
        ({"device": "pack-1"}, "now"),
        ({"device": "pack-1", "now": "4006381333931"}, "now"),
        ({"device": "pack-1", "now": "A1"}, "now"),
    ],
)
def test_what_is_no_part_names_its_field(typed, field):
    with pytest.raises(NoPiece) as found:
        row(**typed)
    assert found.value.field == field and str(found.value)


def test_a_device_waits_until_its_number_is_noted_after_it():
    pieces = [Piece("pack-1", "Pack 1", "P1", "P2").body(), Piece("", "Fuse", "", "F").body()]
    assert [p.now for p in waiting(pieces, 10, {"pack-1": (4, "P1")})] == ["P2"]
    assert [p.now for p in waiting(pieces, 10, {})] == ["P2"]
    assert waiting(pieces, 10, {"pack-1": (12, "P2")}) == []
    assert waiting(pieces, 10, {"pack-1": (12, "P3")}) == []  # replaced again since
    assert waiting(pieces, 10, {"pack-1": (4, "P2")}) == []
