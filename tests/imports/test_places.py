"""Places by name: the database's own coordinates and lands, the book and supply they bring."""

from zoneinfo import available_timezones

import pytest

from gumboot.core.codes.books import IEC, NEC, NEC_LANDS
from gumboot.core.plan.climate import guessed_c
from gumboot.imports.places import place, places


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


@pytest.mark.parametrize("typed", ["", "Atlantis", "France", "Paris, Texas", "\x00"])
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
