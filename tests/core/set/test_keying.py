"""The walk of keying: what must come first does, restarts stand where they are needed, and what is
keyed is judged as the display shows it.
"""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.core.set.keying import judged, order_of, steps_of
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, TERN_HOLLOW
from tests.core.set.test_menu import line
from tests.designs import design
from tests.shapes import SHAPES, other

SHELF = catalogue()


def made(document, **more):
    return design(Plan.model_validate(other(document, **more)), SHELF)


def keys(d):
    return [s.key.partition("=")[0] for s in steps_of(d)]


CONTROLLED = SHAPES["charge controllers"]


@pytest.mark.parametrize("document", [HERON_SLIP, JUNIPER_CUT, TERN_HOLLOW, CONTROLLED])
def test_every_line_that_shows_is_keyed_once_and_after_what_it_hangs_on(document):
    d = made(document)
    walk = keys(d)
    for n in d.plan.kit.units:
        shown = {f"key.{n}.{s.id}" for s in d.menu(n) if s.shown}
        assert {k for k in walk if k.startswith(f"key.{n}.")} == shown
        at = {k: i for i, k in enumerate(walk)}
        for m in d.unit(n).menu:
            for later in m.rewrites:
                if f"key.{n}.{later}" in at:
                    assert at[f"key.{n}.{m.id}"] < at[f"key.{n}.{later}"]
            if m.when and f"key.{n}.{m.id}" in at:
                assert at[f"key.{n}.{m.when}"] < at[f"key.{n}.{m.id}"]
    assert len(walk) == len(set(walk))


def test_a_restart_stands_before_what_it_rewrites():
    """The battery type takes a restart, and the volts hang on it."""
    walk = keys(made(JUNIPER_CUT))
    restart = next(i for i, k in enumerate(walk) if k.startswith("restart."))
    assert walk.index("key.1.battery_type") < restart < walk.index("key.1.absorb_v")
    assert walk[:3] == ["firmware.1", "key.1.clock", "key.1.date"]


def test_a_circle_of_rewriting_lines_still_has_an_order():
    menu = (line("a", rewrites=("b",)), line("b", rewrites=("a",)), line("c", "clock"))
    assert [m.id for m in order_of(menu)] == ["c", "a", "b"]


@pytest.mark.parametrize(
    ("id", "typed", "verdict"),
    [
        ("battery_type", "FLd", "done"),
        ("battery_type", "lead, flooded", "done"),
        ("battery_type", "Lib", "outside"),
        ("absorb_v", "58.3", "done"),
        ("absorb_v", "58,30 V", "done"),
        ("absorb_v", "58.3v", "done"),
        ("absorb_v", "58.4", "outside"),
        ("absorb_v", "OL", "outside"),
        ("charge_1_start", "00:00", "done"),
    ],
)
def test_what_the_display_shows_is_judged(id, typed, verdict):
    row = next(s for s in made(JUNIPER_CUT).settings if s.id == id)
    assert judged(row, typed)[0] == verdict
