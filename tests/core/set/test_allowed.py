"""What the BMS allows against what is set: each side of each limit."""

from dataclasses import replace

import pytest

from gumboot.core.set.allowed import beside
from gumboot.core.set.settings import fill_menu
from tests.core.set.test_menu import job, line


def rows(rule, value, limits, units=1):
    menu = [line("x", rule, unit="V", least=value, most=value)]
    settings = fill_menu(job(menu))
    return beside(settings, limits, [settings] * units)


@pytest.mark.parametrize(
    ("rule", "value", "limits", "units", "says"),
    [
        ("absorb", 56.0, {"charge_volts": 56.0}, 1, ""),
        ("absorb", 55.0, {"charge_volts": 56.8}, 1, "may not balance"),
        ("cut", 48.0, {"discharge_volts": 46.0}, 1, ""),
        ("cut", 44.0, {"discharge_volts": 46.0}, 1, "drops out"),
    ],
)
def test_either_side_of_each_limit(rule, value, limits, units, says):
    (row,) = rows(rule, value, limits, units)
    assert row.fits == (not says) and says in row.says


def test_currents_count_all_units_together():
    """Two units of 100 A on a bank that allows 150 A now (arithmetic)."""
    menu = [line("x", "charge", unit="A", least=100, most=100, step=1)]
    settings = fill_menu(job(menu))
    (one,), (two,) = (beside(settings, {"charge_limit": 150.0}, [settings] * n) for n in (1, 2))
    assert one.fits and not two.fits and "2 units may take 200 A" in two.says
    smaller = [replace(s, value=50.0) for s in settings]
    (apart,) = beside(settings, {"charge_limit": 150.0}, [settings, smaller])
    assert apart.fits, "each by its own line: 150 A"
    assert beside(settings, {}, [settings]) == []
