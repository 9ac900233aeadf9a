"""Brief: what must this house do?"""

from gumboot.web.station import Station
from gumboot.web.stations.brief import editions, first, kit, loads, survey, year

STATION = Station(
    "brief",
    "Brief",
    lambda at: f"v{at.record.version}",
    (
        first.router,
        kit.router,
        survey.router,
        loads.router,
        year.router,
        editions.router,
    ),
    ("brief", "survey", "loads", "year", "editions"),
)
