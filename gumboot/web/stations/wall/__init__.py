"""Wall: where does it go?"""

from gumboot.web.job.opening import OpenJob
from gumboot.web.station import Station
from gumboot.web.stations.wall import attempt, describe, drill, page, save


def progress(job: OpenJob) -> str:
    """How many boxes have a place."""
    d = job.design
    if not d.walls:
        return "no wall yet"
    return f"{sum(len(w.scene.placed) for w in d.walls)}/{len(d.boxes)} placed"


STATION = Station(
    "wall",
    "Wall",
    progress,
    (page.router, save.router, attempt.router, describe.router, drill.router),
    ("wall", "wall/describe", "wall/drill"),
)
