"""What bears a serial, what a code says, what differs, which photographs are wanted."""

from dataclasses import replace

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.hand_over.built import differences, marks, setting_of
from gumboot.core.hand_over.devices import devices, doubles
from gumboot.core.hand_over.pictures import wanted
from gumboot.core.hand_over.serials import NoSerial, gtin, serial_of
from gumboot.core.journal.entry import Entry
from gumboot.core.journal.log import Growing, LogState
from gumboot.core.plan import Plan
from gumboot.core.set import keying
from gumboot.core.wall import drill_sheet
from gumboot.demo.plans import JUNIPER_CUT, SALTINGS_BARN, TERN_HOLLOW
from gumboot.drawings.one_line import one_line
from gumboot.drawings.wall import draw_wall
from tests.designs import design
from tests.shapes import SHAPES, other


def made(document):
    return design(Plan.model_validate(document), catalogue())


@pytest.mark.parametrize("name", SHAPES)
def test_every_shape_has_its_devices_once(name):
    d = made(SHAPES[name])
    keys = [x.key for x in devices(d)]
    assert len(set(keys)) == len(keys)
    kit = d.plan.kit
    packs = sum(k.startswith("pack-") for k in keys)
    inside = bool(d.inverter.pack_inside)
    assert packs == (0 if inside else kit.packs * kit.series)
    assert sum(k.startswith("inverter-") for k in keys) == kit.inverters
    bodies = {b.id for b in d.bodies}
    assert all(x.body in bodies for x in devices(d) if x.body)


def test_a_stack_has_a_serial_a_module_and_a_bank_one_a_cell():
    barn, cut = made(SALTINGS_BARN), made(JUNIPER_CUT)
    kit = SALTINGS_BARN["kit"]
    assert sum(x.key.startswith("pack-") for x in devices(barn)) == kit["packs"] * kit["series"]
    assert any("cell 2" in x.label for x in devices(cut))


def test_doubles_count_blanks_and_case_as_nothing():
    rows = [("a", "X 12"), ("b", "x12"), ("c", ""), ("d", ""), ("e", "X13")]
    assert doubles(rows) == {"X12": ("a", "b")}


@pytest.mark.parametrize(
    ("text", "serial"),
    [
        ("22a-00417", "22A-00417"),
        ("P/N X-5 S/N: 22A-00417 QC 3", "22A-00417"),
        ("Serial No 4411-22", "4411-22"),
        ("(01)04006381333931(21)AB77", "AB77"),  # GS1 element string, AI 21
        ("0104006381333931\x1d21AB77", "AB77"),  # the same as a scanner gives it
    ],
)
def test_a_serial_is_found_in_what_a_code_says(text, serial):
    assert serial_of(text) == serial


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("4006381333931", "article's number"),  # GS1 General Specifications 7.9: 400638133393-1
        ("036000291452", "article's number"),  # a UPC-A often shown: check digit 2
        ("https://x.example/9", "a link"),
        ("WIFI:S:crew;;", "a link"),
        ("", "type the number"),
        ("ÄÖÜ?!", "letters, digits"),
    ],
)
def test_a_code_of_something_else_says_what_to_scan(text, says):
    with pytest.raises(NoSerial, match=says):
        serial_of(text)


def test_check_digits_by_hand():
    """GTIN-13 629104150021-3, worked in the GS1 check digit guide."""
    assert gtin("6291041500213") and not gtin("6291041500214") and not gtin("62910415002")


def entry(seq, kind, **body):
    return Entry(seq, str(seq), kind, "Osk", "installer", "", "2026-11-27T10:00:00Z", body, "", "")


def log(*entries):
    g = Growing(LogState())
    for e in entries:
        g.read(e)
    return replace(LogState(), last=g.last, drilled=g.drilled, steps=g.steps)


def test_what_was_built_otherwise_stands_beside_the_plan():
    d = made(TERN_HOLLOW)
    c = d.circuits[5].id
    said = {"label": "C6", "what": "length", "planned": "6.8 ft", "note": "round the door"}
    state = log(
        entry(1, "built", about=f"{c} length", built="9.5 ft", **said),
        entry(2, "built", about=f"{c} conductor", built="gone", **{**said, "what": "conductor"}),
        entry(3, "built", about=f"{c} conductor", built="", **{**said, "what": "conductor"}),
    )
    rows = differences(d, state)
    assert [(r.about, r.what, r.built) for r in rows] == [(c, "length", "9.5 ft")]
    shown = one_line(d, False, (), marks(rows, d))
    assert "≠ 9.5 ft" in shown and "≠" not in one_line(d)
    plain = one_line(d)
    drawn = [x for x in plain.split("<a ")[1:] if x.split(">")[0] not in shown]
    assert not drawn  # nothing planned is drawn anew


def test_a_hole_drilled_elsewhere_and_a_line_keyed_otherwise_come_by_themselves():
    d = made(TERN_HOLLOW)
    x = drill_sheet(d.walls[0])[0]
    hole = {"hole": x.hole.id, "label": x.label, "anchor": "", "digest": "", "note": ""}
    slot = entry(1, "drill", x_mm=x.x + 2, y_mm=x.y, planned_mm=[x.x, x.y], **hole)
    far = entry(2, "drill", x_mm=x.x + 40, y_mm=x.y, planned_mm=[x.x, x.y], **hole)
    assert differences(d, log(slot)) == ()
    (row,) = differences(d, log(slot, far))
    assert row.what == "place" and row.planned != row.built
    shown = draw_wall(d.walls[0], drilled=[(x.x + 40, x.y)])
    assert "≠" in shown and "≠" not in draw_wall(d.walls[0])


def test_a_line_keyed_otherwise_is_known_by_the_walks_own_key():
    """Of the second unit of two, where its menu holds it; a line planned anew since is not it."""
    d = made(TERN_HOLLOW)
    lines = [s for s in keying.steps_of(d) if s.key.startswith("key.2.")]
    own = next(s for s in lines if s.does == "key" and s.least is not None)
    body = {"step": own.key, "label": own.title, "expected": own.expects, "typed": "51"}
    keyed = entry(3, "set", verdict="outside", note="cold pack", **body)
    (row,) = differences(d, log(keyed))
    assert (row.what, row.built) == ("setting", "51") and "inverter 2" in row.label
    assert setting_of(row.about)[0] == 2
    gone = {**body, "step": f"key.2.{setting_of(own.key)[1]}=nothing"}
    assert differences(d, log(entry(4, "set", verdict="outside", note="", **gone))) == ()


@pytest.mark.parametrize("name", SHAPES)
def test_photographs_wanted_follow_from_the_job(name):
    d = made(SHAPES[name])
    rows = wanted(d)
    keys = {x.key for x in rows}
    assert len(keys) == len(rows)
    assert ("meter" in keys) is (d.plan.supply.kind != "off-grid")
    assert ("roof" in keys) is bool(d.strings)
    covers = {t.body for t in d.terminations if t.kind == "cover"}
    boxes = {b.id for b in d.bodies}
    assert {k.removeprefix("block.") for k in keys if k.startswith("block.")} == covers & boxes


def test_walls_want_their_fixings_and_what_is_kept_clear():
    keys = {x.key for x in wanted(made(TERN_HOLLOW))}
    assert {"fixings.A", "clear.A"} <= keys
    bare = {x.key for x in wanted(made(other(TERN_HOLLOW)))}
    assert not any(k.startswith(("fixings", "clear")) for k in bare)
