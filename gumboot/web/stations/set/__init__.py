"""Set: what do we key in, and did it take?"""

from gumboot.web.job import walking
from gumboot.web.job.opening import OpenJob
from gumboot.web.station import Station
from gumboot.web.stations.set import costs, keying, read_back, settings, sheet


def progress(job: OpenJob) -> str:
    """How many lines are keyed."""
    steps = keying.steps_of(job.design)
    return f"{sum(walking.complete(job, s) for s in steps)}/{len(steps)}" if steps else "no menu"


STATION = Station(
    "set",
    "Set",
    progress,
    (
        *(settings.router, keying.router, read_back.router),
        *(sheet.router, costs.router),
    ),
    ("set", "set/key", "set/read"),
)
