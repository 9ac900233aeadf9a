"""Where neutral meets earth in every state, for every shape; and what may be relied on."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.network.bonds import by_state
from gumboot.core.plan import Plan
from tests.designs import design
from tests.shapes import SHAPES, other

BOOK = catalogue()


def made(document):
    d = design(Plan.model_validate(document), BOOK)
    bonds = {k: [b.id for b in v] for k, v in by_state(d.bonds).items()}
    return bonds, {f.key: f for f in d.findings}


@pytest.mark.parametrize("name", SHAPES)
def test_one_bond_in_every_state_of_every_shape(name):
    bonds, found = made(SHAPES[name])
    assert all(len(v) == 1 for v in bonds.values()), bonds
    assert not {k for k in found if k.startswith("bond.")} & {"bond.grid", "bond.island"}


@pytest.mark.parametrize(
    ("changes", "grid", "islanded"),
    [
        # a unit whose relay opens neutral when islanded, whatever the changeover does
        ({"backup__bond": "service"}, ["service"], []),
        ({"backup__bond": "inverter"}, ["service"], ["inverter"]),
    ],
)
def test_a_unit_that_breaks_neutral_when_islanded(changes, grid, islanded):
    units = [
        u.model_copy(update={"neutral": "switched"}) if u.id == "marram-s8" else u
        for u in BOOK.inverters.values()
    ]
    from gumboot.core.kit import Catalogue

    shelf = Catalogue(
        [*units, *BOOK.packs.values(), *BOOK.modules.values(), *BOOK.devices, *BOOK.conductors]
    )
    plan = Plan.model_validate(
        other(SHAPES["essential board, neutral solid"], backup__neutral="solid", **changes)
    )
    bonds = {k: [b.id for b in v] for k, v in by_state(design(plan, shelf).bonds).items()}
    assert (bonds["grid on"], bonds["islanded"]) == (grid, islanded)


def test_an_island_may_not_lean_on_the_network_under_the_iec():
    """60364-5-55 551.4.3.2.1, from memory: a stop, cured where the kit can bond; the NEC's solid
    neutral keeps the service's own bond (250.30).
    """
    leaning = other(
        SHAPES["AC-coupled"],
        kit__gateway="fenwright-g1",
        backup__bond="service",
    )
    units = [
        g.model_copy(update={"neutral": "solid"}) if g.id == "fenwright-g1" else g
        for g in BOOK.gateways.values()
    ]
    from gumboot.core.kit import Catalogue

    shelf = Catalogue(
        [
            *BOOK.inverters.values(),
            *units,
            *BOOK.packs.values(),
            *BOOK.modules.values(),
            *BOOK.devices,
            *BOOK.conductors,
        ]
    )
    found = {f.key: f for f in design(Plan.model_validate(leaning), shelf).findings}
    assert found["bond.network"].level == "stop"
    assert "bond.network" not in made(SHAPES["one bank for all"])[1]


def test_an_island_wants_an_electrode_of_its_own_under_the_iec():
    assert made(SHAPES["AC-coupled"])[1]["bond.electrode"].level == "check"
    none = other(SHAPES["AC-coupled"], supply__electrode="none")
    assert made(none)[1]["bond.electrode"].level == "stop"
    assert "bond.electrode" not in made(SHAPES["TN-S with an electrode of its own"])[1]
    assert "bond.electrode" not in made(SHAPES["TT"])[1]
    assert "bond.electrode" not in made(SHAPES["one bank for all"])[1]
