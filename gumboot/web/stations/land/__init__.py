"""Land: is every conductor made off right?"""

from gumboot.web.job.opening import OpenJob
from gumboot.web.station import Station
from gumboot.web.stations.land import cut, entry, land, log, readings, wrenches


def progress(job: OpenJob) -> str:
    """How many terminations are made off."""
    rows = job.design.terminations
    return f"{sum(job.state_of(t).complete for t in rows)}/{len(rows)}"


__all__ = ["STATION", "entry"]

STATION = Station(
    "land",
    "Land",
    progress,
    (land.router, cut.router, log.router, readings.router, wrenches.router),
    ("land", "land/cut", "land/labels", "land/log", "land/return", "land/tools"),
)
