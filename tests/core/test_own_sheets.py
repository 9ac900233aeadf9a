"""Jobs of crews' own sheets, as short as a crew begins them."""

import pytest

from gumboot.core.basis.patch import apply
from gumboot.core.design import design
from tests.own_sheets import a_job, clicked

NUMBERS = [*range(40), *(pytest.param(n, marks=pytest.mark.long) for n in range(40, 160))]


@pytest.mark.parametrize("number", NUMBERS)
def test_a_job_of_a_crews_own_sheets(number):
    """Nothing fails; every click changes something; every pack is opened on its own side, and its
    lead has a device that stands in the job; what is left after every click names what has to be
    entered, chosen or typed.
    """
    plan, shelf = a_job(number)
    for each in (plan, clicked(plan, shelf)):
        d, document = design(each, shelf), each.model_dump(mode="json")
        clicks = [(f.key, c) for f in d.findings for c in f.cures if c.changes]
        for key, c in clicks:
            assert apply(document, c.changes) != document, (key, c.text, "changes nothing")
        if d.network is None or any(f.key.startswith("kit.device") for f in d.findings):
            continue  # laid out once the shelf has what is missing
        by = {s.id: s for s in d.network.switches}
        packs = {s.id for s in d.network.sources if s.kind == "pack"}
        for row in d.disconnects:
            if packs & set(row.sources):
                assert all(by[x].works == "battery" for x in row.switches), row.says
        for c in d.network.circuits:
            if c.family in ("battery", "pack") and not c.own_protection:
                assert any(s.protects == c.id for s in by.values()), c.name
        left = [f for f in d.findings if f.level == "stop" and not any(c.changes for c in f.cures)]
        assert all(f.cures for f in left), [f.says for f in left]
        assert not [f for f in left if f.key in ("wake.order", "gateway.supply")], left
