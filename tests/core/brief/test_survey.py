"""What is known of a house, and what follows where it is not."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.brief.survey import LICENCES, facts
from gumboot.core.codes.books import NEC
from gumboot.core.design import design
from gumboot.core.plan import Plan, Site
from gumboot.core.plan.climate import guessed_c
from gumboot.demo.plans import HERON_SLIP, MOSSBANK_TERRACE, SALTINGS_BARN

SEEN = {
    "wall": "concrete",
    "surface": "non-combustible",
    "sun": "no",
    "rain": "no",
    "opening_m": 2,
    "network": "wired",
    "confirmed": {a.key: "said so" for a in NEC.asks},
    "licensed": {a.key: "somebody" for a in LICENCES},
}


def found(**survey):
    made = design(Plan.model_validate({**HERON_SLIP, "survey": survey or None}), catalogue())
    every = (*made.findings, *made.duties)
    return {f.key: f for f in every if f.key.startswith("survey")}


def test_a_house_nobody_walked_has_one_note_and_a_walked_one_none():
    assert {k: f.level for k, f in found().items()} == {"survey.none": "note"} and not found(**SEEN)


@pytest.mark.parametrize(
    ("change", "key", "says"),
    [
        ({"surface": "combustible"}, "survey.surface", "burns"),
        ({"opening_m": 0.5}, "survey.opening", "1.6 ft away; 3 ft is commonly asked"),
        ({"network": "none"}, "survey.network", "missing"),
        ({"network": "wireless, weak"}, "survey.network", "weak"),
        ({"wall": "unknown", "rain": "unknown"}, "survey.unknown", "wall, rain on the wall"),
        ({"confirmed": {}}, "survey.rules", "6 of 6"),
        ({"licensed": {"ac": "x"}}, "survey.licences", "PV strings and their DC"),
    ],
)
def test_what_follows(change, key, says):
    only = found(**{**SEEN, **change})
    level = "duty" if key.split(".")[1] in ("unknown", "rules", "licences") else "check"
    assert set(only) == {key} and only[key].level == level and says in only[key].says


def test_thin_air_is_asked_about():
    """Most sheets derate above 2000 m (IEC 60664-1, from memory)."""
    for metres, there in ((1999, False), (2001, True), (None, False)):
        plan = Plan.model_validate(
            {**HERON_SLIP, "survey": SEEN, "site": {**HERON_SLIP["site"], "altitude_m": metres}}
        )
        assert ("survey.altitude" in {f.key for f in design(plan, catalogue()).findings}) == there


def test_facts_fit_the_job():
    """Earthing is asked under the IEC; the PV inverter that was there before, where there
    is one.
    """
    paths = {
        n: {f.path for f in facts(Plan.model_validate(d))}
        for n, d in (
            ("heron", HERON_SLIP),
            ("saltings", SALTINGS_BARN),
            ("mossbank", MOSSBANK_TERRACE),
        )
    }
    assert "supply/earthing" in paths["saltings"] and "supply/earthing" not in paths["heron"]
    assert (
        "kit/existing_pv/obeys_frequency" in paths["mossbank"]
        and "kit/existing_pv/obeys_frequency" not in paths["saltings"]
    )
    assert all(f.why and f.name for f in facts(Plan.model_validate(MOSSBANK_TERRACE)))


def test_guesses_are_on_the_safe_side_of_known_places():
    """ASHRAE extreme minima and 2 % maxima, from memory: Minneapolis 45° −29 / 32 °C, Denver 40°
    −24 / 34 °C at 1650 m, Dublin 53° −6 / 23 °C, Phoenix 33° 0 / 43 °C.
    """
    for latitude, altitude, low, high in (
        (44.9, 250, -29, 32),
        (39.8, 1650, -24, 34),
        (53.3, 10, -6, 23),
        (33.4, 340, 0, 43),
    ):
        guess = guessed_c(latitude, altitude)
        assert guess["t_min_c"] <= low + 7 and guess["t_roof_c"] >= high - 7
    assert guessed_c(-40, 0) == guessed_c(40, 0)


def test_a_guess_gives_way_to_what_is_known():
    site = Site.model_validate({"name": "x", "latitude_deg": 45, "t_min_c": -20})
    assert site.guessed == ("t_roof_c", "t_wall_c") and site.t_min_c == -20
    again = Site.model_validate(site.model_dump())
    assert again == site
    with pytest.raises(ValueError, match="t_min_c"):
        Site.model_validate({"name": "x"})
