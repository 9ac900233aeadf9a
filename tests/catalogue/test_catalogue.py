"""The shipped catalogue is whole, its schema is current, and a broken one is refused by file and
path.
"""

import cmath
import json
import math
from importlib.resources import files
from pathlib import Path

import pytest
from jsonschema import Draft202012Validator
from pydantic import ValidationError

from gumboot.catalogue import catalogue, read
from gumboot.core import kit
from gumboot.core.basis.sizes import area_mm2
from gumboot.core.kit.catalogue import entry, schema_text
from gumboot.core.set.settings import RULES
from gumboot.core.set.settings.windows import of
from tests.conftest import altered
from tests.designs import design

SHELVES = sorted(p for p in files("gumboot.catalogue").iterdir() if p.name.endswith(".json"))


@pytest.mark.parametrize("name", kit.MAINS)
def test_volts_of_a_supply_agree_with_its_lines(name):
    """Two lines half a turn apart stand twice as far from each other, at a third of one √3 times:
    nominal volts are that, rounded (ANSI C84.1, IEC 60038: 208 of 207.8, 400 of 398.4).
    """
    mains = kit.MAINS[name]
    turns = [cmath.rect(1, math.radians(x)) for x in mains.angles]
    apart = abs(turns[0] - turns[1]) if len(turns) > 1 else 1
    assert len(turns) == len(mains.lines)
    assert mains.wye == (len(turns) > 1 and apart == pytest.approx(3**0.5))
    assert mains.between == pytest.approx(apart * mains.to_neutral, rel=5e-3)
    assert mains.hertz == (60 if mains.american else 50)
    assert f"{mains.to_neutral:g}" in name and f"{mains.between:g}" in name
    assert kit.spreads(name, name) is False


def test_single_phase_units_stand_on_lines_of_their_own_volts():
    assert kit.spreads("single-phase 120 V", "three-phase 208Y/120 V")
    assert kit.spreads("single-phase 230 V", "three-phase 400/230 V")
    assert not kit.spreads("single-phase 230 V", "three-phase 208Y/120 V")
    assert kit.spreads("single-phase 120 V", "split-phase 120/240 V")
    assert not kit.spreads("split-phase 120/240 V", "three-phase 208Y/120 V")


def test_the_published_schema_is_current_and_every_file_keeps_it():
    assert Path("docs/catalogue.schema.json").read_text() == schema_text()
    check = Draft202012Validator(json.loads(schema_text()))
    for path in SHELVES:
        assert list(check.iter_errors(json.loads(path.read_text()))) == [], path.name


def test_terminals_take_sizes_the_book_has_and_menus_name_rules():
    book = catalogue()
    for inverter in book.inverters.values():
        for m in inverter.menu:  # what no rule fills keeps what the works put there
            assert m.rule in RULES or of(m.rule) or m.default is not None, (inverter.id, m.id)
        assert len({m.id for m in inverter.menu}) == len(inverter.menu)
        for port in (
            p for p in (inverter.battery, inverter.grid, inverter.backup, inverter.generator) if p
        ):
            assert all(area_mm2(t.least) <= area_mm2(t.most) for t in port.terminals)
            assert port.protection_max_a >= (port.protection_named_a or 0)
        assert not inverter.pack_inside or inverter.pack_inside in book.packs
        assert all(len(t.terminals) == 2 * t.pairs for t in inverter.trackers)
    assert set(book.lugs) >= {
        s for c in book.conductors if "battery" in c.families for s in c.sizes
    }


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("{}", "array"),
        ("[{}]", "kind"),
        ('[{"kind":"module","id":"m"}]', "maker"),
        ('[{"kind":"teapot"}]', "kind"),
        ("nonsense", "JSON"),
    ],
)
def test_an_empty_or_broken_entry_is_named(text, names):
    with pytest.raises(kit.BrokenCatalogue, match=names) as broken:
        read("shelf.json", text)
    assert str(broken.value).startswith("shelf.json: ")


def test_two_entries_of_one_id_are_refused():
    rows = read("modules.json", files("gumboot.catalogue").joinpath("modules.json").read_text())
    with pytest.raises(kit.BrokenCatalogue, match="share one id"):
        kit.Catalogue([*rows, *rows])


def test_a_shelf_without_devices_names_each_that_is_missing_and_never_takes_a_smaller(heron):
    """315 A is not put on a 250 A breaker: the stop names what to add, the circuit stays
    unsized.
    """
    book = catalogue()
    bare = kit.Catalogue([*book.inverters.values(), *book.packs.values(), *book.modules.values()])
    found = {f.key: f for f in design(heron, bare).findings}
    for role in ("array", "dc-bus", "dc-breaker", "panel", "ac-breaker", "transfer-switch"):
        assert found[f"kit.device.{role}"].level == "stop", role
        assert "has none at all" in found[f"kit.device.{role}"].says
    small = [d for d in book.devices if d.role != "dc-breaker" or d.up_to_a < 200]
    short = kit.Catalogue(
        [
            *bare.inverters.values(),
            *bare.packs.values(),
            *bare.modules.values(),
            *small,
            *book.conductors,
        ]
    )
    d = design(heron, short)
    missing = next(f for f in d.findings if f.key == "kit.device.dc-breaker")
    assert "238 A" in missing.says or "237.5 A" in missing.says
    assert "battery-1" in dict(d.unsized) and "battery-1" not in {s.id for s in d.circuits}


def test_a_silent_terminal_says_how_its_screw_is_turned():
    """Without a torque the book's table needs the bit, and the IEC's the thread."""
    terminal = {
        "id": "n",
        "label": "N",
        "conductor": "N",
        "end": "bare",
        "most": "16 mm²",
        "bit": "slot 6 mm",
        "source": "plate",
    }
    with pytest.raises(ValueError, match="thread of its screw"):
        kit.Terminal.model_validate(terminal)
    assert kit.Terminal.model_validate(terminal | {"thread": "M5"}).thread == "M5"
    assert kit.Terminal.model_validate(terminal | {"end": "spring"}).torque_nm is None
    with pytest.raises(ValueError, match="does not say how the screw is turned"):
        kit.Terminal.model_validate(terminal | {"most": "2", "bit": "a driver"})


def test_kit_that_is_not_in_the_catalogue_is_a_finding(heron):
    d = design(altered(heron, "/kit/pack", "nobody-9"), catalogue())
    assert [f.key for f in d.findings if f.level == "stop"] == [
        "kit.pack"
    ] and "nobody-9" in d.findings[0].says


def test_a_named_size_of_another_system_is_refused():
    unit = catalogue().inverters["marram-s8"].model_dump(mode="json")
    unit["battery"]["named_size"] = "50 mm²"
    with pytest.raises(ValidationError, match="of another system than the port's terminals"):
        entry.validate_python(unit)
