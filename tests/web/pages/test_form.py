"""What is typed into a form, as the plan or the shelf has it."""

import pytest
from pydantic import ValidationError

from gumboot.catalogue import catalogue
from gumboot.core.kit import Inverter, Pack
from gumboot.web.job.saving import plain_faults
from gumboot.web.pages.form import Field, convert


@pytest.mark.parametrize(
    ("text", "watts"),
    [("8", 8000), ("7.6 kW", 7600), ("8000", 8000), ("150 W", 150), ("199", 199_000), ("200", 200)],
)
def test_a_bare_power_is_kilowatts_until_no_house_has_so_many(text, watts):
    assert convert(text, Field("power_w", "Power", "power"), "si") == watts


def test_a_battery_is_taken_by_what_its_sheet_calls_it():
    """AGM is sealed lead, LiFePO4 is LFP; what no sheet says is refused with what to type."""
    shelf = catalogue()
    pack = shelf.packs["saltmarsh-l800"].model_dump()
    assert Pack.model_validate({**pack, "chemistry": "AGM"}).chemistry == "sealed"
    unit = shelf.inverters["marram-k4"].model_dump()
    taken = Inverter.model_validate({**unit, "chemistries": ["LiFePO4", "agm", "sealed"]})
    assert taken.chemistries == ("LFP", "sealed")
    with pytest.raises(ValidationError) as refused:
        Inverter.model_validate({**unit, "chemistries": ["zinc"]})
    wrong = dict(plain_faults(refused.value))
    assert wrong["chemistries/0"] == "type LFP, NMC, flooded, sealed or gel"
