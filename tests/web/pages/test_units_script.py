"""What the pages' script of units is made from."""

import pytest

from gumboot.core.basis import units
from gumboot.web.pages.units_script import SCRIPT, units_script


def test_the_script_is_as_it_would_be_made():
    assert SCRIPT.read_text(encoding="utf-8") == units_script(), (
        "make it anew: python -m gumboot.web.pages.units_script"
    )


def test_every_spelling_of_a_length_and_a_torque_is_in_it():
    """1 in is 25.4 mm and 1 lbf is 4.4482216152605 N exactly (international yard and pound)."""
    lengths, torques = units.spellings("length"), units.spellings("torque")
    assert lengths["in"] == pytest.approx(0.0254) and lengths["'"] == pytest.approx(0.3048)
    assert torques["in-lb"] == pytest.approx(0.0254 * 4.4482216152605)
    assert torques["ft·lb"] == pytest.approx(0.3048 * 4.4482216152605)
    assert not {"a", "v", "degf"} & {*lengths, *torques}
