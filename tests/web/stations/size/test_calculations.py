"""The calculation sheet: every figure, and every symbol in it, has its explanation."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP, TERN_HOLLOW
from gumboot.web.stations.size.calculations import calculations, explained
from tests.designs import design
from tests.shapes import SHAPES

PLANS = {"heron": HERON_SLIP, "tern": TERN_HOLLOW, **SHAPES}
DESIGNS = {n: design(Plan.model_validate(p), catalogue()) for n, p in PLANS.items()}


@pytest.mark.parametrize("name", sorted(DESIGNS))
def test_every_figure_stands_there_once(name):
    d = DESIGNS[name]
    groups = calculations(d)
    assert [g.circuit for g in groups] == [*d.circuits, None]
    for g in groups[:-1]:
        mine = {k: f for k, f in d.figures.items() if k.startswith(f"{g.circuit.id}.")}
        assert [f for f, _ in g.rows] == [f for k, f in mine.items() if "@" not in k]
    ids = {s.id for s in d.circuits}
    rest = {k: f for k, f in d.figures.items() if k.split(".")[0] not in ids}
    other = [f for k, f in rest.items() if not k.endswith(".torque")]
    assert other and [f for f, _ in groups[-1].rows] == other


@pytest.mark.parametrize("name", sorted(DESIGNS))
def test_what_was_told_last_of_a_symbol_is_what_it_stands_for(name):
    for g in calculations(DESIGNS[name]):
        told = dict[str, tuple[str, str]]()
        for f, new in g.rows:
            told |= {i.symbol: (i.exact, i.name) for i in new}
            assert {i.symbol: (i.exact, i.name) for i in f.inputs}.items() <= told.items()
            told[f.symbol] = (f.exact, f.name)


def test_a_symbol_that_stood_for_something_else_is_explained_again():
    worked = next(f for f in DESIGNS["heron"].figures.values() if f.inputs)
    other = worked._replace(inputs=tuple(i._replace(name="Another") for i in worked.inputs))
    rows = list(explained([worked, worked, other, worked]))
    n = len(worked.inputs)
    assert [len(new) for _, new in rows] == [n, 0, n, n]
