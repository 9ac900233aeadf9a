"""The walk of Link: its order, its readings, and what a wrong one means."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.kit import Catalogue, Switches
from gumboot.core.land.entering import Refused
from gumboot.core.link.entering import entry_body
from gumboot.core.plan import Plan
from gumboot.core.walk.entering import Entry, read_value
from gumboot.core.walk.step import Step
from gumboot.demo import plans
from tests.designs import design


@pytest.fixture(scope="module")
def tern():
    return design(Plan.model_validate(plans.TERN_HOLLOW), catalogue()).harness


def test_packs_are_programmed_one_at_a_time(tern):
    """All off; one on; protocol; address; off and on; read back; off; the next (common
    practice).
    """
    keys = [s.key for s in tern.steps if s.key.startswith("address.")]
    assert keys[0] == "address.inverter-1.off"
    each = ["on", "open", "protocol", "set", "cycle", "read", "done"]
    assert keys[1:] == [f"address.pack-{n}.{k}" for n in (1, 2, 3) for k in each]
    assert len({s.key for s in tern.steps}) == len(tern.steps)


def test_a_jumper_goes_out_before_its_lead_goes_in(tern):
    keys = [s.key for s in tern.steps]
    for x in tern.leads:
        if x.jumpers:
            assert keys.index(f"lead.{x.id}.jumper@{x.here.body}") < keys.index(f"lead.{x.id}.in")


@pytest.mark.parametrize(
    ("does", "typed", "value"),
    [
        ("ohm", "60", 60),
        ("ohm", "0,06 k", 60),
        ("ohm", "60 Ω", 60),
        ("ohm", "OL", 3000),
        ("ohm", "open", 3000),
        ("ohm", "1.2M", 3000),
        ("dbm", "67", -67),
        ("dbm", "−67 dBm", -67),
        ("volt", "11,8 V", 11.8),
        ("volt", "950 mV", 0.95),
    ],
)
def test_readings_as_they_are_typed(does, typed, value):
    assert read_value(Step("x", "", "", "", does), typed) == pytest.approx(value)


@pytest.mark.parametrize(
    ("does", "typed"),
    [("ohm", ""), ("ohm", "sixty"), ("ohm", "-5"), ("dbm", "900"), ("volt", "12 A"), ("dbm", "6k")],
)
def test_what_is_no_reading_is_refused_with_what_to_type(does, typed):
    with pytest.raises(Refused, match="type"):
        read_value(Step("x", "", "", "", does), typed)


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("60", ""),
        ("120", "missing"),
        ("40", "too many"),
        ("0.2", "touch"),
        ("open", "across the pair"),
    ],
)
def test_ohms_of_a_bus_and_what_they_mean(tern, typed, words):
    body = entry_body(tern, Entry("ohm.pack-1-pack-2.0", "", "done", typed))
    assert body["verdict"] == ("done" if not words else "outside")
    assert words in body["why"]


def test_pins_typed_one_by_one(tern):
    key = "lead.link-BMS link.through"
    right = entry_body(tern, Entry(key, "", "done", "7=4 8=5"))
    assert right["verdict"] == "done"
    crossed = entry_body(tern, Entry(key, "", "done", "7=5; 8=4"))
    assert crossed["verdict"] == "outside" and "crossed" in crossed["why"]
    for typed in ("", "7=4", "9=1 7=4 8=5"):
        with pytest.raises(Refused):
            entry_body(tern, Entry(key, "", "done", typed))


def test_left_out_wants_a_reason_and_a_step_that_went_is_said(tern):
    with pytest.raises(Refused, match="why"):
        entry_body(tern, Entry("before.customer", "", "declined"))
    assert entry_body(tern, Entry("before.customer", "", "back"))["verdict"] == "taken back"
    with pytest.raises(Refused, match="reload"):
        entry_body(tern, Entry("nothing", "", "done"))


def test_ohms_are_not_judged_where_a_sheet_is_silent_of_its_terminator():
    from tests.core.link.test_own_kit import made

    h = made("an older edition without pins")
    rows = [s for s in h.steps if s.key.startswith("ohm.")]
    assert rows and all(s.least is None and s.most is None for s in rows)
    assert "says nothing of a terminator" in rows[0].says
    body = entry_body(h, Entry(rows[0].key, "", "done", "118"))
    assert body["verdict"] == "done" and body["value"] == 118


def test_a_contact_in_a_loop_has_no_volts_across_it(tern):
    """Closed it shorts them; what is read are the ohms of its two wires and contacts."""
    keys = [s.key for s in tern.steps if s.key.startswith("loop.")]
    assert keys and not any(k.endswith(".volts") for k in keys)
    for x in tern.leads:
        if x.cable.serves == "shutdown":
            closed = tern.step(f"loop.{x.id}.closed")
            wires = 2 * 0.01724 / 0.2047 * x.length.n  # 24 AWG, out and back
            assert closed.most == pytest.approx(wires + 1.0, abs=0.06)


def test_the_transformers_test_is_a_step_and_not_ticked(tern):
    step = tern.step("ct.test")
    assert step is tern.steps[-1]
    with pytest.raises(Refused, match="CT test"):
        entry_body(tern, Entry(step.key, "", "done"))
    assert entry_body(tern, Entry(step.key, "", "declined", note="later"))["verdict"] == "declined"


def test_switches_that_choose_a_protocol_have_their_pattern():
    shelf = catalogue()
    pack = shelf.packs["tidewell-14"]
    row = Switches(label="P", sets="protocol", count=2, patterns=("open pack CAN 1 = 01",))
    own = pack.model_copy(update={"switches": (*pack.switches, row)})
    kit = Catalogue([own, *(e for e in shelf.entries.values() if e.id != pack.id)])
    h = design(Plan.model_validate(plans.TERN_HOLLOW), kit).harness
    told = [s.pattern for s in h.settings if s.sets == "protocol"]
    assert told == ["01"] * 3


def test_a_shield_that_touches_a_wire_is_found_by_a_reading_of_its_own(tern):
    """Across the pair it does not show (Ohm): one wire to the shield leaves the 60 Ω as they
    are.
    """
    keys = [s.key for s in tern.steps if s.key.startswith("shield.")]
    assert keys == ["shield.pack-1-pack-2", "shield.parallel-link-1"]
    body = entry_body(tern, Entry(keys[0], "", "done", "0.4"))
    assert body["verdict"] == "outside" and "touches" in body["why"]
    assert entry_body(tern, Entry(keys[0], "", "done", "OL"))["verdict"] == "done"
