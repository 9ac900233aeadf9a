"""What every state of a job's switches comes to, against networkx; bonds as the network has
them.
"""

import numpy as np
import pytest

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.core.wake.plant import plant_of
from gumboot.core.wake.settle import settle
from gumboot.core.wake.states import NO_BOND, TWO_BONDS
from gumboot.demo import plans
from tests.core.wake.plants import by_networkx
from tests.designs import design
from tests.shapes import SHAPES

DEMOS = ("TERN_HOLLOW", "SALTINGS_BARN", "MOSSBANK_TERRACE", "JUNIPER_CUT", "HERON_SLIP")
JOBS = {**{n: getattr(plans, n) for n in DEMOS}, **SHAPES}


def plant(name):
    d = design(Plan.model_validate(JOBS[name]), catalogue())
    return plant_of(d.network, d.plan, d.inverter, d.pack)


@pytest.mark.parametrize("name", list(JOBS))
@pytest.mark.parametrize("grid", [True, False])
def test_states_come_to_what_graphs_come_to(name, grid):
    """All states of small jobs, 60 seeded ones of larger: feeds of every point, units, loads."""
    p = plant(name)
    n = len(p.levers)
    some = np.arange(1 << n) if n <= 6 else np.random.default_rng(n).integers(0, 1 << n, 60)
    some = np.append(some, [0, p.serving])
    rows = settle(p, some, grid)
    for i, state in enumerate(some.tolist()):
        feeds, on, follows, forms, loads = by_networkx(p, state, grid)
        assert {k: int(v) for k, v in enumerate(rows.feeds[i])} == feeds, state
        found = (rows.on[i], rows.follows[i], rows.forms[i], rows.loads[i])
        assert tuple(map(int, found)) == (on, follows, forms, loads), state


@pytest.mark.parametrize("name", list(JOBS))
def test_dark_is_dark_and_serving_serves(name):
    p = plant(name)
    for grid in (True, False):
        rows = settle(p, [0, p.serving], grid)
        dark = (rows.on, rows.forms, rows.follows, rows.loads, rows.faults)
        assert all(int(x[0]) == 0 for x in dark)
    with_grid = settle(p, [p.serving])
    assert int(with_grid.on[0]) == (1 << len(p.units)) - 1
    assert int(with_grid.loads[0]) == (1 << len(p.loads)) - 1
    assert int(with_grid.faults[0]) == 0


@pytest.mark.parametrize("name", list(JOBS))
def test_neutral_is_bonded_as_the_network_says(name):
    """At the backed-up loads, on the grid and islanded, against the chapter of bonds that Size
    shows (walks of the network's own).
    """
    d = design(Plan.model_validate(JOBS[name]), catalogue())
    p = d.wake.way.plant
    if "the backed-up circuits" not in p.load_names:
        return
    said = {}
    for b in d.bonds:
        said.setdefault(b.state, []).append(len(b.bonds))
    for state, grid in (("grid on", True), ("islanded", False)):
        if state not in said or (grid and p.service < 0):
            continue
        found = int(settle(p, [p.serving], grid).faults[0])
        counts = said[state]
        if not found & (NO_BOND | TWO_BONDS):
            assert 1 in counts, (state, counts)
        else:
            assert any((n == 0) == bool(found & NO_BOND) for n in counts if n != 1), state
