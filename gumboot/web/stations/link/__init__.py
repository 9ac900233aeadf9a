"""Link: do the boxes talk?"""

from gumboot.web.job.opening import OpenJob
from gumboot.web.station import Station
from gumboot.web.stations.link import bms, ct, harness, ohms, walk, wishes


def progress(job: OpenJob) -> str:
    """How many steps are done."""
    steps = job.design.harness.steps if job.design.harness else ()
    return f"{sum(walk.complete(job, s) for s in steps)}/{len(steps)}" if steps else "no links"


STATION = Station(
    "link",
    "Link",
    progress,
    (walk.router, harness.router, ohms.router, ct.router, bms.router, wishes.router),
    ("link", "link/harness", "link/ohms", "link/ct", "link/bms", "link/network"),
)
