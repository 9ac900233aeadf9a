"""Prove: does it do what we said?"""

from gumboot.web.job.opening import OpenJob
from gumboot.web.station import Station
from gumboot.web.stations.prove import (
    causes,
    curves,
    given,
    instruments,
    standing,
    table,
    tester,
    walk,
)


def progress(job: OpenJob) -> str:
    """How many tests are done or declined."""
    dues = standing.dues_now(job)
    return f"{sum(standing.complete(job, x) for x in dues)}/{len(dues)}" if dues else "no kit"


STATION = Station(
    "prove",
    "Prove",
    progress,
    (
        *(table.router, walk.router, curves.router, causes.router),
        *(tester.router, given.router, instruments.router),
    ),
    ("prove", "prove/walk", "prove/curves", "prove/why", "prove/tester"),
)
