"""Hand over: can we stand behind it?"""

from gumboot.web.station import Station
from gumboot.web.stations.hand_over import (
    after,
    as_built,
    books,
    delivery,
    hand_over,
    more,
    pictures,
    share,
    signing,
    visits,
)

ROOMS = (hand_over, books, signing, share, delivery, pictures, as_built, visits, after, more)
STATION = Station(
    "hand-over",
    "Hand over",
    lambda at: "signed" if at.state.signed else "open",
    tuple(room.router for room in ROOMS),
    ("hand-over", "delivery", "photographs", "as-built", "after", "after/visit", "more"),
)
