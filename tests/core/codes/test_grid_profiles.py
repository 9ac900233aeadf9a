"""Grid profiles against a second recall of the standards' defaults, and against what must hold of
any: what trips sooner lies further out, and a unit connects only inside what it trips at.
"""

from itertools import pairwise

import pytest

from gumboot.core.codes.grid_profiles import PROFILES

# A second recall, from memory: IEEE 1547-2018 category III,
# EN 50549-1:2019 defaults.
RECALLED = {
    "IEEE 1547-2018": {
        "Overvoltage 2": (1.20, 0.16),
        "Overvoltage 1": (1.10, 13.0),
        "Undervoltage 1": (0.88, 21.0),
        "Undervoltage 2": (0.50, 2.0),
        "Overfrequency 2": (62.0, 0.16),
        "Underfrequency 2": (56.5, 0.16),
        "Enters service after": (300.0, None),
    },
    "EN 50549-1": {
        "Overvoltage 2": (1.15, 0.2),
        "Overfrequency": (52.0, 0.5),
        "Underfrequency": (47.5, 0.5),
        "Power falls above": (50.2, None),
        "Watches for": (60.0, None),
    },
}


@pytest.mark.parametrize("name", PROFILES)
def test_defaults_as_recalled_twice(name):
    of = {x.name: (x.value, x.seconds) for x in PROFILES[name].limits}
    for limit, want in RECALLED[name].items():
        assert of[limit] == want, limit
    assert "from memory" in PROFILES[name].source


@pytest.mark.parametrize("name", PROFILES)
def test_what_trips_sooner_lies_further_out_and_a_unit_connects_inside(name):
    of = {x.name: x for x in PROFILES[name].limits}
    over = [of[k] for k in of if k.startswith("Overvoltage")]
    assert all(a.value > b.value and a.seconds < b.seconds for a, b in pairwise(over))
    lowest = max(x.value for k, x in of.items() if k.startswith("Undervoltage"))
    highest = min(x.value for x in over)
    inside = [x for k, x in of.items() if k.startswith(("Enters service", "Connects"))]
    assert all(lowest <= x.value <= highest for x in inside if x.of == "V")
    trips = [x.value for k, x in of.items() if "frequency" in k and x.of == "Hz"]
    nominal = 60.0 if "IEEE" in name else 50.0
    low, high = max(v for v in trips if v < nominal), min(v for v in trips if v > nominal)
    assert all(low < x.value < high for x in inside if x.of == "Hz")
