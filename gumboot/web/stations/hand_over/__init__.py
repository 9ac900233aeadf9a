"""Hand over: can we stand behind it?"""

from gumboot.web.station import Station
from gumboot.web.stations.hand_over import books, hand_over, share, signing

STATION = Station(
    "hand-over",
    "Hand over",
    lambda at: "signed" if at.state.signed else "open",
    (hand_over.router, books.router, signing.router, share.router),
    ("hand-over",),
)
