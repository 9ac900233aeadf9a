"""What is known of a house, and what follows where it is not."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.brief.survey import LICENCES, facts
from gumboot.core.codes.books import NEC
from gumboot.core.plan import Plan, Site
from gumboot.core.plan.climate import guessed_c
from gumboot.demo.plans import HERON_SLIP, MOSSBANK_TERRACE, SALTINGS_BARN
from tests.designs import design

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


KNOWN = (  # north, east, m, mean of each year's lowest and 2 % maximum in °C: ASHRAE, from memory
    ("Minneapolis", 44.9, -93.2, 250, -29, 31),
    ("Denver", 39.8, -104.7, 1650, -24, 33),
    ("Dublin", 53.3, -6.2, 10, -6, 21),
    ("Phoenix", 33.4, -112, 340, 0, 42),
    ("Chicago", 41.9, -87.9, 205, -23, 31),
    ("Winnipeg", 49.9, -97.2, 239, -36, 28),
    ("Calgary", 51.1, -114, 1084, -32, 26),
    ("Dallas", 32.9, -97, 180, -9, 37),
    ("Houston", 29.9, -95.4, 30, -4, 35),
    ("Atlanta", 33.6, -84.4, 310, -11, 33),
    ("Boston", 42.4, -71, 5, -17, 30),
    ("New York", 40.8, -73.9, 10, -13, 31),
    ("Miami", 25.8, -80.3, 3, 3, 33),
    ("Seattle", 47.5, -122.3, 130, -8, 27),
    ("San Francisco", 37.6, -122.4, 5, 1.5, 24),
    ("Boise", 43.6, -116.2, 860, -18, 35),
    ("Salt Lake", 40.8, -112, 1290, -17, 35),
    ("Toronto", 43.7, -79.6, 173, -23, 28),
    ("Montreal", 45.5, -73.7, 36, -28, 28),
    ("Las Vegas", 36.1, -115.2, 660, -4, 41),
    ("Bristol", 51.5, -2.6, 20, -7, 25),
    ("London", 51.5, -0.1, 20, -6, 26),
    ("Edinburgh", 55.9, -3.3, 40, -8, 21),
    ("Paris", 48.9, 2.4, 60, -9, 29),
    ("Amsterdam", 52.3, 4.8, 0, -9, 26),
    ("Berlin", 52.5, 13.4, 40, -15, 29),
    ("Munich", 48.1, 11.6, 520, -18, 28),
    ("Graz", 47.1, 15.4, 350, -15, 29),
    ("Vienna", 48.2, 16.4, 190, -15, 30),
    ("Warsaw", 52.2, 21, 110, -19, 28),
    ("Kyiv", 50.4, 30.5, 170, -22, 29),
    ("Moscow", 55.7, 37.6, 150, -28, 27),
    ("Oslo", 59.9, 10.7, 20, -19, 25),
    ("Bergen", 60.4, 5.3, 10, -9, 21),
    ("Stockholm", 59.3, 18, 30, -17, 25),
    ("Helsinki", 60.3, 25, 50, -24, 25),
    ("Madrid", 40.4, -3.7, 660, -6, 35),
    ("Lyon", 45.7, 5.1, 240, -9, 31),
    ("Rome", 41.9, 12.5, 10, -4, 31),
    ("Athens", 37.9, 23.7, 15, 0, 33),
    ("Sofia", 42.7, 23.3, 550, -15, 30),
    ("Lisbon", 38.7, -9.1, 100, 2, 31),
    ("Sydney", -33.9, 151.2, 10, 4, 29),
    ("Melbourne", -37.8, 145, 30, 0, 33),
    ("Canberra", -35.3, 149.2, 580, -6, 32),
    ("Alice Springs", -23.8, 133.9, 550, -3, 39),
    ("Auckland", -36.9, 174.8, 10, 2, 25),
    ("Christchurch", -43.5, 172.5, 30, -5, 26),
    ("Johannesburg", -26.2, 28, 1700, -2, 28),
    ("Buenos Aires", -34.6, -58.4, 20, -1, 31),
    ("Harbin", 45.8, 126.8, 140, -33, 29),
    ("Tokyo", 35.7, 139.7, 10, -3, 32),
    ("Riyadh", 24.7, 46.7, 620, 3, 44),
    ("Delhi", 28.6, 77.2, 215, 4, 41),
    ("Nairobi", -1.3, 36.8, 1650, 8, 28),
    ("Mexico City", 19.4, -99.1, 2240, 3, 27),
    ("Bogota", 4.7, -74.1, 2550, 2, 20),
    ("La Paz", -16.5, -68.2, 4000, -5, 17),
    ("Addis Ababa", 9, 38.8, 2350, 3, 25),
    ("Ankara", 40, 33, 950, -15, 32),
    ("Tehran", 35.7, 51.3, 1190, -6, 38),
    ("Flagstaff", 35.2, -111.7, 2130, -23, 28),
    ("Helena", 46.6, -112, 1180, -29, 31),
    ("Albuquerque", 35, -106.6, 1620, -13, 34),
    ("El Paso", 31.8, -106.4, 1190, -8, 37),
    ("Spokane", 47.6, -117.5, 720, -20, 32),
    ("Reno", 39.5, -119.8, 1340, -14, 34),
    ("Lhasa", 29.7, 91.1, 3650, -12, 22),
    ("Santiago", -33.4, -70.8, 475, -2, 31),
)
HIGHER = ("Flagstaff", "La Paz", "Addis Ababa")  # than the land around them


@pytest.mark.parametrize("place", KNOWN, ids=lambda x: x[0])
def test_guesses_are_on_the_safe_side_of_known_places(place):
    """Nor so cold that a string loses two modules of ten for nothing."""
    name, north, east, high, cold, hot = place
    guess = guessed_c(north, high, east)
    assert cold - 15 <= guess["t_min_c"] <= cold + 1
    assert hot - 1 <= guess["t_roof_c"] <= hot + 16
    assert guessed_c(north, None, east)["t_min_c"] <= cold + 1 or name in HIGHER


def test_without_a_longitude_the_guess_is_by_latitude_alone():
    assert guessed_c(-40, 0) == guessed_c(40, 0)
    assert guessed_c(40, 1000)["t_min_c"] == guessed_c(40, 0)["t_min_c"] - 6.5


def test_a_guess_gives_way_to_what_is_known():
    site = Site.model_validate({"name": "x", "latitude_deg": 45, "t_min_c": -20})
    assert site.guessed == ("t_roof_c", "t_wall_c") and site.t_min_c == -20
    again = Site.model_validate(site.model_dump())
    assert again == site
    with pytest.raises(ValueError, match="t_min_c"):
        Site.model_validate({"name": "x"})
