"""No dangerous value passes in silence, whatever a menu calls its lines and choices."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.kit import Catalogue, MenuItem
from gumboot.core.plan import Plan
from gumboot.core.set.settings.choosing import pick
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, SALTINGS_BARN, TERN_HOLLOW
from tests.conftest import altered
from tests.designs import design


def plan(document, **keyed):
    p = Plan.model_validate(document)
    return altered(p, "/settings", {**p.settings, **keyed})


def found(p, book=None):
    return {f.key: f for f in design(p, book or catalogue()).findings if f.key.startswith("set.")}


def shelf(id, menu):
    """The shelf with another menu on one unit."""
    book = catalogue()
    units = [
        e.model_copy(update={"menu": tuple(menu)}) if e.id == id else e
        for e in book.inverters.values()
    ]
    return Catalogue([*units, *(e for e in book.entries.values() if e.id not in book.inverters)])


@pytest.mark.parametrize(
    ("document", "id", "value", "key"),
    [
        (HERON_SLIP, "bond", "on in island", "set.bond.bond"),
        (HERON_SLIP, "battery_type", "lead, flooded", "set.battery_type.cells"),
        (HERON_SLIP, "battery_type", "lithium without BMS", "set.battery_type.cells"),
        (JUNIPER_CUT, "battery_type", "lithium with BMS", "set.battery_type.cells"),
        (HERON_SLIP, "equalise", "on", "set.equalise.cells"),
        (HERON_SLIP, "link", "none", "set.link.bms"),
        (HERON_SLIP, "link", "RS-485 9600 bit/s", "set.link.bms"),
        (HERON_SLIP, "cut_v", 41, "set.cut_v.bms"),
        (HERON_SLIP, "absorb_v", 59, "set.absorb_v.bms"),
        (HERON_SLIP, "float_v", 59, "set.float_v.bms"),
    ],
)
def test_what_harms_is_a_stop_that_a_click_takes_back(document, id, value, key):
    p = plan(document, **{id: value})
    stop = found(p)[key]
    assert stop.level == "stop"
    (change,) = stop.cures[0].changes
    assert key not in found(altered(p, change.path, change.value))


def test_what_agrees_is_kept():
    """Flooded cells are equalised; an inverter's relay that the plan asks for is on."""
    assert "set.equalise.cells" not in found(plan(JUNIPER_CUT, equalise="on"))
    bonded = altered(Plan.model_validate(HERON_SLIP), "/backup/bond", "inverter")
    rows = {s.id: s.value for s in design(bonded, catalogue()).settings}
    assert rows["bond"] == "on in island"


def test_a_window_in_self_use_does_nothing():
    assert found(plan(HERON_SLIP, charge_1="02:00-05:00 to 80 %"))["set.charge_1.unused"]
    windows = plan(HERON_SLIP, charge_1="02:00-05:00 to 80 %", mode="time windows")
    assert "set.charge_1.unused" not in found(windows)


@pytest.mark.parametrize(
    ("keyed", "key"),
    [
        ({"cut_v": 50, "float_v": 50}, "set.cut_v.float_v"),  # not neighbours
        ({"warn_v": 54, "absorb_v": 53}, "set.warn_v.absorb_v"),
        ({"floor_off_grid": 50}, "set.floor_off_grid.floor_on_grid"),
        ({"floor_off_grid": 50, "floor_on_grid": 60}, "set.floor_off_grid.reserve_soc"),
    ],
)
def test_any_two_lines_of_one_order(keyed, key):
    assert found(plan(HERON_SLIP, **keyed))[key].level == "stop"


def line(id, rule, **more):
    return MenuItem(id=id, group="Other", label=id.replace("_", " "), rule=rule, **more)


def test_a_menu_of_other_words_is_filled_by_meaning():
    """No id and no choice as the shipped menus have them."""
    menu = (
        line("p05", "lithium", options=("AGM", "FLD", "Li-ion")),
        line("p07", "equalise_off", options=("Disable", "Enable")),
        line("p11", "bond_off", options=("DIS", "Disable", "Enable")),
        line("p12", "mode", options=("SELF USE", "BACKUP", "TIME OF USE SCHEDULE")),
        line("p20", "cut", unit="V", least=40, most=48, step=0.5),
        line("p21", "link", options=("CAN", "RS485", "None")),
        line("p22", "role", options=("Single", "Leader", "Follower")),
    )
    book = shelf("marram-s8", menu)
    rows = {s.id: s.value for s in design(Plan.model_validate(HERON_SLIP), book).settings}
    assert rows == {
        "p05": "Li-ion",
        "p07": "Disable",
        "p11": "Disable",
        "p12": "SELF USE",
        "p20": 48,
        "p21": "CAN",
        "p22": "Single",
    }
    wrong = plan(HERON_SLIP, p05="AGM", p07="Enable", p20=41, p21="None")
    keys = found(wrong, book)
    assert {"set.p05.cells", "set.p07.cells", "set.p20.bms", "set.p21.bms"} <= set(keys)


def test_a_proposal_keeps_to_the_menu_or_says_that_it_cannot():
    """16 cells at 3.5 V are 56 V; a menu that ends at 54 V is keyed 54 V, and that is said."""
    book = shelf("marram-s8", (line("a", "absorb", unit="V", least=48, most=54, step=0.1),))
    d = design(Plan.model_validate(HERON_SLIP), book)
    assert d.settings[0].value == 54 and "56 V" in found(d.plan, book)["set.a.lacks"].says
    none = shelf("marram-s8", (line("b", "lithium", options=("AGM", "FLD")),))
    lacks = found(Plan.model_validate(HERON_SLIP), none)["set.b.lacks"]
    assert "AGM, FLD" in lacks.says
    assert "which the menu lacks" in d.settings[0].reason


def test_a_limit_that_ends_sooner_holds_back_and_lacks_nothing():
    """190 A are allowed; a menu that ends at 120 A is keyed that. Of volts far from the supply's
    none is offered.
    """
    short = shelf("marram-s8", (line("a", "charge", unit="A", least=5, most=120, step=1),))
    d = design(Plan.model_validate(HERON_SLIP), short)
    assert d.settings[0].value == 120 and "set.a.lacks" not in found(d.plan, short)
    assert "goes no higher" in d.settings[0].reason
    volts = shelf("marram-s8", (line("v", "output_v", options=("100 V", "230 V", "238 V")),))
    lacks = found(Plan.model_validate(HERON_SLIP), volts)["set.v.lacks"]
    assert [c.text for c in lacks.cures if c.changes] == ["Key 230 V", "Key 238 V"]


def test_another_word_for_the_same_is_no_stop():
    """Whatever a menu calls it: what is off under another name is off."""
    menu = (line("b", "bond_off", options=("Off", "Disabled", "In island")),)
    menu += (line("k", "lithium", options=("LFP with BMS", "Lithium", "Lead acid", "LFP no BMS")),)
    book = shelf("marram-s8", menu)
    for id, value, stops in (
        ("b", "Disabled", False),
        ("b", "In island", True),
        ("k", "Lithium", False),
        ("k", "Lead acid", True),
        ("k", "LFP no BMS", True),
    ):
        said = {k for k in found(plan(HERON_SLIP, **{id: value}), book) if "choose" not in k}
        assert bool(said) == stops, (value, said)


def test_a_list_without_a_rule_is_asked_about_until_it_is_keyed():
    book = shelf("marram-s8", (line("g", "first", options=("region 1", "region 2")),))
    ask = found(Plan.model_validate(HERON_SLIP), book)["set.g.choose"]
    change = ask.cures[1].changes[0]
    assert (change.path, change.value) == ("/settings/g", "region 2")
    keyed = plan(HERON_SLIP, g="region 1")
    assert "set.g.choose" not in found(keyed, book)


def test_units_of_a_cascade_differ():
    """The first leads, the second follows; a value keyed for one leaves the other."""
    p = plan(TERN_HOLLOW, **{"charge_a.unit-2": 40})
    d = design(p, catalogue())
    one, two = ({s.id: s.value for s in d.menu(n)} for n in (1, 2))
    assert (one["parallel"], two["parallel"]) == ("leader", "follower")
    assert two["charge_a"] == 40 != one["charge_a"]
    wrong = found(plan(TERN_HOLLOW, **{"equalise.unit-2": "on"}))
    assert wrong["set.equalise.cells.unit-2"].says.startswith("Inverter 2: ")
    alone = {s.id: s.value for s in design(Plan.model_validate(HERON_SLIP), catalogue()).settings}
    assert alone["parallel"] == "single unit"


@pytest.mark.parametrize(
    ("options", "wanted", "got"),
    [
        (("No", "Yes"), "on", "Yes"),
        (("Gel", "AGM", "Flooded"), "lead, sealed", "AGM"),
        (("LFP with BMS", "LFP without BMS"), "lithium with BMS", "LFP with BMS"),
        (("General", "Backup reserve"), "backup first", "Backup reserve"),
        (("Off", "CAN bus", "RS-485"), "none", "Off"),
        (("red",), "on", None),
        (("Lithium without BMS", "Lead"), "lithium with BMS", None),
        (("Li-ion NMC", "LFP"), "lithium with BMS", "LFP"),
        (("Li-ion NMC", "Lead"), "lithium with BMS", None),
        (("Li-ion NMC", "LFP"), "lithium NMC with BMS", "Li-ion NMC"),
        (("Lithium", "Lead"), "lithium NMC with BMS", "Lithium"),
        (("LiFePO4", "Lead"), "lithium NMC with BMS", None),
        (("RS-485 9600 bit/s",), "CAN 500 kbit/s", None),
        (("Export", "No export"), "grid", "Export"),
    ],
)
def test_a_choice_is_found_by_meaning(options, wanted, got):
    assert pick(options, wanted) == got


@pytest.mark.parametrize(
    ("keyed", "says"),
    [
        ({"output_hz": "50 Hz"}, "by the plan it is 60 Hz"),
        ({"phase_mode": "phase L1"}, "by the plan it is single"),
    ],
)
def test_what_a_plan_makes_likely_is_asked_about_and_does_not_stop(keyed, says):
    """A 230 V unit runs at 60 Hz in some countries: who keys it knows the place."""
    (id,) = keyed
    told = found(plan(JUNIPER_CUT, **keyed))[f"set.{id}.plan"]
    assert told.level == "check" and says in told.says
    assert f"set.{id}.plan" not in found(plan(JUNIPER_CUT))


def test_another_country_line_wants_a_licensed_name_and_the_letter():
    """A stop until both stand there; then a check, that names them."""
    unit = catalogue().inverters[HERON_SLIP["kit"]["inverter"]]
    line = next(m for m in unit.menu if m.profile)
    more = line.model_copy(update={"options": (*line.options, "special"), "means": ()})
    book = shelf(unit.id, [more if m is line else m for m in unit.menu])
    p = plan(HERON_SLIP, **{line.id: "special"})
    key = f"set.{line.id}.profile"
    assert found(p, book)[key].level == "stop"
    survey = {"licensed": {"grid-profile": "A. Grey"}, "confirmed": {"operator-letter": "ref. 8"}}
    named = Plan.model_validate({**p.model_dump(mode="json"), "survey": survey})
    said = found(named, book)[key]
    assert said.level == "check" and "A. Grey" in said.says and "ref. 8" in said.says


@pytest.mark.parametrize(
    ("unit", "of", "options", "wanted"),
    [
        ("marram-t10", SALTINGS_BARN, ("220VAC", "230VAC", "240VAC"), "230VAC"),
        ("marram-t10", SALTINGS_BARN, ("380 V", "400 V", "415 V"), "400 V"),
        ("marram-s8", HERON_SLIP, ("110 V", "115 V", "120 V"), "120 V"),
        ("marram-s8", HERON_SLIP, ("208 V", "240 V"), "240 V"),
    ],
)
def test_output_volts_are_between_lines_or_to_neutral_as_a_menu_counts(unit, of, options, wanted):
    """IEC 60038 and ANSI C84.1: 400/230 V and 120/240 V, one of them on every such menu."""
    menu = (
        line("v", "output_v", options=options),
        line("f", "output_hz", options=("50Hz", "60Hz")),
    )
    d = design(plan(of), shelf(unit, menu))
    got = {s.id: s.value for s in d.settings}
    assert got["v"] == wanted and got["f"] == ("50Hz" if of is SALTINGS_BARN else "60Hz")
    assert not [f for f in d.findings if f.key in ("set.v.lacks", "set.f.lacks", "set.v.plan")]


def test_equalising_volts_that_nothing_switches_off_do_no_harm():
    """Lithium cells are never equalised; a menu with the volts and no switch gets absorption's."""
    bare = (line("a", "absorb", unit="V", least=40, most=64, step=0.1),)
    bare += (line("e", "equalise_v", unit="V", least=40, most=64, step=0.1),)
    d = design(plan(HERON_SLIP, **{}), shelf("marram-s8", bare))
    got = {s.id: s.value for s in d.settings}
    assert got["e"] == got["a"] == 56.0, "16 cells at 3.5 V: common practice"
    assert not [f for f in d.findings if f.key.startswith("set.") and f.level == "stop"]
