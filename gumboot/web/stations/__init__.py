"""The stations, in the order of work. One line each puts a station on the treads."""

from gumboot.web.station import register
from gumboot.web.stations import brief, hand_over, land, link, prove, set, size, wake, wall

STATIONS = (
    brief.STATION,
    size.STATION,
    wall.STATION,
    land.STATION,
    link.STATION,
    wake.STATION,
    set.STATION,
    prove.STATION,
    hand_over.STATION,
)
register(*STATIONS)
