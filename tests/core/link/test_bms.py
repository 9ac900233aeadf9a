"""Frames read by a DBC, against cantools' own encoder; what is wrong on a battery bus is named."""

import cantools
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.core.kit.dbc import MOST_DBC, BadDbc, read_dbc
from gumboot.core.link.bms import Frame, heard
from gumboot.devices.bms import chain_of, wrong

DBC = catalogue().packs["tidewell-14"].dbc


def frames(text="", packs=3, turns=2):
    chain = chain_of(DBC, packs)
    wrong(chain, text)
    return [Frame(i, False, d, 0.0) for _ in range(turns) for i, d in chain.frames()]


def says(text, **more):
    return " ".join(heard(frames(text), DBC, [1, 2, 3], "open pack CAN 1", 5e5, **more).says)


def test_a_sound_chain_is_heard_whole():
    h = heard(frames(), DBC, [1, 2, 3], "", 5e5, 5e5)
    assert h.sound and h.says == () and [p.address for p in h.packs] == [1, 2, 3]
    assert h.bank["charge_limit"] == (300.0, "A")
    assert all(p.values["volts"] == pytest.approx(52.9, abs=0.1) for p in h.packs)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("twice 2", "2 packs are at address 2"),
        ("silent 3", "Address 3 is silent"),
        ("protocol", "none of the protocol open pack CAN 1"),
        ("alarm 1", "alarm: cell high"),
    ],
)
def test_what_is_wrong_is_named(text, words):
    assert words in says(text)


def test_nothing_heard_and_another_bit_rate():
    assert "Nothing is heard" in heard([], DBC, [1]).says[0]
    assert "speaks at 250 kbit/s; the sheets say 500" in says("", found_rate=250_000.0)


@given(
    st.integers(0, 15),
    st.integers(0, 4095),
    st.floats(0, 100),
    st.floats(0, 600),
    st.floats(-3000, 3000),
)
def test_every_value_comes_back_as_it_was_sent(address, serial, soc, volts, amps):
    """Encoded by cantools itself: a round trip to the DBC's own step."""
    message = cantools.database.load_string(DBC).get_message_by_name("PackState")
    sent = {
        "address": address,
        "serial": serial,
        "soc": soc,
        "temperature": 21,
        "volts": volts,
        "amps": amps,
    }
    data = bytes(message.encode(sent))
    (pack,) = heard([Frame(message.frame_id, False, data, 0)], DBC, []).packs
    assert (pack.address, pack.serial) == (address, serial)
    assert pack.values["soc"] == pytest.approx(soc, abs=0.26)
    assert pack.values["volts"] == pytest.approx(volts, abs=0.006)
    assert pack.values["amps"] == pytest.approx(amps, abs=0.06)


OVER = """VERSION ""
BU_: P
BO_ 100 M: 8 P
 SG_ a : 0|16@1+ (1,0) [0|1] "" P
 SG_ b : 8|16@1+ (1,0) [0|1] "" P
"""


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("x" * (MOST_DBC + 1), "characters"),
        (OVER, "overlap"),
        ("nonsense", "no DBC that can be read"),
        ('VERSION ""\n', "names no message"),
    ],
)
def test_what_is_no_dbc_is_refused_in_words(text, words):
    with pytest.raises(BadDbc, match=words):
        read_dbc(text)


@given(st.lists(st.tuples(st.integers(0, 0x7FF), st.binary(max_size=8)), max_size=30))
def test_no_frame_breaks_it(rows):
    h = heard([Frame(i, False, d, 0) for i, d in rows], DBC, [1, 2])
    assert h.frames == len(rows)
