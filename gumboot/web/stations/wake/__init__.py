"""Wake: in what order does it come alive?"""

from gumboot.web.job.opening import OpenJob
from gumboot.web.station import Station
from gumboot.web.stations.wake import back, given, order, rehearse, walk, work


def progress(job: OpenJob) -> str:
    """How many steps are done."""
    steps = walk.steps_of(job.design)
    return f"{sum(walk.complete(job, s) for s in steps)}/{len(steps)}" if steps else "no order"


STATION = Station(
    "wake",
    "Wake",
    progress,
    (walk.router, order.router, rehearse.router, back.router, work.router, given.router),
    ("wake", "wake/order", "wake/rehearse", "wake/work", "wake/back"),
)
