"""What is typed into a form, as the plan or the shelf has it."""

import pytest

from gumboot.web.pages.form import Field, convert


@pytest.mark.parametrize(
    ("text", "watts"),
    [("8", 8000), ("7.6 kW", 7600), ("8000", 8000), ("150 W", 150), ("199", 199_000), ("200", 200)],
)
def test_a_bare_power_is_kilowatts_until_no_house_has_so_many(text, watts):
    assert convert(text, Field("power_w", "Power", "power"), "si") == watts
