"""Places by name: the database's own coordinates and lands, the book and supply they bring."""

from zoneinfo import available_timezones

import pytest

from gumboot.core.codes.books import IEC, NEC, NEC_LANDS
from gumboot.core.plan.climate import guessed_c
from gumboot.imports.places import namesakes, place, places, towns


def test_every_place_keeps_a_clock_and_lies_where_the_sun_is_worked_out():
    zones = available_timezones()
    assert len(places()) > 400
    for p in places().values():
        assert p.zone in zones and abs(p.latitude_deg) <= 66 and abs(p.longitude_deg) <= 180
        assert set(guessed_c(p.latitude_deg, 0))


@pytest.mark.parametrize(
    ("typed", "north", "east"),
    [
        ("Paris, France", 48.87, 2.33),
        ("sydney", -33.87, 151.22),
        ("  Tokyo, japan ", 35.65, 139.74),
        ("São Paulo", -23.53, -46.62),
    ],
)  # zone.tab: +4852+00220, -3352+15113, +353916+1394441, -2332-04637
def test_coordinates_are_those_of_the_database(typed, north, east):
    found = place(typed)
    assert (found.latitude_deg, found.longitude_deg) == pytest.approx((north, east), abs=0.01)


def test_a_land_brings_its_book_and_supply():
    for name, book in (
        ("Texas", NEC),
        ("Bogota", NEC),
        ("Toronto", NEC),
        ("Berlin", IEC),
        ("Nairobi", IEC),
    ):
        assert place(name).book is book
    assert "US" in NEC_LANDS and place("Texas").zone == "America/Chicago"


@pytest.mark.parametrize(
    ("typed", "named", "zone", "north", "east"),
    [
        ("Bristol", "Bristol, Britain (UK)", "Europe/London", 51.455, -2.597),
        ("bristol, CT", "Bristol, Connecticut, United States", "America/New_York", 41.672, -72.949),
        ("Paris, Texas", "Paris, Texas, United States", "America/Chicago", 33.66, -95.56),
        ("Paris", "Paris, France", "Europe/Paris", 48.87, 2.33),
        ("cologne", "Köln, Germany", "Europe/Berlin", 50.94, 6.96),
        ("Leeds, England", "Leeds, Britain (UK)", "Europe/London", 53.80, -1.55),
        ("Tonsberg", "Tønsberg, Norway", "Europe/Oslo", 59.27, 10.41),
        ("giessen", "Gießen, Germany", "Europe/Berlin", 50.585, 8.68),
        ("St. Gallen", "Sankt Gallen, Switzerland", "Europe/Zurich", 47.425, 9.377),
        ("-33.9, 18.5", None, "Africa/Johannesburg", -33.9, 18.5),
        ("52.5 N 13.4 E", None, "Europe/Berlin", 52.5, 13.4),
        ("40.4; -3.7", None, "Europe/Madrid", 40.4, -3.7),
    ],
)  # coordinates from an atlas, from memory
def test_a_town_goes_by_its_name_or_by_two_numbers(typed, named, zone, north, east):
    found = place(typed)
    assert found.zone == zone and (named is None or found.name == named)
    assert (found.latitude_deg, found.longitude_deg) == pytest.approx((north, east), abs=0.05)


def test_who_else_has_the_name_is_said():
    assert "Bristol, Connecticut, United States" in namesakes("Bristol")
    assert namesakes("Bristol, CT") == namesakes("Köln") == namesakes("Atlantis ford") == ()
    assert len(namesakes("Springfield")) == 3


def test_every_town_keeps_a_clock_and_lies_on_the_globe():
    zones, rows = available_timezones(), {row for rows in towns().values() for row in rows}
    assert len(rows) > 30_000
    for row in rows:
        _, name, _, land, north, east, zone = row.split("\t")
        assert name and len(land) == 2 and zone in zones
        assert abs(float(north)) <= 66 and abs(float(east)) <= 180


@pytest.mark.parametrize(
    "typed", ["", "Nosuchtown", "France", "Paris, Ohio", "\x00", "70, 20", "20, 200", ",", "9", "|"]
)
def test_no_place_is_made_up(typed):
    assert place(typed) is None


@pytest.mark.parametrize("name", ["New York", "Washington", "Georgia", "texas", "Hawaii"])
def test_a_state_goes_by_its_own_name(name):
    assert place(name).country == "US"


def test_states_lie_within_the_land():
    states = [p for p in places().values() if p.country == "US"]
    assert len(states) == 51
    inner = [p for p in states if p.name.split(",")[0] not in ("Alaska", "Hawaii")]
    assert all(24 < p.latitude_deg < 49.5 and -125 < p.longitude_deg < -66 for p in inner)
