"""The lengths that Brief and Size ask for are those of the runs a job has."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.web.stations.brief.kit_form.reading import typed_of
from gumboot.web.stations.brief.kit_form.shape import run_families, shape_of
from tests.designs import design
from tests.own_sheets import a_job, clicked
from tests.shapes import SHAPES


def asked(plan, shelf):
    rows = max(len(plan.strings), 1)
    typed = typed_of(plan.model_dump(mode="json"), rows, plan.units, shelf)
    return set(run_families(shape_of(typed, shelf)))


def there(plan, shelf):
    network = design(plan, shelf).network
    return {c.family for c in network.circuits if c.system != "pv"} if network else set()


@pytest.mark.parametrize("name", SHAPES)
def test_every_run_of_a_shape_is_asked_for(name):
    plan = Plan.model_validate(SHAPES[name])
    assert there(plan, catalogue()) <= asked(plan, catalogue())


@pytest.mark.parametrize("number", range(16))
def test_every_run_of_a_crews_own_sheets_is_asked_for(number):
    plan, shelf = a_job(number)
    for each in (plan, clicked(plan, shelf)):
        assert there(each, shelf) <= asked(each, shelf)
