"""Set: what do we key in?"""

from gumboot.web.job.opening import OpenJob
from gumboot.web.station import Station
from gumboot.web.stations.set import settings


def progress(job: OpenJob) -> str:
    """How many lines are the crew's own, or how many there are."""
    own = sum(s.own for s in job.design.settings)
    return f"{own} own" if own else f"{len(job.design.settings)} lines"


STATION = Station("set", "Set", progress, (settings.router,), ("set",))
