"""Strings of modules that are up already, of another kind than the new ones."""

import math

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.energy.sun import faces_of
from gumboot.core.kit import Catalogue
from gumboot.core.land.cutting import list_pieces
from gumboot.core.plan import Plan
from gumboot.core.plan.kit import ENTRIES, Kit
from gumboot.core.prove.listing import dues_of
from gumboot.core.prove.strings import Sky
from gumboot.core.size.finder import find
from gumboot.core.size.meter_card import Weather, expected, judge
from gumboot.core.size.strings import GAMMA_ASSUMED
from gumboot.exports.materials import materials
from gumboot.web.stations.size.strings import faces_of as faces_to_string
from tests.designs import design
from tests.shapes import SHAPES, TERN_HOLLOW, other

SHELF = catalogue()
OLD, NEW = SHELF.modules["reedbed-300"], SHELF.modules["reedbed-430"]
ROOF = SHAPES["an old array beside a new one"]


def of(**changes):
    return design(Plan.model_validate(other(ROOF, **changes)), SHELF)


def test_each_string_is_reckoned_with_its_own_modules():
    """Volts and power are its count times its own sheet; the fuse its own module may have."""
    d = of()
    new, old = d.strings
    assert (new.power.n, old.power.n) == (10 * NEW.p_max_w, 9 * OLD.p_max_w)
    cold = old.v_oc_cold.n / 9 / OLD.v_oc_v
    assert 1.02 <= cold <= 1.25  # its sheet is silent: a factor of NEC Table 690.7(A)
    runs = {s.id: s.circuit for s in d.circuits}
    assert runs["pv-A"].drop_current.n == NEW.i_mp_a and runs["pv-B"].drop_current.n == OLD.i_mp_a
    assert runs["pv-B"].voltage.n == pytest.approx(9 * OLD.v_mp_v)
    assert {b.lines for b in d.bodies if b.role == "array"} == {
        ("10 × 430 W",),
        ("9 × 300 W",),
    }
    assert sum(f.watts for f in faces_of(d.plan, SHELF)) == new.power.n + old.power.n


def test_what_is_up_already_is_not_bought():
    bought = {x.what: x.count for x in materials(of()) if "Reedbed" in x.what}
    assert bought == {f"{NEW.maker} {NEW.model}": 10}
    strings = [{**x, "there": False} for x in ROOF["strings"]]
    both = {x.what: x.count for x in materials(of(strings=strings)) if "Reedbed" in x.what}
    assert both == {f"{NEW.maker} {NEW.model}": 10, f"{OLD.maker} {OLD.model}": 9}


def test_what_is_up_already_is_looked_at_before_it_lands():
    """NEC 690.33(C), from memory: connectors of another make only where listed for each other."""
    found = [f for f in of().duties if f.key.endswith(".kept")]
    assert [f.key for f in found] == ["pv-B.kept"] and found[0].asked.station == "Land"


def test_a_cable_that_stays_is_neither_bought_nor_cut_and_lands_at_its_unit():
    """Its end at the array is as it was; at the new unit it is made off."""
    both = [ROOF["strings"][0], {**ROOF["strings"][1]}]
    stays = [both[0], {**both[1], "run": {**both[1]["run"], "there": True}}]
    new, old = of(strings=both), of(strings=stays)

    def ends(d):
        return {t.body for t in d.terminations if t.circuit == "pv-B"}

    def metres(d):
        return sum(x.count for x in materials(d) if x.group == "Cable")

    assert ends(new) == {"array-B", "inverter-1"} and ends(old) == {"inverter-1"}
    assert metres(old) < metres(new)
    (asked,) = [f for f in old.findings if f.key == "pv-B.there"]
    after = apply(old.plan.model_dump(mode="json"), asked.cures[0].changes)
    assert "pv-B.there" not in {f.key for f in design(Plan.model_validate(after), SHELF).findings}
    cut = list_pieces(old.circuits, old.terminations, set(), old.plan, SHELF)
    assert cut and all(p.circuit != "pv-B" for p in cut)


def test_unlike_modules_never_meet_on_a_tracker():
    """Common practice: a tracker follows one of them, the other is drawn off its best."""
    strings = [{**x, "tracker": "3", "modules": 9} for x in ROOF["strings"]]
    d = of(strings=strings)
    unlike = [f for f in d.findings if f.key == "inverter-1.tracker-3.unlike"]
    assert unlike and "differ in modules" in unlike[0].says
    after = apply(d.plan.model_dump(mode="json"), unlike[0].cures[0].changes)
    mended = design(Plan.model_validate(after), SHELF)
    assert not [f for f in mended.findings if f.key.endswith(".unlike")]


def test_a_module_that_is_not_on_the_shelf_is_a_stop_with_a_click():
    strings = [{**x, "module": "gone"} for x in ROOF["strings"]]
    (found,) = [f for f in of(strings=strings).findings if f.key == "pv-A.module"]
    after = of(strings=apply({"strings": strings}, found.cures[0].changes)["strings"])
    assert [f.key for f in after.findings if f.key.endswith(".module")] == ["pv-B.module"]


def test_power_of_a_unit_is_that_of_all_its_modules():
    strings = [{**x, "modules": 11} for x in ROOF["strings"]]
    watts = 11 * (NEW.p_max_w + OLD.p_max_w)
    unit = SHELF.inverters[ROOF["kit"]["inverter"]]
    lean = unit.model_copy(update={"pv_power_max_w": watts - 1})
    shelf = Catalogue([*(e for k, e in SHELF.entries.items() if k != unit.id), lean])
    plan = Plan.model_validate(other(ROOF, strings=strings))
    key = "inverter-1.pv-power"
    assert key in {f.key for f in design(plan, shelf).findings}
    assert key not in {f.key for f in design(plan, SHELF).findings}


def test_prove_expects_of_each_string_what_its_own_modules_show():
    """IEC 60891: open volts at 800 W/m² and 40 °C by each sheet; crossed leads are told apart by
    modules as by their count.
    """
    d = of(strings=[{**x, "modules": 10} for x in ROOF["strings"]])
    dues = {x.key: x for x in dues_of(d, Sky(800, 40))}
    for letter, module in (("A", NEW), ("B", OLD)):
        band = dues[f"string.{letter}.open"].band
        slope = module.beta_voc_per_c or module.gamma_vmp_per_c or GAMMA_ASSUMED
        now = 1 + slope * (40 - 25) + 0.05 * math.log(0.8)
        assert band.expected.n == pytest.approx(10 * module.v_oc_v * now)
        assert dues[f"string.{letter}.short"].most == pytest.approx(0.8 * module.i_sc_a, rel=0.15)
    thin = NEW.model_copy(update={"v_oc_v": 0.8 * NEW.v_oc_v})
    sky = Weather(800, 20, 40)
    card = {k: expected(k, 10, "roof", m, sky) for k, m in (("A", NEW), ("B", thin))}
    read = {"A": card["B"].v_now.n, "B": card["A"].v_now.n}
    assert {v.said for v in judge(card, read, 800)} == {"crossed"}


def test_the_finder_strings_what_is_new_beside_what_stays():
    """The old string keeps its tracker, and its power is taken off what the unit may have."""
    d = of()
    left = [u.left(d.plan, SHELF) for u in d.takers]
    assert [t.id for t in left[0].trackers] == ["1", "3"]
    unit = d.inverter
    assert left[0].sheet.pv_power_max_w == unit.pv_power_max_w - 9 * OLD.p_max_w
    faces = faces_to_string(d.plan)
    assert [f.modules for f in faces] == [10]
    found = find(d.plan, left, NEW, faces)
    assert found.best and all(x.tracker != "2" for a in found.best for x in a.lots)
    full = unit.model_copy(update={"pv_power_max_w": 9 * OLD.p_max_w})
    taker = type(left[0])(1, full, full.trackers)
    assert taker.left(d.plan, SHELF).trackers == ()


def test_the_finder_takes_unlike_units_of_one_sheet():
    """Two inverters of which one has a tracker less free."""
    strings = [{**x, "there": x["letter"] == "A"} for x in TERN_HOLLOW["strings"]]
    d = design(Plan.model_validate(other(TERN_HOLLOW, strings=strings)), SHELF)
    left = [u.left(d.plan, SHELF) for u in d.takers]
    assert len(left[0].trackers) < len(left[1].trackers)
    found = find(d.plan, left, NEW, faces_to_string(d.plan))
    taken = d.plan.strings[0].tracker
    assert found.best
    assert all((x.inverter, x.tracker) != (1, taken) for a in found.best for x in a.lots)


def _names(field):
    """Whether a field of a kit holds the id of an entry: a name, or nothing."""
    return any(x.get("maxLength") == 80 for x in (field, *field.get("anyOf", ())))


def test_a_plan_names_every_entry_it_chooses():
    """A crew's own charge controller or string's module, entered since the job was made, is taken
    from the shelf when it is chosen; a controller was not.
    """
    named = {k for k, f in Kit.model_json_schema()["properties"].items() if _names(f)}
    assert set(ENTRIES) == named
    plan = Plan.model_validate(ROOF)
    kit = plan.kit.model_copy(update={k: f"own-{k}" for k in ENTRIES})
    chosen = plan.model_copy(update={"kit": kit}).chosen
    assert {f"own-{k}" for k in ENTRIES} | {"reedbed-300"} <= set(chosen)
