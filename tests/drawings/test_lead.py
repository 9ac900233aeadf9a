"""Leads as drawn: each core from its pin to its pin, both plugs the right way about, said in words
too.
"""

import re
from dataclasses import replace

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.demo import plans
from gumboot.drawings.lead import LEFT, RIGHT, draw_lead, in_words
from tests.designs import design

LEADS = [
    (name, x)
    for name in ("TERN_HOLLOW", "SALTINGS_BARN", "MOSSBANK_TERRACE")
    for x in design(Plan.model_validate(getattr(plans, name)), catalogue()).harness.leads
]


@pytest.mark.parametrize(("job", "lead"), LEADS, ids=lambda v: getattr(v, "id", v))
def test_every_core_runs_from_plug_to_plug_and_is_said(job, lead):
    svg = draw_lead(lead)
    ways = re.findall(r'd="M([\d.]+) [\d.]+ [^"]*L([\d.]+) [\d.]+" class="core-under"', svg)
    live = [c for c in lead.cable.cores if c.does != "shield"]
    assert len(ways) == len(live)
    assert all((float(a), float(b)) == (LEFT, RIGHT) for a, b in ways)
    words = in_words(lead)
    for c in live:
        assert f"{c.does} from pin {c.pin} to pin {c.far_pin}" in words
        assert c.does in svg
        assert not c.colour or c.colour in svg, "never by colour alone"


def test_a_round_connector_is_drawn_round_with_its_pins_on_a_ring():
    lead = next(x for _, x in LEADS if x.cable.serves == "BMS")
    plug = lead.here.plug.model_copy(update={"connector": "round connector"})
    svg = draw_lead(replace(lead, here=replace(lead.here, plug=plug)))
    assert "mating face" in svg and svg.count("<circle") >= len(lead.here.pins)
    live = [c for c in lead.cable.cores if c.does != "shield"]
    assert svg.count('class="core-under"') == len(live)


def test_plugs_are_held_so_that_pin_1_is_on_top_at_both_ends():
    """TIA-568, from memory: contacts toward you and the lead hanging down, pin 1 is at the left.
    Turned so that the lead leaves to the left, left becomes top; to the right, bottom: so the left
    plug is seen from its latch.
    """
    lead = next(x for _, x in LEADS if x.cable.serves == "BMS")
    svg = draw_lead(lead)
    left, right = svg.index("latch toward you"), svg.index("contacts toward you")
    assert left < right
    ys = [float(y) for y in re.findall(r'y="([\d.]+)"[^>]*>[1-8]  ', svg)]
    assert ys[:8] == sorted(ys[:8]) and ys[8:] == sorted(ys[8:]) and len(ys) == 16
